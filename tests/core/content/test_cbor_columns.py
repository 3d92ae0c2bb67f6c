"""Columns are encoded as the CBOR library encodes lists, byte for byte."""

from __future__ import annotations

import cbor2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.manifest import cbor_columns
from rampa.core.content.tree.columns import Texts

EDGES = [n + d for n in (0, 24, 2**8, 2**16, 2**32, 2**63) for d in (-2, -1, 0, 1)]


@given(st.lists(st.one_of(st.integers(-(2**63), 2**63 - 1), st.sampled_from([e for e in EDGES if e < 2**63]))))
def test_signed_numbers(values: list[int]) -> None:
    assert cbor_columns.numbers(np.array(values, dtype=np.int64)) == cbor2.dumps(values, canonical=True)


@given(st.lists(st.one_of(st.integers(0, 2**64 - 1), st.sampled_from([e for e in EDGES if e >= 0]))))
def test_unsigned_numbers(values: list[int]) -> None:
    assert cbor_columns.numbers(np.array(values, dtype=np.uint64)) == cbor2.dumps(values, canonical=True)


def test_more_than_are_encoded_at_once() -> None:
    values = list(range(-70_000, 70_000))
    assert cbor_columns.numbers(np.array(values)) == cbor2.dumps(values, canonical=True)


@given(st.lists(st.text(max_size=300), max_size=30))
def test_texts(values: list[str]) -> None:
    assert cbor_columns.texts(Texts.of(values)) == cbor2.dumps(values, canonical=True)


@given(st.dictionaries(st.text(max_size=12), st.one_of(st.integers(0, 999), st.binary(), st.lists(st.integers(0, 9)))))
def test_maps_with_columns_inside(given_: dict[str, object]) -> None:
    plain = {"inside": given_, "column": [1, 500, -3], "a": "fog"}
    mixed = plain | {"column": cbor_columns.numbers(np.array([1, 500, -3]))}
    assert cbor_columns.dumps(mixed) == cbor2.dumps(plain, canonical=True)
