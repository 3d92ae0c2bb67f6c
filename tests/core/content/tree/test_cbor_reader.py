"""Reading CBOR by a shape: what the library writes is read, and whatever else comes is a `ValueError`."""

from __future__ import annotations

import contextlib

import cbor2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.tree.cbor_reader import WINDOW, Document, ItemKind, read, within
from rampa.core.content.tree.columns import Texts

numbers = st.integers(-(2**63) + 1, 2**63 - 1)
small = st.integers(-24, 23)
DOCUMENT: Document = {
    "number": ItemKind.NUMBER,
    "text": ItemKind.TEXT,
    "bytes": ItemKind.BYTES,
    "numbers": ItemKind.NUMBERS,
    "texts": ItemKind.TEXTS,
    "blobs": ItemKind.BLOBS,
    "lists": ItemKind.NUMBER_LISTS,
    "inside": {"numbers": ItemKind.NUMBERS},
}
bodies = st.fixed_dictionaries(
    {},
    optional={
        "number": numbers,
        "text": st.text(),
        "bytes": st.binary(),
        "numbers": st.lists(st.one_of(numbers, small)),
        "texts": st.lists(st.text()),
        "blobs": st.lists(st.binary()),
        "lists": st.lists(st.lists(small)),
        "inside": st.fixed_dictionaries({}, optional={"numbers": st.lists(numbers)}),
    },
)


def plain(body: dict[str, object]) -> dict[str, object]:
    def one(value: object) -> object:
        if isinstance(value, dict):
            return plain(value)
        if isinstance(value, np.ndarray):
            return value.tolist()
        return [one(v) for v in value] if isinstance(value, list | Texts) else value

    return {key: one(value) for key, value in body.items()}


@given(bodies, st.booleans())
def test_what_the_library_writes_is_read(body: dict[str, object], canonical: bool) -> None:
    assert plain(read(cbor2.dumps(body, canonical=canonical), DOCUMENT)) == body


@pytest.mark.parametrize("kind", ["zeros", "small", "wide", "mixed", "runs"])
def test_columns_longer_than_a_window(kind: str) -> None:
    rng = np.random.default_rng(7)
    count = 3 * WINDOW + 11
    columns = {
        "zeros": np.zeros(count, np.int64),
        "small": rng.integers(-3, 3, count),
        "wide": rng.integers(-(2**62), 2**62, count),
        "mixed": rng.integers(0, 2**40, count) >> rng.integers(0, 40, count),
        "runs": np.repeat(rng.integers(0, 70_000, count // 40 + 1), 40)[:count],
    }
    found = read(cbor2.dumps({"numbers": columns[kind].tolist()}), {"numbers": ItemKind.NUMBERS})
    assert (found["numbers"] == columns[kind]).all()


@given(bodies, st.lists(st.tuples(st.integers(0, 400), st.integers(0, 255)), max_size=3), st.integers(0, 400))
def test_damaged_ones_are_read_or_refused(body: dict[str, object], changes: list[tuple[int, int]], end: int) -> None:
    raw = bytearray(cbor2.dumps(body))
    for at, value in changes:
        raw[at % len(raw)] = value
    with contextlib.suppress(ValueError):
        read(bytes(raw[: max(1, end)]), DOCUMENT)


@given(st.binary(max_size=60))
def test_noise_is_refused(data: bytes) -> None:
    if data != b"\xa0":
        with pytest.raises(ValueError, match="kind"):
            read(b"\xff" + data, DOCUMENT)


@pytest.mark.parametrize(
    ("raw", "why"),
    [
        (cbor2.dumps({"fog": 1}), "not known"),
        (b"\xa2\x66number\x01\x66number\x02", "twice"),
        (cbor2.dumps({"number": 1}) + b"\0", "behind the end"),
        (cbor2.dumps({"number": "1"}), "cut off, or is none"),
        (cbor2.dumps({"text": b"1"}), "kind"),
        (cbor2.dumps({"number": 1.5}), "none"),
        (cbor2.dumps({"number": 2**63}), "too large"),
        (cbor2.dumps({"number": 2**70}), "none"),
        (b"\xbf\x66number\x01\xff", "kind"),
        (b"\xa1\x67numbers\x9f\x01\xff", "kind"),
        (b"\xa1\x67numbers\x83\x01\x02", "early|longer"),
        (b"\xa1\x67numbers\x82\x01\x1a\0\0", "cut off"),
        (b"\xa1\x65bytes\x5a\x7f\xff\xff\xff", "longer"),
        (b"\xa1\x64text\x62\xc3\x28", "utf-8"),
    ],
)
def test_each_way_to_be_wrong(raw: bytes, why: str) -> None:
    with pytest.raises(ValueError, match=why):
        read(raw, DOCUMENT)


def test_what_fits_an_array() -> None:
    assert within("I", np.array([0, 2**32 - 1])).tolist() == [0, 2**32 - 1]
    assert within("Q", np.array([], dtype=np.int64)).tolist() == []
    for kind, number in (("I", 2**32), ("I", -1), ("Q", -1)):
        with pytest.raises(ValueError, match="negative, or too large"):
            within(kind, np.array([number]))
