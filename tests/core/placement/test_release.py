"""Which builds make a release, and what is missing of it."""

from __future__ import annotations

from dataclasses import replace

import pytest

from rampa.core.placement.release import Candidate, check_release, missing
from tests.refusals import refuses

LINUX = Candidate("peatlight#1", ("linux", "northquay"), "1.6.0", "release", True)
WINDOWS = replace(LINUX, name="peatlight#2", line=("windows", "northquay"))


def test_one_version_one_build_a_line() -> None:
    check_release([LINUX, WINDOWS, replace(LINUX, name="peatlight#3", line=("linux", ""))])


@pytest.mark.parametrize(
    ("other", "code", "said"),
    [
        (replace(WINDOWS, version_name="1.5.0"), "release.version", "peatlight#1 is 1.6.0, peatlight#2 is 1.5.0"),
        (replace(WINDOWS, purpose="testing"), "release.purpose", "peatlight#2 is testing"),
        (
            replace(WINDOWS, line=LINUX.line),
            "release.line",
            "peatlight#1 and peatlight#2 are both for Linux on Northquay",
        ),
        (replace(WINDOWS, ready=False), "release.not-ready", "peatlight#2 is not ready"),
    ],
)
def test_what_does_not_belong_together(other: Candidate, code: str, said: str) -> None:
    with refuses(code, said, where="builds"):
        check_release([LINUX, other])


def test_a_release_of_nothing() -> None:
    with refuses("release.empty"):
        check_release([])


def test_what_is_missing() -> None:
    expected = [("linux", "northquay"), ("windows", "northquay"), ("ios", ""), ("linux", "northquay")]
    assert missing(expected, [("linux", "northquay")], [("ios", "")]) == [("windows", "northquay")]
    assert missing([], [], []) == []
