"""Whole pieces with picture work: any recipe renders, files keep it, old and damaged ones open or
are refused with a sentence."""

import io
import json
import zipfile

import numpy as np
import pytest
from click.testing import CliRunner
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from conftest import LINK, encoded, photograph
from nimble_tile.cli import main
from nimble_tile.core.artwork import (
    Curve,
    CutOut,
    Frame,
    Levels,
    Light,
    Posterise,
    Prepare,
    Tiles,
    TwoTone,
)
from nimble_tile.core.blend import METHODS
from nimble_tile.core.errors import PictureError, ProjectError
from nimble_tile.core.picture import masks
from nimble_tile.core.picture.framing import framed_size
from nimble_tile.core.picture.gestures import fitted, on_quad
from nimble_tile.core.picture.placing import corners
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import SCHEMA, Blend, Code, Message, Picture, Piece, Region
from nimble_tile.core.project import archive
from nimble_tile.core.render import Renderer

CAT = encoded(photograph("chelsea"))


@pytest.fixture(scope="module")
def shelf():
    """A store with a picture and a mask over its right half, and their digests."""
    store = PictureStore()
    half = np.zeros(masks.empty((451, 300)).shape, np.uint8)
    half[:, 225:] = 255
    return store, store.add(CAT, "cat"), store.add_mask(half)


frames = st.builds(
    Frame,
    turn=st.sampled_from([0, 90, 180, 270]), flip=st.booleans(), tilt=st.floats(-45, 45),
    crop=st.tuples(*[st.integers(0, 90)] * 4), extend=st.tuples(*[st.integers(0, 120)] * 4),
    edge=st.sampled_from(["mirror", "colour"]),
)  # fmt: skip
recipes = st.builds(
    Prepare,
    light=st.builds(Light, exposure=st.floats(-4, 4), contrast=st.floats(-1, 1),
                    saturation=st.floats(-1, 1)),
    levels=st.builds(Levels, black=st.floats(0, 0.4), white=st.floats(0.6, 1),
                     gamma=st.floats(0.2, 5)),
    curve=st.sampled_from([Curve(), Curve(points=((0, 1), (0.4, 0.3), (1, 0)))]),
    posterise=st.builds(Posterise, on=st.booleans(), levels=st.integers(2, 32)),
    two_tone=st.builds(TwoTone, on=st.booleans(), kind=st.sampled_from(["otsu", "local"]),
                       smoothing=st.floats(0, 0.05)),
    tiles=st.builds(Tiles, on=st.booleans(), across=st.floats(1, 24), gap=st.floats(0, 1),
                    kind=st.sampled_from(["rows", "bricks", "mirrored"])),
)  # fmt: skip


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    frames, recipes, st.sampled_from(list(METHODS)), st.floats(0, 1), st.booleans(),
    st.integers(64, 700), st.floats(-180, 180), st.sampled_from(["lightened", "soft", "plain"]),
)  # fmt: skip
def test_any_recipe_renders(shelf, frame, recipe, method, strength, masked, size, angle, quiet):
    store, digest, mask = shelf
    cut = CutOut(mask=mask, feather=0.01, background=None if masked else "#336699")
    region = Region(x=20, y=20, width=90, height=90, angle=angle)
    framed = framed_size((451, 300), frame)
    picture = Picture(
        digest=digest, frame=frame, prepare=recipe.model_copy(update={"cut_out": cut}),
        guard=mask if masked else None, region=fitted(region, framed), transparent=masked,
    )  # fmt: skip
    blend = Blend(method=method, strength=strength, quiet=quiet)
    piece = Piece(message=Message(text=LINK), picture=picture, blend=blend)
    made = Renderer(store).render(piece, size)
    longer = max(made.image.shape[:2])
    assert longer == size
    assert made.image.shape == made.picture.shape
    assert made.image.dtype == np.uint8
    if made.rgba is not None:
        assert made.rgba.shape[:2] == made.image.shape[:2]
    untouched = piece.edited("blend", strength=0, quiet_strength=0, finders=0)
    plain = Renderer(store).render(untouched, size)
    assert np.array_equal(plain.image, plain.picture)
    assert np.array_equal(plain.picture, made.picture)


def test_a_preview_looks_like_the_export(shelf):
    """Sizes in a recipe are parts of the picture, so a small rendering is the large one shrunk."""
    store, digest, mask = shelf
    recipe = Prepare(
        light=Light(exposure=0.4, saturation=0.3), cut_out=CutOut(mask=mask, feather=0.03),
        tiles=Tiles(on=True, across=2.5, kind="bricks"),
    )  # fmt: skip
    frame = Frame(turn=90, tilt=7, crop=(10, 20, 0, 30), extend=(40, 0, 0, 20))
    piece = Piece(
        message=Message(text=LINK),
        picture=Picture(digest=digest, frame=frame, prepare=recipe, ground="#223344"),
    )
    renderer = Renderer(store)
    large, small = renderer.canvas(piece, 900), renderer.canvas(piece, 300)
    import cv2

    shrunk = cv2.resize(large, small.shape[1::-1], interpolation=cv2.INTER_AREA)
    assert np.abs(shrunk.astype(int) - small).mean() < 6


def test_everything_comes_back_from_a_file(shelf, tmp_path):
    store, digest, mask = shelf
    quad = np.array([[60, 40], [300, 70], [280, 250], [70, 240]], float)
    picture = Picture(
        digest=digest, name="cat.png", guard=mask, whole_pixels=True, transparent=True,
        frame=Frame(flip=True, crop=(4, 5, 6, 7)), region=on_quad(quad),
        prepare=Prepare(cut_out=CutOut(mask=mask), curve=Curve(points=((0, 0.1), (1, 0.9)))),
    )  # fmt: skip
    piece = Piece(message=Message(text=LINK), picture=picture, blend=Blend(method="grain"))
    path = tmp_path / "a.nimbletile"
    archive.save(piece, store, path)
    other = PictureStore()
    assert archive.load(path, other) == piece
    assert np.array_equal(other.mask(mask), store.mask(mask))
    first, second = (Renderer(s).render(piece, 500).image for s in (store, other))
    assert np.array_equal(first, second)
    assert np.allclose(corners(archive.load(path, other).picture.region), quad)


def rewritten(path, change, leave_out=()):
    """A project file with its document changed, or members left out or changed."""
    made = io.BytesIO()
    with zipfile.ZipFile(path) as old, zipfile.ZipFile(made, "w") as new:
        for name in old.namelist():
            if name in leave_out:
                continue
            data = old.read(name)
            if name == "piece.json":
                document = json.loads(data)
                change(document)
                data = json.dumps(document)
            new.writestr(name, data)
    path.write_bytes(made.getvalue())
    return path


@pytest.fixture
def saved(shelf, tmp_path):
    store, digest, mask = shelf
    picture = Picture(digest=digest, guard=mask, region=Region(x=50, y=20, width=200, height=200))
    path = tmp_path / "b.nimbletile"
    archive.save(Piece(message=Message(text=LINK), picture=picture), store, path)
    return path, mask


@pytest.mark.parametrize("schema", [1, 2])
def test_older_files_open_as_they_were(saved, schema):
    path, mask = saved

    def older(document):
        piece = document["piece"]
        document["schema"] = piece["schema"] = schema
        picture = piece["picture"]
        piece["picture"] = {key: picture[key] for key in ("digest", "name", "ground")}
        piece["picture"]["region"] = {"x": 50, "y": 20, "width": 200, "height": 200}
        piece["blend"] = {"method": "overlay", "strength": 0.6}
        if schema == 1:
            del piece["look"]
            piece["code"] = {"level": "M"}
            piece["message"] = {"kind": "link", "text": LINK}

    store = PictureStore()
    piece = archive.load(rewritten(path, older, (f"pictures/{mask}",)), store)
    assert piece.schema_version == SCHEMA
    assert piece.picture.region == Region(x=50, y=20, width=200, height=200)
    assert piece.picture.frame == Frame()
    assert (piece.blend.method, piece.blend.strength) == ("overlay", 0.6)
    assert not piece.picture.whole_pixels
    made = Renderer(store).render(piece, 451)
    assert (made.box.x, made.box.y, made.box.width) == (50, 20, 200)


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda d: d["piece"]["picture"].update(guard="f" * 64), "picture of it is missing"),
        (lambda d: d["piece"]["picture"].update(guard="../../etc"), "setting"),
        (lambda d: d["piece"]["picture"]["region"].update(angle=1e9), "setting"),
        (lambda d: d["piece"]["picture"]["region"].update(width=float("1e308")), "setting"),
        (lambda d: d["piece"]["picture"]["frame"].update(crop=[-5, 0, 0, 0]), "setting"),
        (lambda d: d["piece"]["picture"]["frame"].update(turn=45), "setting"),
        (lambda d: d["piece"]["picture"]["prepare"]["curve"].update(points=[[0, 0]]), "setting"),
        (lambda d: d["piece"]["blend"].update(method="magic"), "setting"),
        (lambda d: d.update(schema=SCHEMA + 1), "newer version"),
    ],
)
def test_impossible_files_are_refused_with_a_sentence(saved, change, told):
    path, _ = saved
    store = PictureStore()
    with pytest.raises(ProjectError, match=told):
        archive.load(rewritten(path, change), store)


def test_a_mask_of_any_kind_of_picture_does_no_harm(shelf, tmp_path):
    """A hostile file may name a photograph as its mask, of another size and in colour."""
    store, digest, _ = shelf
    strange = store.add(encoded(photograph("coffee")), "not a mask")
    picture = Picture(digest=digest, guard=strange, prepare=Prepare(cut_out=CutOut(mask=strange)))
    piece = Piece(message=Message(text=LINK), picture=picture)
    assert Renderer(store).render(piece, 400).image.shape == (266, 400, 3)


def test_places_that_no_longer_fit_say_so(shelf):
    store, digest, _ = shelf
    far = Region(x=400, y=0, width=100, height=100)
    piece = Piece(message=Message(text=LINK), picture=Picture(digest=digest, region=far))
    with pytest.raises(PictureError, match="reaches beyond the picture, which has 451 × 300"):
        Renderer(store).render(piece)
    folded = Region(x=100, y=50, width=100, height=100, bend=((0, 0), (0, 0), (-0.9, -0.9), (0, 0)))
    with pytest.raises(PictureError, match="crossed or folded"):
        Renderer(store).render(piece.edited("picture", region=folded))
    cropped = piece.edited("picture", region=None, frame=Frame(crop=(300, 0, 150, 0)))
    with pytest.raises(PictureError, match="crop leaves less"):
        Renderer(store).render(cropped)


@pytest.mark.parametrize("method", list(METHODS))
def test_the_command_line_knows_every_method(method, tmp_path):
    picture = tmp_path / "cat.png"
    picture.write_bytes(CAT)
    out = tmp_path / "out.png"
    result = CliRunner().invoke(
        main,
        ["make", "--message", LINK, "--picture", str(picture), "--blend", method, "--size", "700",
         "--out", str(out), "--json"],
    )  # fmt: skip
    assert result.exit_code == 0, result.output
    told = json.loads(result.stdout)
    assert told["verdict"]["matches"] is True
    assert 0 < told["fidelity"]["ssim_view"] < 0.6
    with Image.open(out) as image:
        assert max(image.size) == 700


def test_an_unknown_method_is_told_in_one_line(tmp_path):
    result = CliRunner().invoke(
        main, ["make", "--message", "x", "--blend", "magic", "--out", str(tmp_path / "a.png")]
    )
    assert result.exit_code == 2
    assert "--blend magic" in result.stderr
    assert len(result.stderr.strip().splitlines()) == 1


def test_levels_of_code_and_picture_are_kept_apart(shelf):
    """Another message on the same picture does not prepare the picture again."""
    store, digest, mask = shelf
    recipe = Prepare(cut_out=CutOut(mask=mask), light=Light(exposure=1))
    piece = Piece(message=Message(text=LINK), picture=Picture(digest=digest, prepare=recipe))
    renderer = Renderer(store)
    first = renderer.render(piece, 500)
    second = renderer.render(piece.edited("message", text=LINK + "x"), 500)
    third = renderer.render(piece.edited("code", level="H"), 500)
    assert first.picture is second.picture is third.picture
    assert isinstance(Code(), Code)
