"""The string pool of binary XML: both encodings, both forms of a length, what is added, and pools that lie."""

from __future__ import annotations

import struct
from collections.abc import Callable
from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.bundle.string_pool import HEADER, SORTED, UTF8, StringPool, decode_pool
from rampa.core.errors import Damaged

TEXT = st.text(max_size=40)
TEXTS = st.lists(TEXT, max_size=12)
FLAGS = st.sampled_from([0, UTF8])
NO_STRING = 0xFFFFFFFF


def pool(flags: int, *texts: str) -> StringPool:
    made = StringPool(flags, [], b"", b"", b"")
    for text in texts:
        made.add_new(text)
    return made


def texts_of(read: StringPool) -> list[str]:
    return [read.text(index) for index in range(len(read))]


@given(FLAGS, TEXTS)
def test_what_is_written_is_read(flags: int, texts: list[str]) -> None:
    written = pool(flags, *texts).encode()
    assert len(written) % 4 == 0
    read = decode_pool(written)
    assert texts_of(read) == texts
    assert read.encode() == written


@given(FLAGS, TEXTS, TEXT)
def test_adding_changes_no_index_and_no_byte_of_the_others(flags: int, texts: list[str], more: str) -> None:
    read = decode_pool(pool(flags, *texts).encode())
    before = read.strings
    index = read.add(more)
    assert texts_of(read)[: len(texts)] == texts
    assert read.text(index) == more
    assert index == (texts.index(more) if more in texts else len(texts))
    assert texts_of(decode_pool(read.encode())) == texts_of(read)
    # The end of the old strings may be padding, never a string.
    assert read.strings.startswith(before.rstrip(b"\0"))


@pytest.mark.parametrize(
    ("flags", "text"),
    [
        (UTF8, "é" * 127),
        (UTF8, "m" * 128),
        (UTF8, "\N{OWL}" * 200),
        (0, "m" * 0x7FFF),
        (0, "m" * 0x8000),
        (0, "\N{OWL}" * 0x4001),
    ],
)
def test_a_long_string_has_a_length_of_two_parts(flags: int, text: str) -> None:
    read = decode_pool(pool(flags, "before", text, "behind").encode())
    assert texts_of(read) == ["before", text, "behind"]
    read.add("more")
    assert texts_of(decode_pool(read.encode())) == ["before", text, "behind", "more"]


def test_a_reference_to_no_string_is_empty() -> None:
    assert pool(UTF8, "bog").text(NO_STRING) == ""


def test_a_pool_that_grew_is_not_said_to_be_in_order() -> None:
    read = decode_pool(pool(UTF8, "bog", "fen").encode())
    read.flags |= SORTED
    read.add("bog")
    assert read.flags & SORTED, "nothing was added"
    read.add("alder")
    assert not read.flags & SORTED


def test_a_string_with_a_style_is_not_used_for_another_thing() -> None:
    spans = b"\1\0\0\0\0\0\0\0\2\0\0\0\xff\xff\xff\xff"
    styled = pool(UTF8, "bog", "fen")
    styled.style_offsets, styled.style_part = struct.pack("<I", 0), spans
    read = decode_pool(styled.encode())
    assert (read.style_offsets, read.style_part) == (struct.pack("<I", 0), spans)
    assert read.add("fen") == 1
    assert read.add("bog") == 2, "index 0 carries a style"
    again = decode_pool(read.encode())
    assert texts_of(again) == ["bog", "fen", "bog"]
    assert again.style_part == spans


def test_what_stands_between_header_and_offsets_is_kept() -> None:
    longer = pool(0, "bog")
    longer.header_rest = b"\7\0\0\0"
    read = decode_pool(longer.encode())
    assert (read.header_rest, read.text(0)) == (b"\7\0\0\0", "bog")


def test_lone_surrogates_do_not_stop_a_reader() -> None:
    lone = pool(UTF8, "xxx")
    lone.strings = lone.strings.replace(b"xxx", b"\xed\xa0\x80")
    assert "\N{REPLACEMENT CHARACTER}" in decode_pool(lone.encode()).text(0)


def with_header(number: int, value: int) -> Callable[[bytes], bytes]:
    """One field of the header replaced; fields in the order of the structure."""

    def changed(data: bytes) -> bytes:
        fields = list(HEADER.unpack_from(data))
        fields[number] = value
        return HEADER.pack(*fields) + data[HEADER.size :]

    return changed


@pytest.mark.parametrize(
    ("damage", "message"),
    [
        (lambda data: data[: HEADER.size - 1], "is cut off"),
        (lambda data: data[:-4], "sizes cannot be"),
        (lambda data: data + bytes(4), "sizes cannot be"),
        (with_header(1, HEADER.size - 4), "sizes cannot be"),
        (with_header(3, 1_000_001), "sizes cannot be"),
        (with_header(4, 3), "sizes cannot be"),
        (with_header(3, 400), "parts overlap"),
        (with_header(6, 4), "parts overlap"),
        (with_header(6, 4000), "parts overlap"),
    ],
)
def test_a_header_that_lies_is_refused(damage: Callable[[bytes], bytes], message: str) -> None:
    with pytest.raises(Damaged, match=message) as caught:
        decode_pool(damage(pool(UTF8, "bog", "fen").encode()))
    assert caught.value.code == "manifest.binary"


@pytest.mark.parametrize(("flags", "first"), [(UTF8, b"\x7f\x7f"), (0, b"\xff\x7f")])
def test_a_string_longer_than_its_pool_is_refused(flags: int, first: bytes) -> None:
    read = pool(flags, "bog", "fen")
    read.strings = first + read.strings[2:]
    with pytest.raises(Damaged, match="string 0 reaches beyond"):
        decode_pool(read.encode()).text(0)


@pytest.mark.parametrize("flags", [UTF8, 0])
def test_an_index_or_an_offset_that_leads_nowhere_is_refused(flags: int) -> None:
    read = pool(flags, "bog", "fen")
    with pytest.raises(Damaged, match="string 2 is not there"):
        read.text(2)
    read.offsets[1] = len(read.strings) + 40
    again = decode_pool(read.encode())
    assert again.text(0) == "bog"
    with pytest.raises(Damaged, match="string 1 is not there"):
        again.text(1)


@given(FLAGS, TEXTS.filter(bool), st.data())
def test_a_pool_with_changed_bytes_is_read_or_refused(flags: int, texts: list[str], data: st.DataObject) -> None:
    whole = bytearray(pool(flags, *texts).encode())
    for at in data.draw(st.lists(st.integers(0, len(whole) - 1), min_size=1, max_size=4)):
        whole[at] = data.draw(st.integers(0, 255))
    with suppress(Damaged):
        read = decode_pool(bytes(whole))
        assert all(isinstance(text, str) for text in texts_of(read))
