"""Protocol buffers: fields keep their order and their bytes, changes touch one field, damage is refused."""

from __future__ import annotations

from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.bundle.protobuf import MAX_DEPTH, Message, encode_varint
from rampa.core.errors import Damaged

VALUES = st.integers(0, 2**64 - 1) | st.binary(max_size=200)
FIELDS = st.lists(st.tuples(st.integers(1, 2**29 - 1), VALUES), max_size=8)


def message(fields: list[tuple[int, int | bytes]]) -> Message:
    """One field behind the other; a number may stand twice."""
    data = b""
    for number, value in fields:
        one = Message()
        one.put(number, value)
        data += one.encode()
    return Message(data)


@pytest.mark.parametrize(
    ("value", "encoded"),
    # protobuf.dev, "Encoding": 1 and 150 are its own examples; a negative number takes ten bytes.
    [(1, "01"), (150, "9601"), (0, "00"), (127, "7f"), (128, "8001"), (-1, "ff" * 9 + "01")],
)
def test_numbers_of_the_specification(value: int, encoded: str) -> None:
    assert encode_varint(value).hex() == encoded
    assert Message(b"\x08" + encode_varint(value)).number(1) == value % 2**64


@given(FIELDS)
def test_fields_come_back_in_their_order(fields: list[tuple[int, int | bytes]]) -> None:
    read = message(fields)
    assert [
        (f.number, f.value if isinstance(v, int) else f.body) for f, (_, v) in zip(read.fields, fields, strict=True)
    ] == fields
    assert Message(read.encode()).encode() == read.encode()


@given(FIELDS, st.integers(1, 20), VALUES)
def test_a_changed_field_leaves_the_others_as_they_were(
    fields: list[tuple[int, int | bytes]], number: int, value: int | bytes
) -> None:
    read = message(fields)
    others = [f.raw for f in read.fields if f.number != number]
    read.put(number, value)
    again = Message(read.encode())
    assert [f.raw for f in again.fields if f.number != number] == others
    (changed,) = again.all(number)
    assert (changed.value if isinstance(value, int) else changed.body) == value
    again.without(number)
    assert [f.raw for f in again.fields] == others


def test_one_of_several_is_changed_in_its_place() -> None:
    read = message([(4, b"alder"), (1, 3), (4, b"bog")])
    read.put(4, b"fen", at=read.all(4)[0])
    assert [(f.number, f.body or f.value) for f in read.fields] == [(4, b"fen"), (1, 3), (4, b"bog")]
    # Where a field should be there once, the last one counts.
    assert read.text(4) == "bog"
    read.put(4, b"mire")
    assert [(f.number, f.body or f.value) for f in read.fields] == [(4, b"mire"), (1, 3)]


def test_what_is_not_there_is_empty() -> None:
    empty = Message()
    assert (empty.text(1), empty.number(1), empty.last(1), empty.all(1), empty.encode()) == ("", 0, None, [], b"")
    assert message([(1, b"\xff")]).text(1) == "\N{REPLACEMENT CHARACTER}"


def test_numbers_of_fixed_width_are_read_and_kept() -> None:
    data = b"\x0d\x01\x02\x03\x04" + b"\x11" + bytes(range(8))
    read = Message(data)
    assert (read.number(1), read.number(2)) == (0x04030201, 0x0706050403020100)
    assert read.encode() == data


def test_a_message_in_a_message() -> None:
    inner = message([(2, b"peatlight")])
    outer = message([(1, inner.encode())])
    field = outer.last(1)
    assert field is not None
    assert outer.message(field).text(2) == "peatlight"


def test_nesting_has_an_end() -> None:
    data = b""
    for _ in range(MAX_DEPTH + 2):
        data = message([(1, data)]).encode()
    with pytest.raises(Damaged, match="nested absurdly deep"):
        descend(Message(data))


def descend(outer: Message) -> None:
    while field := outer.last(1):
        outer = outer.message(field)


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"\x08", "a number is cut off"),
        (b"\x08\x80", "a number is cut off"),
        (b"\x08" + b"\x80" * 10 + b"\x01", "more than ten bytes"),
        (b"\x0d\x01\x02\x03", "a number is cut off"),
        (b"\x09" + bytes(7), "a number is cut off"),
        (b"\x0a\x05bog", "a field is cut off"),
        (b"\x0a" + encode_varint(2**63) + b"bog", "a field is cut off"),
        (b"\x00\x01", "a field is cut off"),
        (b"\x0b", "the kind 3, which is not one"),
        (b"\x0f", "the kind 7, which is not one"),
    ],
)
def test_damage_is_refused(data: bytes, message: str) -> None:
    with pytest.raises(Damaged, match=message) as caught:
        Message(b"\x10\x03" + data)
    assert caught.value.code == "manifest.protobuf"


@given(st.binary(max_size=120))
def test_any_bytes_are_kept_whole_or_refused(data: bytes) -> None:
    with suppress(Damaged):
        assert Message(data).encode() == data
