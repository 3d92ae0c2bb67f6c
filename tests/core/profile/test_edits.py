"""Edits of the text, and merging two people's: every other byte stays."""

from __future__ import annotations

import difflib
import tomllib

import pytest
from demo.peatlight.documents import EVERYWHERE, hurried
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.check.profile import check_document
from rampa.core.errors import Refused
from rampa.core.profile.document import read_document
from rampa.core.profile.edits import Edit, apply_edit, apply_edits
from rampa.core.profile.text_changes import difference, merge
from tests.refusals import refuses


def changed_lines(old: str, new: str) -> list[str]:
    return [line for line in difflib.ndiff(old.splitlines(), new.splitlines()) if line[0] in "+-"]


@pytest.mark.parametrize(
    ("path", "value", "lines"),
    [
        (("version", "name"), "1.6.0", ['- name = "1.5.0"', '+ name = "1.6.0"']),
        (("content", "units"), ("a",), None),
        (
            ("profiles", "visor-release", "content", "compression"),
            4,
            ["+ content.compression = 4"],
        ),
        (("facets", "handheld", "system", "permissions", "camera"), "For pictures.", None),
        (("facets", "handheld", "content", "units", "add"), ("maps/",), None),
        (("facets", "handheld", "system", "permissions", "notifications"), None, None),
        (("profiles", "ios-release", "code", "ahead_of_time"), None, ["- code.ahead_of_time = true"]),
        (("signing", "identity"), "quillback-2026", ["+ ", "+ [signing]", '+ identity = "quillback-2026"']),
        (("facets", "new one", "content", "player_files"), ('a "quoted" \x7f',), None),
    ],
)
def test_an_edit_changes_its_place_only(path: tuple[str, ...], value: object, lines: list[str] | None) -> None:
    new = apply_edit(EVERYWHERE, Edit(path, value))
    table = tomllib.loads(new)
    for name in path[:-1]:
        table = table[name]
    assert table.get(path[-1]) == (list(value) if isinstance(value, tuple) else value)
    if lines is not None:
        assert changed_lines(EVERYWHERE, new) == lines
    assert new.count("#") >= EVERYWHERE.count("#")


def test_an_edit_that_would_touch_more_is_left_to_a_person() -> None:
    with refuses("edit.by-hand", "this edit needs a person"):
        apply_edit('a.b = 1\n[c]\n"a.b" = 2\n', Edit(("a", "b", "c"), 3))
    with refuses("edit.by-hand"):
        apply_edit("x = [1, 2]\n", Edit(("x", "y"), 3))


KEYS = st.sampled_from(["a", "b", "c-d", "e f"])
VALUES = st.one_of(st.booleans(), st.integers(-9, 9), st.text(max_size=8), st.lists(st.text(max_size=4), max_size=3))


@given(st.lists(st.tuples(st.lists(KEYS, min_size=2, max_size=4), VALUES), max_size=6))
def test_any_edits_are_made_exactly_or_refused(edits: list[tuple[list[str], object]]) -> None:
    text = "# first\n[a]\nb = { c-d = 1 } # kept\n\n[c-d.'e f']\na = 'x'\n"
    for path, value in edits:
        before = tomllib.loads(text)
        try:
            text = apply_edit(text, Edit(tuple(path), value))
        except Refused:
            assert tomllib.loads(text) == before
        else:
            table = tomllib.loads(text)
            for name in path[:-1]:
                table = table[name]
            assert table[path[-1]] == value
        assert text.startswith("# first\n[a]\n")


def test_every_fix_mends_its_finding() -> None:
    text = hurried()
    for finding in check_document(read_document(text.encode())):
        if finding.fix:
            fixed = check_document(read_document(apply_edits(text, list(finding.fix)).encode()))
            assert finding.name not in {f.name for f in fixed}, finding


def test_all_fixes_together_leave_no_blocker_that_could_be_fixed() -> None:
    text = hurried()
    found = check_document(read_document(text.encode()))
    text = apply_edits(text, [edit for f in found for edit in f.fix])
    left = check_document(read_document(text.encode()))
    assert [f.name for f in left if f.fix] == []
    assert {f.code for f in left if f.severity == "blocker"} == set()


def test_changes_in_different_places_merge() -> None:
    theirs = EVERYWHERE.replace('name = "1.5.0"', 'name = "1.6.0"')
    mine = EVERYWHERE.replace('storefront = "mossgate"', 'storefront = "mossgate"\ndisplay.streamed = true')
    merged = merge(EVERYWHERE, theirs, mine)
    assert merged.clashes == ()
    assert 'name = "1.6.0"' in merged.text
    assert "display.streamed = true" in merged.text


def test_a_clash_keeps_mine_and_says_theirs() -> None:
    merged = merge("a\nb\nc\n", "a\nB\nc\n", "a\nbb\nc\n")
    assert merged.text == "a\nbb\nc\n"
    assert [(c.line, c.base, c.theirs, c.mine) for c in merged.clashes] == [(2, "b\n", "B\n", "bb\n")]


def test_texts_that_nobody_wrote_are_compared_in_time() -> None:
    old = "".join(f"k{i} = 1\n" for i in range(30_000))
    new = "first\n" + "".join(f"k{i * 7 % 30_000} = 1\n" for i in range(30_000)) + "last\n"
    assert "30000 lines become 30002: too many to show" in difference(old, new, "now", "then")
    assert merge(old, new, old).text == new
    assert difference("a\nb\n", "a\nc\n", "now", "then").split("\n")[3:] == [" a", "-b", "+c"]


TEXTS = st.lists(st.sampled_from(["a\n", "b\n", "c\n", "d\n"]), max_size=8).map("".join)


@given(TEXTS, TEXTS)
def test_merging_with_an_unchanged_side_gives_the_other(base: str, other: str) -> None:
    assert merge(base, other, base).text == other
    assert merge(base, base, other).text == other
    assert merge(base, other, other).text == other
