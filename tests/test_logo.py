"""Logos: their files, what lies under them, what they cost, and what the readers say to it."""

import io

import numpy as np
import pytest
import skia
from PIL import Image

from conftest import LINK, encoded, photograph
from nimble_tile.core.additions import Backing, Ground, Layout, Logo, Logos, Shadow
from nimble_tile.core.coverage import largest
from nimble_tile.core.coverage.count import coverage
from nimble_tile.core.coverage.marker import track
from nimble_tile.core.coverage.scene import Scene
from nimble_tile.core.errors import PictureError
from nimble_tile.core.laid.items import Shape
from nimble_tile.core.laid.paint import cover
from nimble_tile.core.logo.pixels import main_colour, prepared, tinted, without_ground
from nimble_tile.core.picture.drawings import draw, one_page, pages
from nimble_tile.core.picture.opening import Opened
from nimble_tile.core.piece import Blend, Code, Message, Picture, Piece, Region
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.scan.readers import ZxingReader, to_grey
from nimble_tile.core.scan.remedies import remedied
from nimble_tile.core.symbol.anatomy import Part

SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100">
<rect width="200" height="100" rx="30" fill="#1d5740"/><circle cx="60" cy="50" r="30"
fill="#e0a44a"/></svg>"""


def block(store, colour, size=(64, 64)):
    """Digest of a picture of one colour."""
    return store.add(encoded(np.full((*size, 3), colour, np.uint8)))


def with_logos(*logos, text=LINK, **code):
    return Piece(
        message=Message(kind="text", text=text),
        code=Code(raise_level=False, **code),
        logo=Logos(items=logos),
    )


# Files -------------------------------------------------------------------------


def test_every_kind_of_file_becomes_a_logo_with_its_transparency(store):
    drawn = draw(SVG, "mark.svg")
    assert drawn.shape == (1024, 2048, 4)
    assert drawn[0, 0, 3] == 0 and drawn[512, 1500, 3] == 255
    assert tuple(drawn[512, 614, :3]) == (224, 164, 74)
    document = io.BytesIO()
    stream = skia.DynamicMemoryWStream()
    with skia.PDF.MakeDocument(stream) as made:
        for colour in (skia.ColorRED, skia.ColorGREEN):
            with made.page(120, 60) as page:
                page.drawCircle(60, 30, 20, skia.Paint(Color=colour))
    document = bytes(stream.detachAsData())
    assert pages(document) == 2
    second = draw(one_page(document, 1), "two.pdf")
    assert second.shape[1] == 2048 and second[5, 5, 3] == 0
    assert tuple(second[second.shape[0] // 2, 1024]) == (0, 255, 0, 255)
    alpha = Image.fromarray(drawn).resize((200, 100))
    files = {
        "svg": SVG, "pdf": document, "png": encoded(alpha), "webp": encoded(alpha, "WEBP"),
        "tiff": encoded(alpha, "TIFF"), "jpg": encoded(photograph("coffee"), "JPEG"),
    }  # fmt: skip
    for kind, data in files.items():
        digest = store.add(data, f"logo.{kind}", drawings=True)
        assert store.about(digest).transparent == (kind != "jpg"), kind
        made = Renderer(store).render(with_logos(Logo(digest=digest, size=0.2), level="H"))
        assert made.laid.boxes["logo", 0][0] == (made.modules / 2, made.modules / 2)


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (b"<svg xmlns='http://www.w3.org/2000/svg'><rect width='9'", "damaged"),
        (b"%PDF-1.7 nothing more", "damaged"),
        (b"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9'/>", "shows nothing"),
        (
            b"<svg xmlns='http://www.w3.org/2000/svg' xmlns:xlink='http://www.w3.org/1999/xlink'"
            b" viewBox='0 0 9 9'><image xlink:href='file:///etc/hostname' width='9'/></svg>",
            "another file",
        ),
        (
            b'<!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]>'
            b"<svg xmlns='http://www.w3.org/2000/svg'><text>&b;</text></svg>",
            "entities",
        ),
        (
            b"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9'>"
            b"<g id='a0'><rect width='1' height='1'/></g>"
            + b"".join(
                b"<g id='a%d'>%s</g>" % (i, b"<use href='#a%d'/>" % (i - 1) * 10)
                for i in range(1, 9)
            )
            + b"<use href='#a8'/></svg>",
            "too many parts",
        ),
        (b"", "empty"),
    ],
)
def test_hostile_and_broken_drawings_are_refused_in_a_sentence(store, data, told):
    with pytest.raises(PictureError) as refused:
        store.add(data, "mark.svg", drawings=True)
    assert told in str(refused.value)
    assert "mark.svg" in str(refused.value)


def test_letters_of_a_drawing_are_drawn_and_told_of(store):
    head = b"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 100 50'>"
    for family in (b"", b" font-family='Nowhere Grotesk'", b" font-family='serif'"):
        data = head + b"<text x='5' y='40'%s font-size='40'>Dusk</text></svg>" % family
        digest = store.add(data, "dusk.svg", drawings=True)
        assert "turn them into paths" in store.about(digest).notes[0]
        assert (store.opened(digest).alpha > 0).mean() > 0.05


def test_a_picture_for_blending_is_still_no_drawing(store):
    with pytest.raises(PictureError):
        store.add(SVG, "mark.svg")


def test_a_background_goes_from_the_edges_and_leaves_no_halo():
    # A green ring with a soft edge on white, drawn twice: with and without its ground.
    y, x = np.mgrid[0:240, 0:240] - 119.5
    away = np.hypot(x, y)
    cover = np.clip(90.5 - away, 0, 1) * np.clip(away - 49.5, 0, 1)
    green, white = np.array([29, 87, 64.0]), np.array([255, 255, 255.0])
    rgb = np.rint(green * cover[..., None] + white * (1 - cover[..., None])).astype(np.uint8)
    rgba = np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])
    out = without_ground(rgba, 0.12)
    outside, hole = away > 96, away < 40
    assert not out[outside, 3].any()
    assert (out[hole, 3] == 255).all()  # inside the ring it does not hang together with the edge
    edge = (away > 86) & (away < 95)
    # Alpha of the cleaned edge is the true cover, and no white is left in its colour.
    assert np.abs(out[edge, 3] / 255.0 - cover[edge]).mean() < 0.02
    seen = edge & (out[..., 3] > 60)
    assert np.abs(out[seen, :3] - green).max() < 40
    assert np.abs(out[seen, :3] - green).mean() < 4


def test_crop_tint_and_main_colour():
    rgb = np.full((40, 80, 3), (200, 30, 40), np.uint8)
    rgb[:, 40:] = (20, 60, 110)
    opened = Opened(rgb)
    half = prepared(opened, Logo(digest="0" * 64, crop=(0.5, 0, 0, 0)))
    assert half.shape == (40, 40, 4) and tuple(half[5, 5, :3]) == (20, 60, 110)
    assert main_colour(prepared(opened, Logo(digest="0" * 64))) == "#143c6e"
    whole = np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])
    dark = tinted(whole, "#112233")
    assert tuple(dark[5, 60, :3]) == (17, 34, 51)  # the darkest tone is the colour itself
    assert dark[5, 5, :3].sum() > dark[5, 60, :3].sum()  # lighter ones stay lighter
    flat = tinted(whole[:, :40], "#112233")
    assert (flat[..., :3] == (17, 34, 51)).all()


def test_a_plain_drawing_stays_vectors_and_a_rich_one_stays_a_picture(store, tmp_path, bay):
    from nimble_tile.core.logo.outlines import outlines
    from nimble_tile.core.output.export import export

    head = b"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 100 50'>"
    assert len(outlines(SVG)) == 2
    line = b"<path d='M10 25h80' stroke='#123456' stroke-width='9' stroke-linecap='round'/></svg>"
    assert outlines(head + line)[0].round_ends
    for rich in (
        b"<defs><linearGradient id='a'><stop stop-color='#f00'/><stop offset='1'"
        b" stop-color='#00f'/></linearGradient></defs>"
        b"<rect width='100' height='50' fill='url(#a)'/></svg>",
        b"<rect width='100' height='50' fill='#eee'/><g opacity='.3'><rect width='60' height='40'/>"
        b"<rect x='20' width='60' height='40' fill='#c00'/></g></svg>",
    ):
        assert outlines(head + rich) is None
    assert outlines(encoded(np.zeros((20, 20, 3), np.uint8))) is None
    digest = store.add(SVG, "mark.svg", drawings=True)
    for tint, images in ((None, 0), ("#224466", 1)):
        piece = with_logos(Logo(digest=digest, size=0.25, angle=20, tint=tint), level="H")
        path = tmp_path / "mark.svg"
        proof = export(Renderer(store).render(piece), path, piece.finish, bay)
        assert proof.verdict.readers_right == (4, 4)
        assert path.read_bytes().count(b"<image") == images


# What lies under it --------------------------------------------------------------


def test_cleared_modules_show_the_ground_and_plates_their_colour(store):
    logo = Logo(digest=block(store, (10, 10, 10)), size=0.12)
    n = 25
    renderer = Renderer(store)
    for kind, whole in (("none", True), ("cleared", True), ("plate", False), ("plate", True)):
        backing = Backing(kind=kind, shape="box", margin=2, colour="#ffcc00", whole=whole)
        piece = with_logos(logo.model_copy(update={"backing": backing}), text="HELLO", version="2")
        made = renderer.render(piece, (n + 8) * 10)
        gone = made.laid.cleared
        # The box with its margin: 0.12 · 25 + 4 = 7 modules about the middle one.
        inner = np.zeros((n, n), bool)
        inner[9:16, 9:16] = True
        if kind == "none" or (kind == "plate" and not whole):
            assert gone is None
        else:
            assert (gone == inner).all()
        corner = made.image[10 * (4 + 9) + 5, 10 * (4 + 9) + 5]
        if kind == "plate":
            assert tuple(corner) == (255, 204, 0)
        elif kind == "cleared":
            assert tuple(corner) == (255, 255, 255)
        else:
            assert (corner == (0 if made.symbol.dark[9, 9] else 255)).all()
        # Outside nothing has changed.
        grey = to_grey(made.image)[45:-40:10, 45:-40:10][:n, :n]
        assert ((grey < 128) == made.symbol.dark)[~inner].all()


def test_shapes_keep_their_margin_round_the_logo(store):
    from nimble_tile.core.logo.backing import shape_of
    from nimble_tile.core.logo.lay import stamp_of

    y, x = np.mgrid[0:200, 0:200] - 99.5
    disk = np.zeros((200, 200, 4), np.uint8)
    disk[np.hypot(x, y) < 80] = (20, 90, 60, 255)
    logo = Logo(digest="0" * 64, size=0.4, angle=30)
    stamp = stamp_of(logo, disk, 25, 4)
    radius = 0.4 * 25 * 80 / 200  # modules
    for shape, area in (
        ("outline", np.pi * (radius + 1) ** 2), ("circle", np.pi * (radius + 1) ** 2),
        ("box", 12.0**2), ("rounded", 12**2 - (4 - np.pi) * (0.4 * 6) ** 2),
    ):  # fmt: skip
        path = shape_of(stamp, Backing(shape=shape, margin=1, corner=0.4))
        cells = cover([Shape("plate", 0, path, "#000000")], 33, 6) / 255
        assert cells.sum() / 6**2 == pytest.approx(area, rel=0.03), shape


def test_on_a_picture_cleared_modules_are_the_picture_again(store):
    digest = store.add(encoded(photograph("astronaut")))
    mark = block(store, (200, 120, 20), (80, 20))
    backing = Backing(kind="cleared", shape="box", margin=1)
    piece = with_logos(Logo(digest=mark, size=0.2, backing=backing), level="H")
    for place in (None, Region(x=100, y=90, width=300, height=300, angle=20)):
        placed = piece.model_copy(
            update={"picture": Picture(digest=digest, region=place), "blend": Blend(strength=0.8)}
        )
        made = Renderer(store).render(placed, 512)
        scaled = made.upright(made.bare)
        picture = made.upright(made.picture)
        grid = np.pad(made.laid.cleared, 4)
        side = scaled.shape[0]
        at = ((np.arange(side) + 0.5) * made.modules / side).astype(int)
        from scipy.ndimage import binary_erosion

        inside = binary_erosion(grid[np.ix_(at, at)], iterations=3)
        assert inside.sum() > 100
        off = np.abs(scaled[inside].astype(int) - picture[inside])
        assert off.mean() < (0.5 if place is None else 3)


def test_a_painted_plate_covers_where_it_was_painted(store):
    mask = np.zeros((300, 300), np.uint8)
    mask[120:180, 120:180] = 255
    piece = with_logos(text="HELLO", version="3").model_copy(
        update={"logo": Logos(paint=store.add_mask(mask), paint_colour="#3366cc")}
    )
    made = Renderer(store).render(piece, 37 * 10)
    assert tuple(made.image[185, 185]) == (51, 102, 204)
    assert coverage(made).area == pytest.approx((60 / 300 * 37) ** 2 / 29**2, rel=0.05)


# What it costs -------------------------------------------------------------------


def test_coverage_names_what_is_touched_and_explains_the_percentage(store):
    white = block(store, (255, 255, 255))
    bare = Backing(kind="none")
    renderer = Renderer(store)
    piece = with_logos(Logo(digest=white, size=0.3, backing=bare), version="7", level="H")
    found = coverage(renderer.render(piece, 900))
    assert found.area == pytest.approx(0.09, rel=0.02)
    assert found.patterns == ("alignment pattern in the middle",)
    symbol = renderer.symbol(piece)
    # The true count, from the standard's own placement: light modules over dark ones.
    n = symbol.side
    low, high = n * 0.35, n * 0.65
    centre = np.arange(n) + 0.5
    under = ((centre > low) & (centre < high))[:, None] & ((centre > low) & (centre < high))
    plan = symbol.anatomy
    spoiled = np.unique(plan.codeword[under & symbol.dark & (plan.codeword >= 0)])
    assert sum(found.under) == len(spoiled)
    assert found.correctable == tuple(b.correctable for b in plan.blocks)
    assert "not 33% of the area" in found.explanation
    assert f"spoil {len(spoiled)} codewords" in found.explanation
    corner = with_logos(Logo(digest=white, size=0.2, x=0.9, y=0.1, backing=bare), level="H")
    found = coverage(renderer.render(corner, 900))
    assert "finder pattern at the top right" in found.patterns
    assert not found.hold.holds and "top right" in " ".join(found.hold.why)


def test_what_is_foreseen_is_what_zxing_reads(store):
    """20 random places a level: no "holds" that does not read, under 3 % "fails" that do."""
    wrongly = sum(_fails_that_read(store, level) for level in "LMQH")
    assert wrongly / 80 < 0.03


def _fails_that_read(store, level):
    rng = np.random.default_rng(ord(level))
    colours = [(255, 255, 255), (10, 10, 10), (29, 87, 64), (222, 160, 70)]
    marks = [block(store, colour) for colour in colours]
    renderer, reader = Renderer(store), ZxingReader()
    limit = {"L": 0.16, "M": 0.28, "Q": 0.38, "H": 0.42}[level]
    fails_that_read = 0
    for _ in range(20):
        backing = Backing(
            kind=str(rng.choice(["none", "cleared", "plate"])),
            shape=str(rng.choice(["outline", "box", "rounded", "circle"])),
            margin=float(rng.uniform(0, 1)),
        )
        digest = marks[rng.integers(len(marks))]
        size = float(rng.uniform(0.06, limit * 1.25))
        x, y = rng.uniform(size / 2, 1 - size / 2, 2)
        logo = Logo(digest=digest, backing=backing, size=size, x=float(x), y=float(y))
        piece = with_logos(logo, level=level)
        made = renderer.render(piece, (renderer.symbol(piece).side + 8) * 8)
        found = coverage(made)
        read = any(code.text == LINK for code in reader.read(made.image))
        if found.hold.holds:
            assert read, (logo, found.hold)
        fails_that_read += read and not found.hold.holds
    return fails_that_read


def test_spare_is_zxings_own_figure(store):
    """UEC of zxing-cpp, on clean images with plates of clear tone, within one codeword."""
    renderer, reader = Renderer(store), ZxingReader()
    white = block(store, (255, 255, 255))
    compared = 0
    for level in "LMQH":
        for size, x in ((0.1, 0.5), (0.16, 0.62), (0.22, 0.45)):
            logo = Logo(digest=white, size=size, x=x, backing=Backing(kind="none"))
            piece = with_logos(logo, level=level, version="6")
            made = renderer.render(piece, (41 + 8) * 8)
            found = reader.read(made.image)
            if not found:
                continue
            counted = coverage(made)
            most = min(counted.correctable)
            ours = min(
                max(0, 1 - s / m) for s, m in zip(counted.spoiled, counted.correctable, strict=True)
            )
            # The reader gives two decimals.
            assert abs(ours - found[0].spare) * most <= 1 + 0.01 * most, (level, size)
            compared += 1
    assert compared >= 10


def test_the_largest_square_is_where_readers_give_up(store, bay):
    """A centred white square, grown until zxing-cpp fails, against the search."""
    white = block(store, (255, 255, 255))
    renderer, reader = Renderer(store), ZxingReader()
    areas = []
    for level in "LMQH":
        logo = Logo(digest=white, backing=Backing(kind="none"))
        piece = with_logos(logo, level=level)
        found = largest.largest(renderer, piece, 0, 0.0, bay)
        own = found.piece.logo.items[0].size
        assert found.verdict.readers_right == (4, 4)
        sizes = np.arange(0.1, 0.6, 0.01)
        read = [
            any(
                code.text == LINK
                for code in reader.read(
                    renderer.render(largest.put(piece, 0, size=float(s)), 480).image
                )
            )
            for s in sizes
        ]
        real = sizes[np.argmin(read) - 1]
        assert 0.8 * real <= own <= real + 0.015, level
        areas.append(own**2)
    # Common practice knows it well: nowhere near 7, 15, 25 and 30 % of the area.
    assert areas == sorted(areas)
    assert 0.02 < areas[0] < 0.05 and 0.12 < areas[3] < 0.26


def test_wanted_spare_place_and_code(store, bay):
    renderer = Renderer(store)
    mark = store.add(SVG, "mark.svg", drawings=True)
    piece = with_logos(Logo(digest=mark, size=0.3), level="H", version="10")
    found = largest.largest(renderer, piece, 0, 0.5, bay)
    assert found.spare >= 0.5 and found.verdict.readers_right == (4, 4)
    bigger = largest.put(found.piece, 0, size=found.piece.logo.items[0].size * 1.15)
    assert not Scene(renderer, bigger).attempt(bigger.logo).keeps(0.5)
    best = largest.best_place(renderer, piece, 0, 0.3, bay)
    assert best.verdict.readers_right == (4, 4)
    here = judge_rendering(renderer.render(piece, 640), bay)
    assert best.spare >= here.spare
    # Where there is room it leaves the pattern that sets tilted codes straight.
    small = with_logos(Logo(digest=mark, size=0.2), level="Q")
    placed = largest.best_place(renderer, small, 0, 0.3, bay).piece
    assert coverage(renderer.render(placed, 600)).patterns == ()
    weak = with_logos(Logo(digest=mark, size=0.45), level="L")
    assert not Scene(renderer, weak).attempt(weak.logo).keeps(0.1)
    grown = largest.smallest_code(renderer, weak, 0, 0.1, bay)
    assert grown.verdict.readers_right == (4, 4) and grown.spare >= 0.1
    code = grown.piece.code
    assert (int(code.version), "LMQH".index(code.level)) > (3, 0)
    nowhere = with_logos(Logo(digest=mark, size=1.2), level="L")
    assert largest.largest(renderer, nowhere, 0, 0.99, bay).piece is None
    assert largest.best_place(renderer, nowhere, 0, 0.1, bay).piece is None


def test_a_marker_is_tracked_or_said_not_to_be(store, bay):
    busy = store.add(encoded(photograph("astronaut")))
    plain = block(store, (40, 90, 60))
    renderer = Renderer(store)
    answers = []
    for digest in (busy, plain):
        logo = Logo(digest=digest, size=0.4, marker=True, backing=Backing(shape="box"))
        piece = with_logos(logo, level="H", version="10")
        made = renderer.render(piece, 1024)
        answers.append(track(made, 0, logo, renderer.logo_pixels(logo), bay))
    good, bad = answers
    assert good.tracks and good.features > 60 and good.spread > 0.3
    assert good.sights[0].found and good.sights[0].inliers > 40
    assert "get along" in good.sentence and good.readers == 4
    assert not bad.tracks and "features" in bad.sentence
    assert all(sight.read >= 2 for sight in good.sights)
    assert track(made, 0, logo, renderer.logo_pixels(logo), bay, lambda: True) is None


def test_marker_and_code_are_judged_together():
    from nimble_tile.core.coverage.marker import MarkerSight, Tracking

    def tracking(found, read, features=200):
        sights = tuple(MarkerSight("view", 60, 40, i < found, read) for i in range(6))
        return Tracking(features, 0.6, sights, 4)

    assert tracking(5, 4).sentence.endswith("they get along.")
    costly = tracking(6, 1)
    assert costly.tracks and not costly.reads and "too little" in costly.sentence
    assert "only 12 features" in tracking(0, 4, 12).sentence


def test_a_shadow_is_judged_by_the_readers(store, bay):
    from nimble_tile.core.study import Student

    mark = store.add(SVG, "mark.svg", drawings=True)
    renderer = Renderer(store)
    told, judged = [], []
    for shadow in (Shadow(), Shadow(strength=0.5), Shadow(strength=1, blur=1, dx=4, dy=4)):
        logo = Logo(digest=mark, size=0.3, shadow=shadow, backing=Backing(kind="none"))
        piece = with_logos(logo, level="M")
        made = renderer.render(piece, 600)
        told.append(Student(renderer).study(piece, made, bay).logo_effects)
        judged.append(judge_rendering(made, bay, with_fidelity=False))
    assert told[0] == ""
    for sentence, verdict in zip(told[1:], judged[1:], strict=True):
        # What the readers themselves say, with and without the shadow.
        lost = [
            now.name for now, before in zip(verdict.marks, judged[0].marks, strict=True)
            if before.read and not now.read
        ]  # fmt: skip
        spoiled = judged[0].spare - verdict.spare
        if lost:
            assert sentence.startswith(f"With the effects {' and '.join(lost)} no longer read")
        elif spoiled >= 0.005:
            assert f"take {spoiled:.0%} of the spare" in sentence
        else:
            assert sentence == "All readers that read the code without the effects still do."
    assert told[1] != told[2]


def test_a_logo_that_is_too_large_is_named_as_the_reason(store, bay):
    white = block(store, (255, 255, 255))
    renderer = Renderer(store)
    large = with_logos(Logo(digest=white, size=0.5, backing=Backing(kind="none")), level="L")
    rendering = renderer.render(large, 600)
    verdict = judge_rendering(rendering, bay)
    verdict = remedied(verdict, large, renderer, rendering, bay)
    assert verdict.state == "fails"
    assert "under the logo" in verdict.reasons[0].text
    assert "smaller" in verdict.reasons[0].way_out
    assert judge_rendering(renderer.render(with_logos(level="L"), 600), bay).reasons == ()


def test_several_logos_are_counted_one_by_one(store):
    white = block(store, (255, 255, 255))
    bare = Backing(kind="none")
    piece = with_logos(
        Logo(digest=white, size=0.1, x=0.45, backing=bare),
        Logo(digest=white, size=0.15, x=0.75, y=0.55, backing=bare),
        level="H", version="8",
    )  # fmt: skip
    found = coverage(Renderer(store).render(piece, 800))
    first, second = found.shares
    assert (first.area, second.area) == pytest.approx((0.01, 0.0225), rel=0.1)
    assert found.area == pytest.approx(first.area + second.area, rel=0.01)
    assert first.codewords < second.codewords <= sum(found.under)


def test_a_logo_may_be_anywhere_and_any_size(store):
    """Nothing that the model allows breaks the rendering."""
    rng = np.random.default_rng(3)
    mark = store.add(SVG, "mark.svg", drawings=True)
    renderer = Renderer(store)
    for _ in range(12):
        logo = Logo(
            digest=mark, size=float(rng.uniform(0.02, 2)), x=float(rng.uniform(-2, 3)),
            y=float(rng.uniform(-2, 3)), angle=float(rng.uniform(-180, 180)),
            ground=Ground(off=True), tint="#224466",
            backing=Backing(soft=2, line=1, margin=float(rng.uniform(0, 8))),
            shadow=Shadow(strength=1),
        )  # fmt: skip
        made = renderer.render(with_logos(logo, version="2", text="A"), 300)
        assert made.box.x >= 0 and made.box.x + made.box.width <= made.size[0]
        assert max(made.size) == 300
    assert (made.symbol.anatomy.parts == Part.FINDER).sum() == 147


def test_arranging_carries_the_logo_along(store, bay):
    mark = store.add(SVG, "mark.svg", drawings=True)
    ground = store.add(encoded(np.full((700, 1000, 3), 200, np.uint8)))
    quad = ((300.0, 80.0), (820.0, 140.0), (800.0, 600.0), (320.0, 640.0))
    piece = with_logos(Logo(digest=mark, size=0.25), level="H").model_copy(
        update={"layout": Layout(digest=ground, quad=quad)}
    )
    made = Renderer(store).render(piece)
    assert made.size == (1000, 700) and made.arranged
    assert judge_rendering(made, bay).readers_right[0] >= 3
    assert coverage(made).area == pytest.approx(coverage(Renderer(store).render(
        piece.model_copy(update={"layout": Layout()}))).area, rel=0.02)  # fmt: skip
    other = store.add(encoded(np.full((700, 1000, 3), 90, np.uint8)))
    swapped = piece.model_copy(update={"layout": piece.layout.model_copy(update={"digest": other})})
    again = Renderer(store).render(swapped)
    inner = (slice(300, 400), slice(500, 600))
    assert (again.image[inner] == made.image[inner]).all()  # the rest stays
    assert (again.image[5, 5] == 90).all()
