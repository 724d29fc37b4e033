"""Three proposals: what is searched for, what the window and the command line make of it."""

import json
from dataclasses import replace

import numpy as np
import pytest

from conftest import LINK, encoded, photograph
from nimble_tile.core.errors import UserError
from nimble_tile.core.look import Look
from nimble_tile.core.piece import Region, Weave
from nimble_tile.core.places import placed
from nimble_tile.core.project import archive
from nimble_tile.core.render import Renderer
from nimble_tile.core.scan.judging import judge_rendering
from nimble_tile.core.trials.room import Room
from nimble_tile.core.trials.sets import TrialSet, shipped
from nimble_tile.core.tune import bold, confirm, kinds, propose
from nimble_tile.core.tune.ground import PROPOSAL_LABELS, ground_of

FEW = tuple(t for t in shipped() if t.name in ("In the hand", "From the side", "Cheap print"))


@pytest.fixture
def brief(monkeypatch):
    """Searches of a few looks."""
    few = kinds.Effort(own=0, candidates=1, rendered=2, confirmed=1, at_most=3, markings=0)
    monkeypatch.setattr(propose, "EFFORTS", dict.fromkeys(propose.EFFORTS, few))
    monkeypatch.setattr(kinds, "LEVELS_TRIED", (("M", 1, 0.7),))
    monkeypatch.setattr(kinds, "WOVEN_LEVELS", (("M", 1, 0.75),))
    monkeypatch.setattr(confirm, "LARGE", 800)


def test_proposals_hold_and_are_what_they_are_called(photo_piece, store, bay, brief):
    piece = photo_piece("coffee", level="H").edited("finish", size=512)
    found = list(propose.propose(piece, Renderer(store), Room(bay), FEW, 0.8))
    # Each kind shows something before any of them is done.
    first = [one.kind for one in found[: len(PROPOSAL_LABELS)]]
    assert sorted(first) == sorted(PROPOSAL_LABELS)
    assert not any(one.final for one in found[: len(PROPOSAL_LABELS)])
    assert [one.kind for one in found if one.final] == list(propose.TO_THE_END)
    shares = [one.share for one in found]
    assert shares == sorted(shares) and shares[-1] == 1
    last = {one.kind: one for one in found if one.final}
    assert set(last) == set(PROPOSAL_LABELS)
    methods = {kind: one.candidate.piece.blend.method for kind, one in last.items()}
    assert methods["quietest"] == "gentle" and methods["woven"] == "weave"
    assert methods["boldest"] in {way.blend["method"] for way in bold.WAYS}
    for one in last.values():
        assert one.holds and one.candidate.reach >= 0.8 and one.fresh is not None
        made = one.candidate.piece
        assert made.message == piece.message
        # A place was proposed, too, and the piece rendered anew is what was judged.
        region = made.picture.region
        assert region is not None and region.width < 400
        again = Renderer(store).render(made, max(one.candidate.rendering.size))
        assert (again.image == one.candidate.rendering.image).all()
        verdict = judge_rendering(again, bay)
        assert verdict.matches and verdict.readers_right == (4, 4)
        assert one.verdict.scans
    likeness = {kind: one.candidate.fidelity.ssim_view for kind, one in last.items()}
    assert likeness["quietest"] > likeness["boldest"]


def test_where_the_designer_has_put_the_code_it_stays(photo_piece, store):
    renderer, piece = Renderer(store), photo_piece("coffee")
    put = piece.edited("picture", region=Region(x=10, y=20, width=300, height=300))
    assert placed(put, renderer) == put
    region = placed(piece, renderer).picture.region
    assert region.x >= 0 and region.x + region.width <= 600
    with pytest.raises(UserError, match="picture"):
        next(propose.propose(piece.edited("picture", digest=None), renderer, None, FEW))


def test_the_ground_is_what_the_search_does_not_choose(photo_piece):
    piece = photo_piece("coffee")
    same = (
        piece.edited("blend", method="cut", strength=0.2, finders=0.9),
        piece.edited("code", version="9", level="Q", mask=3, steer="padding"),
        piece.edited("blend", weave=Weave(patch=1.3, seed=9)),
        piece.edited("finish", size=900),
    )
    assert all(ground_of(one) == ground_of(piece) for one in same)
    others = (
        piece.edited("message", text="other"), piece.edited("code", quiet_zone=2),
        piece.edited("blend", guarding=0.9), piece.edited("blend", weave=Weave(matter="reed")),
        piece.edited("look", shape="round"), piece.edited("picture", region=Region(
            x=0, y=0, width=200, height=200)),
    )  # fmt: skip
    assert all(ground_of(one) != ground_of(piece) for one in others)


def test_bold_ways_suit_the_picture_but_keep_the_designers_look(photo_piece, store):
    piece, renderer = photo_piece("coffee"), Renderer(store)
    canvas = renderer.canvas(piece, 256)
    made = bold.pieces(piece, canvas)
    assert len({one.blend.method for one in made}) == len(bold.WAYS) == 5
    ink = next(one for one in made if one.blend.method == "ink")
    dark, light = bold.ink_colours(canvas)
    assert (ink.look.fill.colour, ink.look.ground.colour) == (dark, light)
    luma = [np.array([0.299, 0.587, 0.114]) @ _rgb(colour) for colour in (dark, light)]
    assert luma[0] < 70 and luma[1] > 220
    own = piece.model_copy(update={"look": Look(shape="star", ring="leaf")})
    assert all(one.look == own.look for one in bold.pieces(own, canvas))
    # What was chosen here gives way to what suits another method.
    assert bold.pieces(ink, canvas) == made
    # Neither the picture itself nor a grey wash of it is bold.
    strong = renderer.render(made[0].edited("blend", strength=0.8), 400)
    weak = replace(strong, image=np.full_like(strong.image, 128), bare=None)
    assert bold.boldness(strong) > bold.boldness(weak) + 0.3


def _rgb(colour):
    return np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)], float)


@pytest.mark.parametrize("kind", PROPOSAL_LABELS)
def test_neighbours_differ_each_in_its_own_way(kind, photo_piece, store):
    piece = photo_piece("rocket", level="L", version="4", steer="padding")
    piece = piece.edited("picture", region=Region(x=20, y=20, width=250, height=250))
    method = {"quietest": "gentle", "woven": "weave", "boldest": "dots", "light": "light"}[kind]
    piece = piece.edited("blend", method=method)
    near = propose.neighbours(kind, piece, Renderer(store))
    assert len(near) == 3 and len(set(map(str, near))) == 3 and piece not in near
    assert all(one.message == piece.message for one in near)
    changed = {
        rung for one in near for rung in ("code", "picture", "blend", "look")
        if getattr(one, rung) != getattr(piece, rung)
    }  # fmt: skip
    assert len(changed) >= 2
    for one in near:
        Renderer(store).symbol(one)  # each can be made


def test_make_proposes_into_a_folder(tmp_path, monkeypatch, brief):
    from nimble_tile.core.picture.store import PictureStore
    from nimble_tile.core.trials import sets
    from test_cli import run

    monkeypatch.setattr(sets, "own", lambda where=None: TrialSet(FEW))
    picture, folder = tmp_path / "cat.png", tmp_path / "three"
    picture.write_bytes(encoded(photograph("chelsea")))
    made = run("make", "--message", LINK, "--picture", picture, "--propose", folder, "--reach",
               "0.75", "--size", 560, "--json")  # fmt: skip
    assert made.exit_code == 0, made.output
    told = json.loads(made.stdout)
    assert [one["kind"] for one in told["proposals"]] == list(PROPOSAL_LABELS)
    assert told["proposals"][-1]["method"] == "light"
    for one in told["proposals"]:
        assert one["verdict"]["matches"] is True
        assert one["reach"] >= 0.75 and 0 < one["fidelity"]["ssim_view"] < 1
        # The file says the same to a check of its own, and the project holds the piece.
        checked = json.loads(
            run("check", one["out"], "--expect", LINK, "--trials", "--json").stdout
        )
        # Three trials are eleven passes of the usual code: each counts for 0.09.
        assert checked["reach"] == pytest.approx(one["reach"], abs=0.19)
        assert checked["verdict"] == one["verdict"]["verdict"]
        piece = archive.load(folder / f"{one['kind']}.nimbletile", PictureStore())
        assert piece.blend.method == one["method"]
    for options, reason in (
        (["--propose", folder, "--out", tmp_path / "x.png"], "one of them"),
        ([], "one of them"),
        (["--propose", folder, "--gentlest"], "one of them"),
        (["--out", tmp_path / "x.png", "--reach", "0.9"], "--propose"),
        (["--propose", folder], "need a picture"),
    ):
        bad = run("make", "--message", LINK, *options)
        assert bad.exit_code == 2 and reason in bad.output, bad.output
    # What is read is never written over.
    own = folder / "woven.png"
    before = own.read_bytes()
    for option in ("--picture", "--matter"):
        bad = run("make", "--message", LINK, "--picture", picture, "--blend", "weave", option, own,
                  "--propose", folder)  # fmt: skip
        assert bad.exit_code == 2 and own.read_bytes() == before, bad.output


# The window ------------------------------------------------------------------------------


def test_proposals_come_by_themselves_and_one_click_takes_one(
    window, settle, qtbot, brief, monkeypatch, tmp_path
):
    monkeypatch.setattr(type(window.proof.prover), "trials", FEW)
    monkeypatch.setattr(propose, "carries_shade", lambda *_: False)
    window.settings.set("proposals", True)
    path = tmp_path / "cat.png"
    path.write_bytes(encoded(photograph("chelsea")))
    window.message.text.setPlainText(LINK)
    window.files.bring_picture(path)
    qtbot.waitUntil(lambda: window.session.piece.picture.digest is not None)
    window.session.edit("finish", "x", size=512)
    settle(window)
    window.ladder.open(3)
    box, proposing = window.blend.proposals, window.blend_desk.proposing
    assert proposing.running or proposing._timer.isActive()  # whatever rung is open
    box.reach.set_value(0.75)
    box.reach_changed.emit(0.75)
    qtbot.waitUntil(lambda: proposing.running, timeout=10_000)
    assert box.stop.isVisible()
    before = window.session.piece
    qtbot.waitUntil(lambda: not proposing.running, timeout=90_000)
    cards = box.cards
    # Where a picture is too dark to carry shade, that is said.
    assert cards["light"].proposal is None and "too dark" in cards["light"].note
    cards = {kind: card for kind, card in box.cards.items() if kind != "light"}
    assert all(card.proposal.final and card.more.isVisible() for card in cards.values())
    assert not any(card.taken for card in cards.values())
    assert "Scans well" in cards["woven"].accessibleName()
    # A slider is dragged for a while: what the proposals refer to is held by them.
    for step in range(130):
        window.session.edit("blend", "Change strength", "strength", strength=0.3 + step / 300)
    window.session.undo()
    assert window.session.piece == before
    found = [card.proposal.candidate.piece for card in cards.values()]
    assert any(piece.blend.map is not None for piece in found)
    for piece in found:
        archive.save(piece, window.pictures, tmp_path / "proposal.nimbletile")
    # One click takes one, in one step of undo; the others become drafts.
    cards["woven"].click()
    piece = window.session.piece
    assert piece.blend.method == "weave" and cards["woven"].taken
    assert window.session.undo_name == "Take the woven proposal"
    names = [draft.name for draft in window.session.drafts]
    assert len(names) == 2 and {name.split(",")[0] for name in names} == {"Quietest", "Boldest"}
    assert box.passed[0].isVisible()
    assert not proposing.running  # the ground is the same
    # The passed over can be taken, too; taking one twice makes no second draft.
    box.passed[0].click()
    assert window.session.piece.blend.method != "weave"
    cards["woven"].click()
    assert len(window.session.drafts) == 3
    window.session.undo()
    window.session.undo()
    window.session.undo()
    assert window.session.piece == before and not any(card.taken for card in cards.values())
    # Neighbours.
    cards["quietest"].more.click()
    qtbot.waitUntil(lambda: not proposing.running, timeout=90_000)
    thumbs = box.near["quietest"]
    assert all(thumb.proposal is not None and thumb.isVisible() for thumb in thumbs)
    thumbs[0].click()
    near = window.session.piece
    assert near == thumbs[0].proposal.candidate.piece and near.blend.method == "gentle"
    assert near != cards["quietest"].proposal.candidate.piece
    # Once more: what was finished is kept, and it is woven of other patches.
    window.session.undo()
    first, kept = cards["woven"].proposal.candidate.piece, len(window.session.drafts)
    box.again.click()
    assert len(window.session.drafts) > kept and not any(c.proposal for c in cards.values())
    qtbot.waitUntil(lambda: cards["woven"].proposal is not None, timeout=90_000)
    other = cards["woven"].proposal.candidate.piece
    assert other.blend.weave.seed != first.blend.weave.seed
    # The pass asks for no reach of its own.
    window.blend.gentlest.set_open(True)
    assert window.blend.gentlest.find.text() == "Find the gentlest blend that holds 75%"
    # An edit of the ground forgets everything, and calls off what runs.
    assert proposing.running
    window.session.edit("message", "Another text", text="https://lanternwalk.example/gate")
    assert not proposing.running
    assert not any(cell.isEnabled() for cell in box.cells)
    # So does another set of trials.
    qtbot.waitUntil(lambda: proposing.running, timeout=10_000)
    window.proof.prover.use(TrialSet(FEW, ("zxing-cpp", "quirc")))
    assert not proposing.running
    # Folded in, nothing is searched for.
    box.set_open(False)
    qtbot.wait(900)
    assert not proposing.running
    assert window.settings.get("proposals") is False
    box.set_open(True)
    window.session.edit("picture", "No picture", digest=None)
    assert not proposing.running
