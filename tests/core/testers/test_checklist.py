"""Checklists: what a file says, and the place of each mistake; sign-offs: their life, and what they come to."""

from __future__ import annotations

from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.errors import Invalid
from rampa.core.testers.checklist import ANY, LARGEST, order, read_checklists
from rampa.core.testers.sign_off import (
    TRANSITIONS,
    PointVerdict,
    SignedOff,
    SignOffEvent,
    SignOffState,
    Tick,
    check_ticks,
    failures,
    must_be_whole,
    signed_by,
)
from rampa.core.transitions import advance
from tests.refusals import refuses
from tests.testing import CHECKLISTS

PASSED, FAILED = PointVerdict.PASSED, PointVerdict.FAILED


def test_a_file_and_whom_its_lists_are_for() -> None:
    night, pocket = read_checklists(CHECKLISTS)
    assert (night.title, [p.name for p in night.points]) == ("One night on the bog", ["title-screen", "fog", "thaw"])
    assert night.points[0].text == {
        "en": "Alder Halt shows within five seconds.",
        "fi": "Alder Halt näkyy viidessä sekunnissa.",
    }
    assert (night.points[1].text, night.points[1].picture) == ({ANY: "The fog at Marrow Bend hides the wagons."}, True)
    assert [night.is_for("linux", purpose) for purpose in ("release", "testing", "development")] == [True, True, False]
    assert (night.is_for("ios", "release"), pocket.is_for("ios", "release"), pocket.is_for("linux", "x")) == (
        False,
        True,
        False,
    )
    assert [p.name for p in order(night.points, {"thaw"})] == ["thaw", "title-screen", "fog"]


POINT = '[[checklists.night.points]]\nname = "fog"\ntext = "x"\n'


@pytest.mark.parametrize(
    ("text", "where", "said"),
    [
        ("checklists = 3", "checklists", "is a table of at most 50"),
        ("[checklist.night]", "checklists.toml", "has no 'checklist'"),
        ("[checklists.Night]", "checklists.Night", "small letters"),
        ("checklists.night = 3", "checklists.night", "is a table"),
        ("[checklists.night]", "checklists.night.points", "is 1 to 200 points"),
        ("[checklists.night]\npoints = [3]", "checklists.night.points[1]", "is a table with a name"),
        ("[checklists.night]\nplatform = 'x'\n" + POINT, "checklists.night", "has no 'platform'"),
        ("[checklists.night]\nplatforms = ['kiln']\n" + POINT, "checklists.night.platforms", "names 'kiln'"),
        ("[checklists.night]\npurposes = 'x'\n" + POINT, "checklists.night.purposes", "is a list"),
        ("[checklists.night]\ntitle = ''\n" + POINT, "checklists.night.title", "is a text"),
        (POINT + POINT, "checklists.night.points", "names 'fog' twice"),
        (POINT.replace('"fog"', "3"), "checklists.night.points[1].name", "small letters"),
        (POINT + "picture = 'yes'", "checklists.night.points[1].picture", "true or false"),
        (POINT.replace('"x"', '{ english = "x" }'), "checklists.night.points[1].text", "'english' is none"),
        (POINT.replace('"x"', "{ en = 3 }"), "checklists.night.points[1].text.en", "is a text"),
    ],
)
def test_each_mistake_has_its_place(text: str, where: str, said: str) -> None:
    with pytest.raises(Invalid, match=said.replace("[", r"\[")) as caught:
        read_checklists(text)
    assert (caught.value.code, caught.value.where) == ("checklists.invalid", where)


def test_what_is_no_toml_and_what_is_too_large() -> None:
    with refuses("checklists.toml", "at line 2, column"):
        read_checklists("[checklists.night]\npoints = = 3")
    with refuses("checklists.large"):
        read_checklists("#" * (LARGEST + 1))


@given(st.text(max_size=120))
def test_any_text_is_read_or_refused(text: str) -> None:
    with suppress(Invalid):
        assert read_checklists(f"[checklists.night]\n{text}")


def test_a_word_needs_every_point_what_was_seen_and_the_picture_that_is_asked_for() -> None:
    night = read_checklists(CHECKLISTS)[0]
    seen = [
        Tick("title-screen", PASSED),
        Tick("fog", PASSED, pictures=("a",)),
        Tick("thaw", FAILED, "The gate stays shut."),
    ]
    must_be_whole(night, seen)
    with refuses("sign-off.open", "1 point is not ticked yet: thaw"):
        must_be_whole(night, seen[:2])
    with refuses("sign-off.note", "say what you saw at thaw"):
        must_be_whole(night, [*seen[:2], Tick("thaw", FAILED, " ")])
    with refuses("sign-off.picture", "fog asks for a picture"):
        must_be_whole(night, [seen[0], Tick("fog", PASSED), seen[2]])
    for wrong, code in (
        ([Tick("kiln")], "sign-off.point"),
        ([Tick("fog"), Tick("fog")], "sign-off.point"),
        ([Tick("fog", pictures=("a",) * 7)], "sign-off.pictures"),
    ):
        with refuses(code):
            check_ticks(night, wrong)


def test_every_state_with_every_event() -> None:
    expected = {
        ("unfinished", "save"): "unfinished",
        ("unfinished", "finish"): "finished",
        ("finished", "reopen"): "unfinished",
    }
    for state in SignOffState:
        for event in SignOffEvent:
            after = expected.get((state, event))
            if after is None:
                with refuses("state.conflict"):
                    advance(TRANSITIONS, state, event, "it")
            else:
                assert advance(TRANSITIONS, state, event, "it") == after


def test_who_counts_has_finished_every_list_with_nothing_failed() -> None:
    said = [
        SignedOff("Kaisa", "night", ()),
        SignedOff("Kaisa", "pocket", ()),
        SignedOff("Onni", "night", ()),
        SignedOff("Vendla", "night", ("fog",)),
        SignedOff("Vendla", "pocket", ()),
    ]
    assert signed_by(["night", "pocket"], said) == ("Kaisa",)
    assert signed_by(["night"], said) == ("Kaisa", "Onni")
    assert signed_by([], said) == ()
    assert failures(said) == {"fog": ("Vendla",)}
