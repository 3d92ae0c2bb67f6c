"""Lengths as each storefront counts them, and texts cut to fit."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.listing.length import Counting, Length

E_COMBINING = "e\u0301"
FAMILY = "👩‍👩‍👧"


@pytest.mark.parametrize(
    ("text", "graphemes", "code_points", "utf16", "bytes_"),
    [
        ("Peatlight", 9, 9, 9, 9),
        ("Yövuoro", 7, 7, 7, 8),
        (E_COMBINING, 1, 2, 2, 3),
        (FAMILY, 1, 5, 8, 18),
        ("ضوء", 3, 3, 3, 6),
        ("שָׁלוֹם", 4, 7, 7, 14),
        ("한국", 2, 2, 2, 6),
        ("a\r\nb", 3, 4, 4, 4),
        ("", 0, 0, 0, 0),
    ],
)
def test_each_way_of_counting(text: str, graphemes: int, code_points: int, utf16: int, bytes_: int) -> None:
    expected = {
        Counting.GRAPHEMES: graphemes,
        Counting.CODE_POINTS: code_points,
        Counting.UTF16_UNITS: utf16,
        Counting.BYTES: bytes_,
    }
    assert {counting: Length(1, counting).of(text) for counting in Counting} == expected


def test_a_cut_ends_at_a_word_and_never_inside_a_character() -> None:
    assert Length(24, Counting.GRAPHEMES).cut("Route lantern wagons through the fog") == "Route lantern wagons"
    assert Length(3, Counting.BYTES).cut("aé" + E_COMBINING) == "aé"
    assert Length(7, Counting.UTF16_UNITS).cut(FAMILY) == ""
    assert Length(2, Counting.CODE_POINTS).cut("xe\u0301") == "x"


@given(st.text(max_size=60), st.sampled_from(Counting), st.integers(0, 40))
def test_what_is_cut_fits_and_is_a_beginning(text: str, counting: Counting, most: int) -> None:
    length = Length(most, counting)
    cut = length.cut(text)
    assert length.of(cut) <= most
    assert text.startswith(cut)
    if length.of(text) <= most:
        assert cut == text
