"""The checks that gate a placement."""

from __future__ import annotations

from dataclasses import replace

import pytest

from rampa.core.check.findings import blocks
from rampa.core.check.placement import PlacementCandidate, Standing, check_placement
from rampa.core.content.tree.tree import FileEntry, Tree
from rampa.core.platform.table import PLATFORMS

NOTHING = Standing(None, "")


def tree(*paths: str) -> Tree:
    return Tree(tuple(FileEntry(p, 0, True, bytes(32), ()) for p in sorted(paths)))


GOOD = PlacementCandidate(
    True, PLATFORMS["linux"], 5, "bin/peatlight", "ab", {"base": tree("bin/peatlight", "data/x")}, ()
)
WINDOWS = replace(GOOD, platform=PLATFORMS["windows"])


CASES = [
    (replace(GOOD, ready=False), NOTHING, [("blocker", "build.not-ready")]),
    (replace(GOOD, signed_by=""), NOTHING, [("blocker", "bundle.unsigned")]),
    (GOOD, Standing(5, "peatlight#1"), [("blocker", "version.not-rising")]),
    (GOOD, Standing(9, "peatlight#1"), [("blocker", "version.not-rising")]),
    (replace(GOOD, launch="bin/none"), NOTHING, [("blocker", "launch.missing")]),
    (replace(GOOD, depots=GOOD.depots | {"more": tree("data/x")}), NOTHING, [("blocker", "depot.overlap")]),
    (replace(GOOD, depots=GOOD.depots | {"more": tree("data/X")}), NOTHING, [("warning", "path.case")]),
    (replace(WINDOWS, depots=GOOD.depots | {"more": tree("Data/y")}), NOTHING, [("blocker", "path.case")]),
    (replace(GOOD, depots=GOOD.depots | {"more": tree("data/aux.txt")}), NOTHING, []),
    (
        replace(WINDOWS, depots=GOOD.depots | {"more": tree("data/aux.txt")}),
        NOTHING,
        [("blocker", "path.reserved")],
    ),
    (replace(WINDOWS, depots=GOOD.depots | {"more": tree("data/who?")}), NOTHING, [("blocker", "path.reserved")]),
    (
        replace(WINDOWS, depots=GOOD.depots | {"more": tree("x/" * 130 + "y")}),
        NOTHING,
        [("blocker", "path.too-long")],
    ),
    (replace(WINDOWS, depots=GOOD.depots | {"more": tree("dot./y")}), NOTHING, [("blocker", "path.reserved")]),
    (replace(GOOD, undelivered=("data/z",)), NOTHING, [("warning", "depot.none")]),
]


def codes(build: PlacementCandidate, standing: Standing = NOTHING) -> list[tuple[str, str]]:
    found = check_placement(build, standing)
    assert all(f.message and f.hint for f in found), "a finding always says what to do"
    return [(f.severity, f.code) for f in found]


def test_a_good_build_passes() -> None:
    assert codes(GOOD) == []
    assert codes(GOOD, Standing(4, "peatlight#1")) == []


@pytest.mark.parametrize(("build", "standing", "expected"), CASES)
def test_each_rule(build: PlacementCandidate, standing: Standing, expected: list[tuple[str, str]]) -> None:
    assert codes(build, standing) == expected
    assert blocks(check_placement(build, standing)) == any(s == "blocker" for s, _ in expected)


def test_a_launch_entry_must_be_executable_where_that_counts() -> None:
    plain = Tree((FileEntry("bin/peatlight", 0, False, bytes(32), ()),))
    assert codes(replace(GOOD, depots={"base": plain})) == [("blocker", "launch.not-executable")]
    assert codes(replace(WINDOWS, depots={"base": plain})) == []


def test_blockers_come_first_and_many_are_counted() -> None:
    many = tree(*(f"data/{name}{i}" for i in range(9) for name in ("fog", "FOG")))
    found = check_placement(replace(WINDOWS, undelivered=("a",), depots={"base": many}), NOTHING)
    assert [f.severity for f in found] == sorted(f.severity for f in found)
    assert "(one of 9)" in next(f for f in found if f.code == "path.case").message
