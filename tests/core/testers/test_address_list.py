"""Lists of people to invite: what is read of each line, and what is said of one that is wrong."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.address import normal
from rampa.core.testers.address_list import MOST_LINES, read_addresses
from tests.refusals import refuses


@pytest.mark.parametrize(
    ("line", "email", "name"),
    [
        ("kaisa@quillback.example", "kaisa@quillback.example", ""),
        ("Kaisa <kaisa@quillback.example>", "kaisa@quillback.example", "Kaisa"),
        ("Kaisa, kaisa@quillback.example", "kaisa@quillback.example", "Kaisa"),
        ("kaisa@quillback.example;Kaisa;night crew", "kaisa@quillback.example", "Kaisa"),
        ('"Kaisa, of the Signal Loft",kaisa@quillback.example', "kaisa@quillback.example", "Kaisa, of the Signal Loft"),
        ("Kaisa\tkaisa@QUILLBACK.example", "kaisa@quillback.example", "Kaisa"),
        ("päivi@kilnyard.example", "päivi@kilnyard.example", ""),
        ("杉@例え.example", "杉@例え.example", ""),
        ("irina@пример.example", "irina@пример.example", ""),
        ("o'neill+fog@quillback.example", "o'neill+fog@quillback.example", ""),
    ],
)
def test_one_person_a_line_however_it_is_written(line: str, email: str, name: str) -> None:
    (found,) = read_addresses(line).good
    assert (found.line, found.email, found.name) == (1, email, name)


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("nobody", "no address on this line"),
        ("a@@quillback.example", "invalid characters"),
        ("x@localhost", "should have a period"),
        ("a@quillback.example, b@quillback.example", "two addresses"),
        ("\u202ekaisa@quillback.example", "RIGHT-TO-LEFT OVERRIDE"),
        ('"never closed, kaisa@quillback.example', "invalid characters"),
        (f"{'n' * 101}, kaisa@quillback.example", "longer than 100"),
        (f"kaisa@{'k' * 64}.example", "1 character too many"),
        ("Kaisa\x07 <kaisa@quillback.example>", "control character"),
    ],
)
def test_a_wrong_line_says_what_is_wrong_and_the_others_are_read(line: str, said: str) -> None:
    read = read_addresses(f"iida@quillback.example\n{line}\nonni@quillback.example\n")
    assert [a.line for a in read.good] == [1, 3]
    (mistake,) = read.mistakes
    assert mistake.line == 2
    assert said in mistake.said


def test_a_table_with_names_of_columns_and_empty_lines() -> None:
    read = read_addresses(
        "\ufeffemail;name\r\n\r\nkaisa@quillback.example;Kaisa\r\nKAISA@quillback.example;Kaisa again\r\n"
    )
    assert [(a.line, a.name) for a in read.good] == [(3, "Kaisa")]
    assert [(m.line, m.said) for m in read.mistakes] == [(4, "the same address as on line 3")]


def test_a_list_that_is_none_and_one_that_is_too_long() -> None:
    with refuses("addresses.none"):
        read_addresses("\n \n")
    with refuses("addresses.many", "50,001 lines"):
        read_addresses("x\n" * (MOST_LINES + 1))
    assert len(read_addresses("\n".join(f"t{n}@quillback.example" for n in range(2000))).good) == 2000


@given(st.text(max_size=200))
def test_any_text_is_read_or_refused_and_what_is_good_stays_good(text: str) -> None:
    if not any(line.strip() for line in text.splitlines()):
        return
    with_one = read_addresses(f"iida@quillback.example\n{text}")
    assert len({normal(a.email) for a in with_one.good}) == len(with_one.good)
    for found in with_one.good:
        assert read_addresses(found.email).good[0].email == found.email
