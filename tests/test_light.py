"""Light: sun through a pierced screen; and the first sight of a picture."""

import json

import cv2
import numpy as np
import pytest
from skimage.color import rgb2lab

from conftest import LINK, by_tone, encoded, photograph
from nimble_tile import library
from nimble_tile.core.blend import blend, strengths, tone
from nimble_tile.core.blend.light import openings
from nimble_tile.core.blend.plan import Plan
from nimble_tile.core.linear import luminance
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Blend, Code, Light, Message, Picture, Piece
from nimble_tile.core.project import archive
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.tune import first, propose
from outside_reader import zbar_texts
from test_cli import run


def even(tone_=150, module=16, look=None):
    """A plan on a ground of one tone."""
    symbol = encode(Message(kind="link", text=LINK), Code(level="M"))
    side = (symbol.side + 8) * module
    return Plan(
        np.full((side, side, 3), (tone_, tone_ - 20, tone_ - 40), np.uint8), symbol, 4, look
    )


def by_light(strength=0.6, **light):
    return Blend(method="light", strength=strength, light=Light(**light))


def test_shade_and_light_are_one_factor_each_in_linear_light():
    """Of two grounds that differ, both are multiplied alike (IEC 61966-2-1), so that the picture
    under the light stays what it was."""
    plan = even()
    striped = plan.square.copy()
    striped[::2] = (striped[::2] * 0.94).astype(np.uint8)
    made = blend(Plan(striped, plan.symbol, 4), by_light(0.5, fall=0, edge=0, rounding=0))
    body = ~plan.quiet & ~plan.function
    for wanted in (plan.dark, ~plan.dark):
        rows = np.argwhere(body & wanted)[::9]
        found = []
        for row, column in rows:
            part = (slice(row * 16 + 5, row * 16 + 11), slice(column * 16 + 5, column * 16 + 11))
            before, after = (luminance(image[part]).mean(1) for image in (striped, made))
            found.append(after / before)
        found = np.array(found)
        even_rows, odd_rows = found[:, ::2].mean(1), found[:, 1::2].mean(1)
        assert np.abs(even_rows / odd_rows - 1).mean() < 0.06
        assert (found.mean(1) < 0.8).mean() > 0.9 if wanted is plan.dark else found.mean() > 1.05


def test_what_is_lit_is_warm_and_shade_is_blue():
    """By CIELAB's b* of scikit-image, which has no part in it."""
    plan = even()
    pale, warm = (rgb2lab(blend(plan, by_light(warmth=w))) for w in (0, 1))
    body = np.repeat(np.repeat(~plan.quiet & ~plan.function, 16, 0), 16, 1)
    dark = np.repeat(np.repeat(plan.dark, 16, 0), 16, 1)
    shift = warm[..., 2] - pale[..., 2]
    assert shift[body & dark].mean() < -4 and shift[body & ~dark].mean() > 4
    assert np.abs(warm[..., 0] - pale[..., 0])[body].mean() < 4


def test_openings_are_rounded_joined_and_soft():
    plan = even()
    sharp = openings(plan, by_light(edge=0, rounding=0))
    assert set(np.unique(sharp)) == {0.0, 1.0}
    assert np.array_equal(sharp[6::12, 6::12] > 0.5, ~plan.dark)
    soft = openings(plan, by_light(edge=0.4, rounding=0))
    rounded = openings(plan, by_light(edge=0, rounding=1))
    between = [((one > 0.1) & (one < 0.9)).mean() for one in (rounded, soft)]
    assert 0 < between[0] < 0.12 < between[1]
    # A corner between two openings that meet is closed or open, no longer both.
    edges = [cv2.arcLength(c, True) for one in (sharp, rounded) for c in cv2.findContours(
        (one > 0.5).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)[0]]  # fmt: skip
    assert edges


def test_light_ends_in_a_frame_and_leaves_the_picture_beyond():
    plan = even(60)
    made = blend(plan, by_light())
    at = np.arange(plan.side) / 16
    beyond = np.maximum(np.maximum(4 - at, at - 4 - plan.symbol.side)[:, None],
                        np.maximum(4 - at, at - 4 - plan.symbol.side))  # fmt: skip
    assert np.array_equal(made[beyond > 1.8], plan.square[beyond > 1.8])
    assert (made[(beyond > 0.1) & (beyond < 1)].mean(1) > 100).all()


@pytest.mark.parametrize("name", ["camera", "coins", "page"])
def test_light_is_read_on_pictures_that_served_no_tuning(name, bay):
    """Straight on by all four, and by zbar, which has no part in the program."""
    from skimage import data

    store = PictureStore()
    image = np.repeat(getattr(data, name)()[..., None], 3, 2)
    piece = Piece(message=Message(text=LINK), blend=by_light(0.65),
                  picture=Picture(digest=store.add(encoded(image), name), name=name))  # fmt: skip
    made = Renderer(store).render(piece, 640)
    assert judge_rendering(made, bay).readers_right == (4, 4)
    assert LINK in zbar_texts(made.image)


def test_limits_of_tone_are_those_that_its_blend_keeps():
    plan = Plan(photograph("coffee")[:370, :370], even().symbol, 4)
    settings = Blend(strength=0.6)
    strength = strengths(plan, settings)
    floor, ceiling = tone.limits(plan, settings, strength)
    kept = tone.tones(plan, settings, strength)
    assert (kept <= ceiling).all() and (kept >= np.minimum(floor, ceiling)).all()


# The first sight ---------------------------------------------------------------------------


def test_a_dark_picture_carries_no_shade(store):
    for grey, carries in ((40, False), (190, True)):
        digest = store.add(encoded(np.full((300, 300, 3), grey, np.uint8)), "even")
        piece = Piece(message=Message(text=LINK), picture=Picture(digest=digest, name="even"))
        assert propose.carries_shade(piece, Renderer(store)) == carries


def test_a_new_picture_gets_marks_in_a_place_and_what_was_chosen_stays(store):
    digest = store.add(encoded(photograph("astronaut")), "a")
    piece = Piece(message=Message(text=LINK), picture=Picture(digest=digest, name="a"))
    assert first.untouched(Piece(message=piece.message)) and not first.untouched(piece)
    made = first.with_marks(piece)
    assert made.blend.method == "gentle" and made.blend.marks.shape == "disc"
    assert made.code.steer == "padding" and not first.untouched(made)
    micro = piece.edited("code", version="M4", level="L")
    assert first.with_marks(micro).code.steer == "off"
    place = first.place_for(piece, Renderer(store))
    assert place.width < 512 and place.x + place.width <= 512
    assert first.place_for(piece.edited("message", text=""), Renderer(store)) is None


def test_what_is_not_said_in_a_script_is_what_looks_best(tmp_path):
    picture = tmp_path / "p.png"
    picture.write_bytes(encoded(photograph("coffee")))
    told = {
        name: library.make(LINK, picture=picture, **options).piece
        for name, options in {
            "plain": {}, "strength": {"strength": 0.7}, "mode": {"mode": "multiply"},
            "tone": {"blend": "tone"}, "light": {"blend": "light", "strength": 0.65},
        }.items()
    }  # fmt: skip
    blends = {name: (piece.blend.method, piece.blend.strength) for name, piece in told.items()}
    assert blends == {
        "plain": ("gentle", first.STRENGTH), "strength": ("gentle", 0.7),
        "mode": ("overlay", 0.7), "tone": ("tone", 0.7), "light": ("light", 0.65),
    }  # fmt: skip
    assert told["plain"].code.steer == "padding" and told["tone"].code.steer == "off"


def test_a_guess_gives_way_to_what_holds_unless_it_was_edited(window, settle, qtbot, tmp_path):
    from nimble_tile.core.scan.verdict import Verdict
    from nimble_tile.core.tune.candidates import Candidate

    def found(strength):
        piece = window.session.piece.edited("blend", strength=strength)
        rendering = Renderer(window.pictures).render(piece, 200)
        verdict: Verdict = window.answer.verdict
        candidate = Candidate(piece, None, 0.93, verdict.fidelity)
        assert rendering.symbol is not None
        return propose.Proposal("quietest", candidate, verdict, True, True, 0.93, 1.0)

    path = tmp_path / "cat.png"
    path.write_bytes(encoded(photograph("chelsea")))
    window.files.bring_picture(path)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None)
    settle(window)
    assert window.ladder.current_rung == "blend"
    guess, proposing = window.session.piece, window.blend_desk.proposing
    image = window.answer.shown.finished
    early = found(0.44)
    proposing._take_in(proposing._run, early.__class__(**{**vars(early), "final": False}),
                       image, False)  # fmt: skip
    assert window.session.piece == guess  # it is not known yet whether it holds
    proposing._take_in(proposing._run, found(0.45), image, False)
    assert window.session.piece.blend.strength == 0.45
    window.act_undo.trigger()
    assert window.session.piece == guess
    # Undone, it is what the designer wants; edited, it is the designer's.
    proposing._take_in(proposing._run, found(0.46), image, False)
    assert window.session.piece == guess
    proposing.stand_in()
    window.session.edit("blend", "Change the strength", strength=0.61)
    proposing._take_in(proposing._run, found(0.47), image, False)
    assert window.session.piece.blend.strength == 0.61


def test_light_is_set_in_the_window_saved_and_exported(window, settle, qtbot, tmp_path, bay):
    path = tmp_path / "coffee.png"
    path.write_bytes(encoded(photograph("coffee")))
    window.files.bring_picture(path)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None)
    settle(window)
    window.blend.method.chosen.emit("light")
    window.session.edit("blend", "Change the strength", strength=0.7)
    box = window.blend.own
    box.light_warmth.edited.emit(0.9)
    box.light_edge.edited.emit(0.3)
    settle(window)
    own = window.session.piece.blend
    assert own.method == "light" and (own.light.warmth, own.light.edge) == (0.9, 0.3)
    assert window.answer.verdict.readers_right == (4, 4)
    window.act_undo.trigger()
    assert window.session.piece.blend.light.edge == Light().edge
    window.act_redo.trigger()
    project, out = tmp_path / "a.nimbletile", tmp_path / "a.png"
    archive.save(window.session.piece, window.pictures, project)
    made = run("render", project, "--out", out, "--json")
    assert made.exit_code == 0 and json.loads(made.stdout)["verdict"]["matches"] is True
    assert zbar_texts(cv2.imread(str(out))[..., ::-1]) != []


def test_another_picture_in_a_piece_by_tone_stays_by_tone(window, settle, qtbot, tmp_path):
    """Even where its settings are those of a new piece: the designer has seen them."""
    for name in ("coffee", "chelsea"):
        path = tmp_path / f"{name}.png"
        path.write_bytes(encoded(photograph(name)))
        window.files.bring_picture(path)
        qtbot.waitUntil(lambda n=name: window.session.piece.picture.name == f"{n}.png")
        if name == "coffee":
            assert window.session.piece.blend.method == "gentle"
            by_tone(window)
    assert window.session.piece.blend == Blend()
    digest = window.session.piece.picture.digest
    work = library.make(LINK, picture=tmp_path / "coffee.png", blend="tone")
    again = work.changed(picture=tmp_path / "chelsea.png")
    assert again.piece.blend.method == "tone" and again.piece.picture.digest == digest
