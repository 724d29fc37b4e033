"""The local painter: what words choose, and how a code guides a painting."""

import json

import cv2
import numpy as np
import pytest
import segno
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import LINK, encoded, photograph
from nimble_tile.core.errors import Stopped, UserError
from nimble_tile.standins import prompt
from nimble_tile.standins.painter import words
from nimble_tile.standins.painter.colours import PALETTES, TIMES, lightness, scene_colours
from nimble_tile.standins.painter.guide import QUIET
from nimble_tile.standins.painter.media import MEDIUMS
from nimble_tile.standins.painter.paint import chosen, paint
from nimble_tile.standins.painter.scenes import SCENES, THINGS, Asked, composed
from nimble_tile.standins.painting import Guide, Request
from outside_reader import zbar_reads
from test_cli import run

SMALL = {"width": 200, "height": 200, "steps": 6}


def dark_modules():
    code = segno.make(LINK, error="h", micro=False)
    return np.array([[bool(value) for value in line] for line in code.matrix])


def last_of(**changes):
    *_, last = paint(Request(**{**SMALL, **changes}))
    return last.image


# Words -----------------------------------------------------------------------------------


def test_the_vocabulary_is_large_and_every_word_of_it_means_something():
    values = {
        kind: {v for k, v in words.VOCABULARY.values() if k == kind} for kind in words.CLASSES
    }
    assert len(words.CLASSES) == 8 and all(len(found) >= 5 for found in values.values())
    assert len(words.VOCABULARY) >= 150 and sum(map(len, values.values())) >= 140
    assert values["scene"] == set(SCENES) and len(SCENES) >= 20
    assert values["thing"] <= set(THINGS) and values["medium"] == set(MEDIUMS)
    assert values["palette"] == set(PALETTES) and values["time"] == set(TIMES)
    assert values["mood"] == set(words.MOODS) and values["light"] <= set(words.LIGHTS)


def test_a_description_is_understood_word_by_word():
    text = "A misty Mountain lake at dawn, with two swans and old boats; zorps, calm, watercolor"
    said = words.understand(text)
    assert (said.scene, said.time, said.weather, said.medium) == (
        "lake",
        "dawn",
        "fog",
        "watercolour",
    )
    assert said.things == ["swan", "boat"] and said.moods == ["calm"] and said.unknown == ["zorps"]
    assert words.understand("still life by a window").scene == "still life"
    told = [(word.text, word.kind) for word in words.words("night sky over zorps")]
    assert told == [("night sky", "scene"), ("over", ""), ("zorps", "unknown")]


@given(st.text(max_size=200))
@settings(max_examples=60)
def test_no_word_is_passed_over_in_silence(text):
    said = words.understand(text)
    shown = " ".join(word.text for word in words.words(text)).split()
    assert len(shown) == len([p for w in words.words(text) for p in w.text.split()])
    assert all(word == word.lower() for word in said.unknown)


def test_what_is_to_be_avoided_is_not_there():
    request = Request(
        "night sky, deer, boat, calm, snow", "boat, moon, stars, snow, zorps", **SMALL
    )
    what = chosen(request)
    assert what.asked.things == ["deer"] and {"boat", "moon", "stars"} <= what.asked.without
    assert what.weather != "snow" and what.unknown == ["zorps"]
    colours = scene_colours(None, "night")
    bright = [
        (
            composed("night sky", Asked(without=out), colours, 200, 200, 4).image[:120].min(-1)
            > 0.7
        ).sum()
        for out in (set(), {"moon", "stars"})
    ]
    assert bright[1] < 0.1 * bright[0]


# The prompt helper -----------------------------------------------------------------------


@pytest.mark.parametrize("rough", ["heron", "a foggy forest with two deer", "zorps", "still life"])
@pytest.mark.parametrize("seed", [0, 5])
def test_a_keyword_becomes_three_descriptions_that_the_painter_understands(rough, seed):
    made = prompt.descriptions(rough, seed)
    assert len({one.text for one in made}) == 3
    assert [one.text for one in prompt.descriptions(rough, seed)] == [one.text for one in made]
    said = words.understand(rough)
    for one in made:
        # What is written is read again as it was meant, and nothing that was asked for is lost.
        read = words.understand(one.text)
        by = {kind: [p.text for p in one.parts if p.kind == kind] for kind in words.CLASSES}
        assert read.unknown == [] and [read.scene] == by["scene"] and read.things == by["thing"]
        assert [read.medium] == by["medium"] and read.moods == by["mood"]
        assert said.scene in (None, read.scene) and set(said.things) <= set(read.things)
        assert said.weather in (None, read.weather)
        assert all(part.does for part in one.parts)
        assert not {*words.understand(", ".join(one.avoid)).things} & set(read.things)
    assert {one.text for one in prompt.descriptions(rough, seed + 1)} != {o.text for o in made}


def test_every_scene_can_be_described():
    assert set(prompt.BELONGS) == set(SCENES)
    for scene in SCENES:
        text = prompt.descriptions(scene, 3)[0].text
        assert words.understand(text).scene == scene
        assert chosen(Request(text, **SMALL)).scene == scene
    told = json.loads(run("describe", "heron, zorps", "--json").stdout)
    assert len(told["descriptions"]) == 3 and told["unknown"] == ["zorps"]
    assert all(word["does"] for one in told["descriptions"] for word in one["words"])
    assert prompt.explained("calm zorps")[0].does == "less contrast, less colour"


# Scenes ----------------------------------------------------------------------------------


@pytest.mark.parametrize("scene", SCENES)
def test_every_scene_is_composed_otherwise_by_every_seed(scene):
    colours = scene_colours("autumn", "afternoon")
    one, same, other = (
        composed(scene, Asked([], set(), "clear"), colours, 160, 120, seed).image
        for seed in (1, 1, 2)
    )
    assert one.shape == (120, 160, 3) and one.dtype == np.float32
    assert one.min() >= 0 and one.max() <= 1 and np.isfinite(one).all() and one.std() > 0.04
    assert np.array_equal(one, same)
    # Not the same with other noise: masses lie elsewhere.
    masses = [
        cv2.resize(image.mean(-1), (12, 12), interpolation=cv2.INTER_AREA) for image in (one, other)
    ]
    assert np.corrcoef(masses[0].ravel(), masses[1].ravel())[0, 1] < 0.995


@pytest.mark.parametrize("thing", THINGS)
def test_every_thing_that_is_asked_for_is_put_somewhere(thing):
    """In one of the scenes where it belongs."""
    colours = scene_colours(None, "dusk")
    for scene in ("lake", "meadow", "still life", "night sky", "marsh"):
        if thing == "moon" and scene == "night sky":
            continue  # it has one of itself
        with_it, without = (
            composed(scene, Asked(things, out, "cloudy"), colours, 160, 160, 3).image
            for things, out in (([thing], set()), ([], {thing}))
        )
        if np.abs(with_it - without).mean() > 1e-4:
            return
    pytest.fail(f"{thing} is nowhere")


def test_palettes_and_hours_decide_the_light():
    light = [lightness(scene_colours(None, time).low) for time in ("noon", "sunset", "night")]
    assert light == sorted(light, reverse=True)
    reds = [scene_colours(name, "noon").accent for name in ("crimson", "slate")]
    assert reds[0][0] - reds[0][2] > reds[1][0] - reds[1][2]


# Painting --------------------------------------------------------------------------------


@pytest.mark.parametrize("medium", MEDIUMS)
def test_a_painting_grows_towards_its_scene_and_is_the_same_again(medium):
    request = Request(f"harbour at sunset, {medium}", seed=7, **SMALL)
    states = list(paint(request))
    assert [state.step for state in states] == list(range(1, 7)) and states[-1].steps == 6
    assert all(
        state.image.shape == (200, 200, 3) and state.image.dtype == np.uint8 for state in states
    )
    if medium not in ("feathers", "embroidery"):  # which are woven, as "weave" is
        assert np.array_equal(states[-1].image, list(paint(request))[-1].image)
    asked, colours = Asked(weather=chosen(request).weather), scene_colours(None, "sunset")
    scene = composed("harbour", asked, colours, 200, 200, 7).image * 255
    grey = cv2.cvtColor(scene.astype(np.uint8), cv2.COLOR_RGB2GRAY).ravel()
    alike = [
        np.corrcoef(cv2.cvtColor(state.image, cv2.COLOR_RGB2GRAY).ravel(), grey)[0, 1]
        for state in (states[0], states[-1])
    ]
    assert alike[1] > 0.7
    if medium in ("oil", "ink", "watercolour"):  # the others begin with large pieces
        assert alike[1] > alike[0]


def contrast_of(image, dark):
    """Mean difference between light and dark modules, of 255."""
    padded = np.pad(dark, QUIET)
    tones = cv2.resize(cv2.cvtColor(image, cv2.COLOR_RGB2GRAY), padded.shape,
                       interpolation=cv2.INTER_AREA).astype(float)  # fmt: skip
    own = slice(QUIET, -QUIET)
    return tones[own, own][~dark].mean() - tones[own, own][dark].mean()


@pytest.mark.parametrize("words_", ["harbour at sunset", "mountain lake, watercolour"])
def test_the_more_weight_the_more_code(words_):
    dark = dark_modules()
    made = {
        weight: last_of(words=words_, seed=7, width=480, height=480, steps=16,
                        guides=(Guide(dark, weight),) if weight else ())
        for weight in (0, 0.2, 1.2)
    }  # fmt: skip
    found = [contrast_of(image, dark) for image in made.values()]
    assert found == sorted(found) and abs(found[0]) < 12 and found[2] > 70
    # zbar has no part in the program; phones see few pixels of a module.
    seen = {
        weight: cv2.resize(image, (300, 300), interpolation=cv2.INTER_AREA)
        for weight, image in made.items()
    }
    assert zbar_reads(seen[1.2], LINK) and not zbar_reads(seen[0.2], LINK)


def test_a_guide_works_between_its_first_and_last_step_alone():
    dark = dark_modules()
    at = {"words": "hills, noon", "seed": 2, "width": 320, "height": 320, "steps": 10}
    none, early, most, late = (
        contrast_of(
            last_of(**at, guides=(Guide(dark, 0.9, *when),)) if when else last_of(**at), dark
        )
        for when in (None, (0, 0.3), (0, 0.8), (0.95, 1))
    )
    assert none < early < most and late < most
    two = contrast_of(last_of(**at, guides=(Guide(dark, 0.4), Guide(dark, 0.4, 0.3, 0.7))), dark)
    one = contrast_of(last_of(**at, guides=(Guide(dark, 0.4),)), dark)
    assert two > one


def test_it_departs_from_a_picture_as_far_as_it_is_told():
    start = photograph("coffee")
    start = cv2.resize(np.ascontiguousarray(start), (200, 200), interpolation=cv2.INTER_AREA)
    away = [
        np.abs(cv2.GaussianBlur(last_of(words="forest, oil", start=start, depart=depart), (0, 0), 5)
               .astype(float) - cv2.GaussianBlur(start, (0, 0), 5)).mean()
        for depart in (0.0, 0.5, 1.0)
    ]  # fmt: skip
    assert away == sorted(away) and away[0] < 0.4 * away[2]


def test_it_stops_at_once_and_refuses_what_cannot_be():
    asked = []
    steps = paint(Request("lake", **SMALL), lambda: len(asked) > 1)
    with pytest.raises(Stopped):
        for state in steps:
            asked.append(state)
    assert len(asked) == 2
    dark = dark_modules()
    for wrong in (
        lambda: Request(width=20), lambda: Request(height=90_000), lambda: Request(steps=0),
        lambda: Request(depart=2), lambda: Guide(dark, 1.6), lambda: Guide(dark, 0.5, 0.8, 0.2),
    ):  # fmt: skip
        with pytest.raises(UserError):
            wrong()


def test_the_command_line_paints(tmp_path):
    out = tmp_path / "painting.png"
    words_ = "harbour at sunset with zorps"
    made = run("paint", "--words", words_, "--message", LINK, "--weight", 1.2, "--size", 480,
               "--steps", 8, "--seed", 7, "--out", out, "--json")  # fmt: skip
    told = json.loads(made.stdout)
    assert made.exit_code == 0 and told["unknown"] == ["zorps"] and told["verdict"]["matches"]
    assert told["symbol"]["level"] == "H" and told["message"] == LINK
    again = run("check", out, "--expect", LINK, "--json")
    assert json.loads(again.stdout)["verdict"] == told["verdict"]["verdict"]
    plain = run("paint", "--words", "lake", "--size", 200, "--steps", 3, "--out", out, "--json")
    assert plain.exit_code == 0 and json.loads(plain.stdout)["verdict"] is None
    twice = run("paint", "--words", words_, "--message", LINK, "--weight", 1.2, "--size", 480,
                "--steps", 8, "--seed", 7, "--second", "0.4,0.3,0.7", "--out", tmp_path / "2.png",
                "--json")  # fmt: skip
    assert twice.exit_code == 0 and json.loads(twice.stdout)["symbol"] == told["symbol"]
    start = tmp_path / "start.png"
    start.write_bytes(encoded(photograph("coffee")[:100, :100]))
    for wrong in (
        ("--size", 5), ("--steps", 0), ("--begin", 0.9, "--end", 0.2, "--message", LINK),
        ("--start", out.with_name("none.png")), ("--message", ""),
        ("--message", LINK, "--second", "0.4"), ("--message", LINK, "--second", "0.4,0.7,0.3"),
    ):  # fmt: skip
        failed = run("paint", "--words", "lake", "--size", 200, "--out", tmp_path / "x.png", *wrong)
        assert failed.exit_code == 2, wrong
    same = run("paint", "--words", "lake", "--start", start, "--out", start)
    assert same.exit_code == 2 and "input" in same.stderr
    assert run("paint", "--words", "lake", "--out", tmp_path / "x.gif").exit_code == 2
