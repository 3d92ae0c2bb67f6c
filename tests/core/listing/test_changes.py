"""Edits of a listing's files, what differs between two states, two people's changes taken together."""

from __future__ import annotations

import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.listing.changes import changes, merge, said_in
from rampa.core.listing.edits import ListingEdit, ListingFiles, apply_edits
from tests.core.listing.samples import EN, FACTS, files
from tests.refusals import refuses

KEYS = st.sampled_from(
    [
        ("listing.toml", ("category",)),
        ("listing.toml", ("links", "support")),
        ("listing.toml", ("storefronts", "mossgate", "links", "support")),
        ("texts/en.toml", ("short",)),
        ("texts/en.toml", ("long",)),
        ("texts/fi.toml", ("storefronts", "visorfield", "name")),
        ("texts/es.toml", ("name",)),
    ]
)
# What TOML can hold: every character but lone surrogates; line ends are the ones it keeps.
WORDS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\r"), max_size=60)
EDITS = st.lists(st.builds(lambda key, value: ListingEdit(key[0], key[1], value), KEYS, WORDS | st.none()), max_size=5)


def test_an_edit_leaves_comments_and_order_as_they_are() -> None:
    made = apply_edits(files(), [ListingEdit("listing.toml", ("category",), "story")])
    assert made.texts["listing.toml"] == FACTS.replace('"puzzle"', '"story"')
    longer = apply_edits(files(), [ListingEdit("texts/en.toml", ("long",), 'One.\n\nTwo "three".\n')])
    assert longer.texts["texts/en.toml"].endswith('long = """\nOne.\n\nTwo "three".\n"""\n')


@pytest.mark.parametrize(
    ("edit", "code"),
    [
        (ListingEdit("texts/../../x", ("name",), "x"), "listing.file"),
        (ListingEdit("pictures/phone/UP.png", (), "0" * 64), "listing.file"),
        (ListingEdit("texts/en.toml", ("name", "x"), "y"), "edit.by-hand"),
    ],
)
def test_edits_that_cannot_be_made(edit: ListingEdit, code: str) -> None:
    with refuses(code):
        apply_edits(files(), [edit])


def test_half_a_file_is_mended_in_the_text() -> None:
    broken = files({"texts/en.toml": "name ="})
    with refuses("listing.text", "texts/en.toml is no TOML now"):
        apply_edits(broken, [ListingEdit("texts/en.toml", ("name",), "x")])
    assert apply_edits(broken, [ListingEdit("texts/en.toml", (), EN)]).texts == files().texts


@given(EDITS)
def test_any_edits_say_what_they_were_to_say(edits: list[ListingEdit]) -> None:
    made = apply_edits(files(), edits)
    wanted = {key: value for key, value in said_in(files()).items()}
    for edit in edits:
        wanted.pop((edit.file, ()), None)
        if edit.value is None:
            wanted.pop((edit.file, edit.path), None)
        else:
            wanted[edit.file, edit.path] = edit.value
    said = {key: value for key, value in said_in(made).items() if key[1] or key[0].startswith("pictures/")}
    assert said == wanted
    for change in changes(files(), made):
        assert change.before != change.after
    assert changes(made, made) == []


@given(EDITS, EDITS)
def test_two_peoples_changes_are_both_there_or_clash(theirs: list[ListingEdit], mine: list[ListingEdit]) -> None:
    base = files()
    a, b = apply_edits(base, theirs), apply_edits(base, mine)
    merged = merge(base, a, b)
    said, of_a, of_b, of_base = (said_in(f) for f in (merged.files, a, b, base))
    clashed = {(c.file, c.path) for c in merged.clashes}
    for key in {*of_a, *of_b, *of_base}:
        # A file that holds nothing is there as a whole, or is not: which, no key can say.
        if not key[1] and key[0].endswith(".toml"):
            continue
        values = of_base.get(key), of_a.get(key), of_b.get(key)
        if values[1] == values[0]:
            assert said.get(key) == values[2]
        elif values[2] in (values[0], values[1]):
            assert said.get(key) == values[1]
        elif key in clashed:
            assert said.get(key) == values[2]
    for text in merged.files.texts.values():
        tomllib.loads(text)


def test_a_long_text_that_both_changed_in_other_lines_is_no_clash() -> None:
    base = files({"texts/en.toml": 'name = "P"\nlong = """\none\ntwo\nthree\nfour\nfive\n"""\n'})

    def with_long(text: str) -> ListingFiles:
        return apply_edits(base, [ListingEdit("texts/en.toml", ("long",), text)])

    merged = merge(base, with_long("ONE\ntwo\nthree\nfour\nfive\n"), with_long("one\ntwo\nthree\nfour\nFIVE\n"))
    assert merged.clashes == ()
    assert said_in(merged.files)["texts/en.toml", ("long",)] == "ONE\ntwo\nthree\nfour\nFIVE\n"
    both = merge(base, with_long("theirs\n"), with_long("mine\n"))
    assert [(c.path, c.theirs, c.mine) for c in both.clashes] == [(("long",), "theirs\n", "mine\n")]


def test_pictures_come_and_go_with_their_digests() -> None:
    base = files()
    mine = apply_edits(base, [ListingEdit("pictures/phone/1-fog.png", (), "a" * 64)])
    theirs = apply_edits(base, [ListingEdit("pictures/phone/2-fog.png", (), None)])
    merged = merge(base, theirs, mine)
    assert merged.files.pictures["pictures/phone/1-fog.png"] == "a" * 64
    assert "pictures/phone/2-fog.png" not in merged.files.pictures
    assert [c.file for c in changes(base, merged.files)] == ["pictures/phone/1-fog.png", "pictures/phone/2-fog.png"]
