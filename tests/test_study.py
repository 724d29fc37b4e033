"""What is known of a piece besides its image: remembered, complete, and safe."""

import json
import zipfile

import numpy as np
import pytest

from conftest import LINK, encoded, photograph
from nimble_tile.core.details import Contact, Number
from nimble_tile.core.errors import PictureError, ProjectError
from nimble_tile.core.look import Fill, Look
from nimble_tile.core.message import kinds
from nimble_tile.core.picture.store import PictureStore
from nimble_tile.core.piece import Code, Message, Piece
from nimble_tile.core.project import archive
from nimble_tile.core.render import Renderer
from nimble_tile.core.study import Student


def student(store=None):
    return Student(Renderer(store or PictureStore()))


def test_a_study_holds_all_and_is_remembered_by_what_it_reads():
    look = Look(shape="fused", fill=Fill(colour="#203040"))
    piece = Piece(message=Message(text=LINK), look=look)
    knows = student()
    first = knows.study(piece)
    assert first.density.version == first.symbol.version
    assert first.contrast.dark == "#203040" and first.finders.good
    assert set(first.views) == {"protanopia", "deuteranopia", "tritanopia"}
    assert all(view.shape == (144, 144, 3) for view in first.views.values())
    # Another strength reads nothing of this; another colour reads all but the density.
    same = knows.study(piece.edited("blend", strength=0.2))
    assert same.density is first.density and same.finders is first.finders
    other = knows.study(piece.edited("look", fill=Fill(colour="#302010")))
    assert other.density is first.density and other.finders is not first.finders


def test_what_does_not_fit_still_gets_offers_and_nothing_gets_nothing():
    long = Piece(message=Message(text="https://a.example/?utm_source=" + "b" * 3000))
    found = student().study(long)
    assert found.symbol is None and found.contrast is None
    assert any(offer.label.startswith("Leave the campaign tags") for offer in found.offers)
    assert student().study(Piece()).offers == ()


@pytest.mark.parametrize("version", ["M2", "M4", "1", "7", "40"])
def test_every_size_of_symbol_can_be_studied(version):
    piece = Piece(
        message=Message(kind="raw", text="1234567"),
        code=Code(version=version, level="L", quiet_zone=0),
        look=Look(shape="star", jitter=0.4, ring="modules", ground=None),
    )
    found = student().study(piece)
    assert len({line.finder for line in found.finders.lines}) == (1 if version[0] == "M" else 3)
    assert found.contrast.clear and found.contrast.grade == "A"


def test_a_look_whose_picture_is_missing_says_so():
    gone = Look(fill=Fill(kind="picture", digest="0" * 64))
    with pytest.raises(PictureError, match="missing"):
        student().study(Piece(message=Message(text=LINK), look=gone))


def test_projects_carry_forms_looks_and_all_their_pictures(tmp_path, store):
    digest = store.add(encoded(photograph("coffee")), "coffee")
    message = kinds.compose(
        Contact(given="Ada", phones=(Number(number="+44 1632 960983"),), note="a\nb")
    )
    look = Look(
        name="Mine", ring="picture", finder_picture=digest,
        ground=Fill(kind="picture", digest=digest, name="coffee.png", tile=0.5),
    )  # fmt: skip
    piece = Piece(message=message, look=look)
    path = tmp_path / "a.nimbletile"
    archive.save(piece, store, path)
    fresh = PictureStore()
    assert archive.load(path, fresh) == piece
    assert np.array_equal(
        Renderer(fresh).render(piece, 300).image, Renderer(store).render(piece, 300).image
    )
    # Without its picture, or with a form of another kind, it is refused as a whole.
    with zipfile.ZipFile(path) as whole:
        document = json.loads(whole.read("piece.json"))
    for change, says in (
        (lambda d: None, "a picture of it is missing"),
        (lambda d: d["piece"]["message"].update(kind="wifi"), "not possible"),
        (lambda d: d["piece"]["look"].update(size=3), "not possible"),
        (lambda d: d["piece"]["message"]["details"].update(given="x" * 9000), "not possible"),
    ):
        changed = json.loads(json.dumps(document))
        change(changed)
        bad = tmp_path / "bad.nimbletile"
        with zipfile.ZipFile(bad, "w") as written:
            written.writestr("piece.json", json.dumps(changed))
        empty = PictureStore()
        with pytest.raises(ProjectError, match=says):
            archive.load(bad, empty)
        assert digest not in empty


def test_another_colour_traces_no_path_anew_and_changes_nothing_in_tone(store):
    """On the way from an edit to the picture only what reads the edit is done again."""
    from nimble_tile.core.piece import Blend, Picture
    from nimble_tile.core.symbol.looks import drawing

    renderer = Renderer(store)
    symbol = renderer.symbol(Piece(message=Message(text=LINK)))

    def modules(**look):
        layers = drawing(symbol, Look(**look), 4).layers
        return next(layer for layer in layers if layer.role == "modules")

    first = modules(shape="fused", fill=Fill(colour="#102030"))
    again = modules(shape="fused", fill=Fill(kind="linear"), ground=None, name="Mine")
    assert again.path is first.path and again.fill != first.fill
    assert modules(shape="fused", size=0.9).path is not first.path

    digest = store.add(encoded(photograph("coffee")), "coffee")
    piece = Piece(
        message=Message(text=LINK), picture=Picture(digest=digest), look=Look(shape="round"),
        blend=Blend(colours="picture"),
    )  # fmt: skip
    before = renderer.render(piece, 400)
    other = renderer.render(piece.edited("look", fill=Fill(colour="#102030")), 400)
    assert other.image is before.image  # tone reads no colour then
    assert other.look.fill.colour == "#102030"  # though the piece has it
    laid = piece.model_copy(update={"blend": Blend(method="overlay", strength=0.8)})
    one = renderer.render(laid, 400)
    two = renderer.render(laid.edited("look", fill=Fill(colour="#804020")), 400)
    assert not np.array_equal(one.image, two.image)
    # What a colour gave before another one was tried comes back to the bit.
    assert np.array_equal(renderer.render(laid, 400).image, one.image)


def test_study_gives_every_mask_and_colours_for_every_grade():
    look = Look(fill=Fill(colour="#8898a8"), ground=Fill(colour="#d0d8e0"))
    found = student().study(Piece(message=Message(text=LINK), look=look))
    assert set(found.masks) == set(found.symbol.penalties) == set(range(8))
    assert np.array_equal(found.masks[found.symbol.mask], found.symbol.dark)
    assert found.contrast.grade > "C" and set(found.better) == set("ABC")
    for grade, offers in found.better.items():
        assert offers
        for offer in offers:
            again = student().study(Piece(message=Message(text=LINK), look=offer.look))
            assert again.contrast.grade <= grade
