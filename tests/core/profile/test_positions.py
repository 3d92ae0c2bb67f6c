"""Where keys and values of a document stand, so that a problem is shown at its place."""

from __future__ import annotations

import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.profile.positions import Key, Position, positions

TEXT = """\
name = "Peatlight"
[title]
identifier = "example.quillback.peatlight"
"schließen" = { "größe" = 3, klein = 4 }
launch.entry = "bin/peatlight"

[[steps]]
name = "export"
parts = ["ä", [1, 2], { deep = true }]
[[steps]]
  name = "sign"
[steps.variables]
FOG = "3"
"""


def at(text: str, word: str) -> Position:
    """Of the first place that a word stands at, in characters."""
    before = text[: text.index(word)]
    return Position(before.count("\n") + 1, len(before) - before.rfind("\n"))


@pytest.mark.parametrize(
    ("key", "word"),
    [
        (("name",), "name"),
        (("title",), "title]"),
        (("title", "identifier"), "identifier"),
        (("title", "schließen"), '"schließen"'),
        (("title", "schließen", "größe"), '"größe"'),
        (("title", "schließen", "klein"), "klein"),
        (("title", "launch"), "launch.entry"),
        (("title", "launch", "entry"), "launch.entry"),
        (("steps",), "steps]]"),
        (("steps", 0), "steps]]"),
        (("steps", 0, "name"), 'name = "export"'),
        (("steps", 1, "name"), 'name = "sign"'),
    ],
)
def test_a_key_is_found(key: Key, word: str) -> None:
    assert positions(TEXT).keys[key] == at(TEXT, word)


@pytest.mark.parametrize(
    ("key", "word"),
    [
        (("name",), '"Peatlight"'),
        (("title", "schließen"), '{ "größe"'),
        (("title", "schließen", "größe"), "3, klein"),
        (("title", "schließen", "klein"), "4 }"),
        (("title", "launch", "entry"), '"bin/peatlight"'),
        (("steps", 0, "parts"), '["ä"'),
        (("steps", 0, "parts", 0), '"ä"'),
        (("steps", 0, "parts", 1), "[1, 2]"),
        (("steps", 0, "parts", 1, 1), "2]"),
        (("steps", 0, "parts", 2, "deep"), "true"),
    ],
)
def test_a_value_is_found(key: Key, word: str) -> None:
    assert positions(TEXT).values[key] == at(TEXT, word)


def test_what_is_not_there_is_shown_at_what_is_around_it() -> None:
    found = positions(TEXT)
    assert found.of(("title", "graphics")) == at(TEXT, "title]")
    assert found.of(("title", "launch", "entry", "deeper")) == at(TEXT, "launch.entry")
    assert found.of(("steps", 0, "parts", 1, 1)) == at(TEXT, "2]")
    assert found.of(("steps", 0, "parts", 9)) == at(TEXT, "parts")
    assert found.of(("nowhere",)) == found.of(()) == Position(1, 1)


def test_a_key_that_stands_twice_is_shown_where_it_comes_again() -> None:
    text = 'a = 1\nb = 2\n[t]\nx = 1\n"x" = 2\n'
    found = positions(text)
    assert found.twice == ((("t", "x"), Position(5, 1)),)
    assert found.keys["t", "x"] == Position(4, 1)
    assert positions(TEXT).twice == ()


@pytest.mark.parametrize(
    ("text", "line"),
    [('a = 1\nb = "open\n', 2), ("a = 1\n\n[t\nb = 2\n", 3), ("a = = 2\n", 1), ("a = [1,\n2\n", 1)],
)
def test_what_is_not_toml_has_a_place(text: str, line: int) -> None:
    broken = positions(text).broken
    assert broken
    assert broken == tuple(sorted(broken))
    assert broken[0].line >= line


def test_a_good_text_has_no_broken_place() -> None:
    assert positions(TEXT).broken == ()
    assert positions("").broken == ()


@given(st.text(max_size=200) | st.text('ab=.[]{}"\n, 1#', max_size=80))
def test_any_text_is_walked_and_every_place_lies_in_it(text: str) -> None:
    # As the document is read: what a text cannot hold in UTF-8 does not get here.
    text = text.encode("utf-8", "ignore").decode()
    found = positions(text)
    lines = text.split("\n")
    for place in (*found.keys.values(), *found.values.values(), *found.broken):
        assert 1 <= place.line <= len(lines) + 1
        assert place.column >= 1


NAMES = st.text("abcäß-_", min_size=1, max_size=5)


@given(st.dictionaries(NAMES, st.dictionaries(NAMES, st.integers(0, 99), min_size=1, max_size=4), max_size=4))
def test_every_key_that_a_reader_reads_has_a_place(tables: dict[str, dict[str, int]]) -> None:
    text = "".join(
        f'["{table}"]\n' + "".join(f'"{key}" = {value}\n' for key, value in entries.items())
        for table, entries in tables.items()
    )
    found = positions(text)
    lines = text.split("\n")
    for table, entries in tomllib.loads(text).items():
        assert (table,) in found.keys
        for key, value in entries.items():
            where = found.values[table, key]
            assert lines[where.line - 1][where.column - 1 :] == str(value)
            assert lines[found.keys[table, key].line - 1].startswith(f'"{key}"')
