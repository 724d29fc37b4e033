"""What is offered to a piece that scans badly helps it; tried on pieces of all kinds."""

import itertools

import numpy as np
import pytest

from conftest import encoded, photograph
from nimble_tile.core.additions import Logo, Logos
from nimble_tile.core.checking.check import check
from nimble_tile.core.look import Fill, Look
from nimble_tile.core.picture.placing import Box
from nimble_tile.core.piece import Blend, Code, Finish, Message, Picture, Piece
from nimble_tile.core.render import Renderer
from nimble_tile.core.rendering import plain_code
from nimble_tile.core.scan.afar import LEAST_MODULE
from nimble_tile.core.scan.framed import seen_at
from nimble_tile.core.scan.judging import Given, judge
from nimble_tile.core.scan.readers import to_grey
from nimble_tile.core.scan.remedies import REMEDIES
from nimble_tile.core.symbol.encode import encode
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import shipped
from nimble_tile.core.tune.proving import prove
from outside_reader import zbar_texts

OTHER = "https://lanternwalk.example/tickets/redshank"
FEW = tuple(t for t in shipped() if t.name in ("In the hand", "Cheap print"))

FAINT = {"tone": 0.22, "overlay": 0.2, "dots": 0.25, "cut": 0.18, "grain": 0.22, "ink": 0.18,
         "strokes": 0.22, "gentle": 0.28, "weave": 0.15}  # fmt: skip


def bad_pieces(store):
    """Pieces of all kinds, most of which scan badly; on pictures that nothing was tuned on."""

    def picture(name):
        image = np.ascontiguousarray(photograph(name)[:400, :400])
        return Picture(digest=store.add(encoded(image), name), name=name)

    def piece(**parts):
        return Piece(message=Message(text=OTHER), **{"finish": Finish(size=420), **parts})

    names = ("astronaut", "retina", "immunohistochemistry")
    for (method, strength), name in itertools.product(FAINT.items(), names):
        yield piece(picture=picture(name), blend=Blend(method=method, strength=strength))
    for mode, name in itertools.product(
        ("soft-light", "overlay", "color-burn", "screen"), names[::2]
    ):
        blend = Blend(method="overlay", mode=mode, strength=1)
        yield piece(picture=picture(name), blend=blend)
    looks = (
        Look(shape="round", size=0.45, ring="round", eye="round"),
        Look(shape="round", size=0.5, ring="modules", eye="modules", jitter=1),
        Look(fill=Fill(colour="#ffffff"), ground=Fill(colour="#102030")),
        Look(fill=Fill(colour="#e8e0d0"), ground=Fill(colour="#30506a"), shape="round"),
        Look(fill=Fill(colour="#d8c090"), ground=Fill(colour="#e0d0b0")),
    )
    for look in looks:
        yield piece(look=look, code=Code(level="L"))
    held = np.zeros((400, 400), np.uint8)
    held[80:320, 80:320] = 255
    guarded = picture("astronaut").model_copy(update={"guard": store.add_mask(held)})
    yield piece(picture=guarded, blend=Blend(strength=1, guarding=1))
    yield piece(picture=picture("retina"), blend=Blend(strength=0.8, finders=0))
    yield piece(picture=picture("astronaut"), blend=Blend(strength=0.8, quiet_strength=0))
    mark = store.add(encoded(np.full((300, 300, 3), (180, 40, 40), np.uint8)), "mark")
    for size, level in ((0.4, "M"), (0.55, "M"), (0.45, "L")):
        logos = Logos(items=(Logo(digest=mark, name="mark", size=size),))
        yield piece(code=Code(level=level), logo=logos)


def test_what_is_offered_helps_and_what_cannot_be_raised_is_not_offered(store, bay):
    """Over forty failing pieces: with the remedy there is more spare, more reach, or more readers
    read it."""
    renderer, room = Renderer(store), Room(bay)
    failing = offered = 0
    for piece in bad_pieces(store):
        before = prove(piece, renderer, room, FEW)
        if before.verdict.state == "well":
            continue
        failing += 1
        spare, right = before.verdict.spare or 0, before.verdict.readers_right[0]
        texts = {reason.way_out for reason in before.verdict.reasons}
        for text in texts & {remedy.text for remedy in REMEDIES}:
            made = [m for r in REMEDIES if r.text == text and (m := r.made(piece)) is not None]
            assert made, (text, piece.blend)  # it can be done at all
            offered += 1
            found = [prove(one, renderer, room, FEW) for one in made]
            assert any(
                (after.verdict.spare or 0) > spare + 0.01
                or (after.reach or 0) > (before.reach or 0) + 0.01
                or after.verdict.readers_right[0] > right
                for after in found
            ), (text, piece.blend, piece.look, before.verdict.reasons)
    assert failing >= 40 and offered >= 0.8 * failing


@pytest.mark.parametrize("look", [{}, {"shape": "round", "size": 0.45, "ring": "round"}])
def test_a_code_without_a_picture_is_never_told_to_raise_its_strength(store, bay, look):
    piece = Piece(message=Message(text=OTHER), look=Look(**look), finish=Finish(size=300))
    found = prove(piece, Renderer(store), Room(bay), shipped()[:6])
    assert not any("strength" in reason.way_out for reason in found.verdict.reasons)
    assert "strength" not in found.verdict.helps


# From afar -----------------------------------------------------------------------------------


def fine_picture(module=24, quiet=4):
    """A code whose modules are grounds of little difference under a pattern of much."""
    symbol = encode(Message(text=OTHER), Code(level="Q"))
    code = plain_code(symbol, quiet, (symbol.side + 2 * quiet) * module)[..., 0].astype(np.float32)
    ground = 92 + (code > 127) * 78.0
    y, x = np.mgrid[: code.shape[0], : code.shape[1]]
    tiles = np.where(((x // 4) + (y // 4)) % 2 == 0, 85.0, -85.0)
    noise = np.random.default_rng(3).normal(0, 30, code.shape)
    grey = np.clip(ground + tiles + noise, 0, 255).astype(np.uint8)
    return np.repeat(grey[..., None], 3, 2), symbol


def test_fine_detail_is_no_reason_to_call_a_code_unreadable(bay):
    """Readers see it from afar alone, as phones do; zbar, which has no part in it, too."""
    image, symbol = fine_picture()
    assert all(not outcome.readings for outcome in bay.read(seen_at(image, 1036)[0]))
    found = check(image, bay, OTHER).verdict
    assert found.state == "thin" and found.matches and found.readers_right[0] >= 3
    assert LEAST_MODULE <= found.afar <= 6.5
    assert "fine detail" in found.reasons[0].text and found.reasons[0].way_out
    assert [code.text for code in found.found] == [OTHER]
    small, _ = seen_at(image, round((symbol.side + 8) * 4))
    assert zbar_texts(small) == [OTHER]
    # The same where its place is known, as for a file that was exported.
    side = image.shape[0]
    placed = judge(to_grey(image), bay, Given(OTHER, symbol, Box(0, 0, side, side)))
    assert placed.state == "thin" and placed.afar == pytest.approx(found.afar, abs=1)
    assert placed.spare > 0.5  # as it is seen from there


def test_where_nothing_is_no_look_from_afar_finds_anything(bay):
    for name in ("astronaut", "retina"):
        found = judge(to_grey(photograph(name)), bay)
        assert found.state == "fails" and found.afar is None and not found.found
