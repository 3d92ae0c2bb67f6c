"""Tables of programs: found by the headers of real formats, told by how much further on rows point, and every byte comes back."""

from __future__ import annotations

import itertools
import random
import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.pack import filters, lzma2, pack, program_tables
from rampa.core.content.pack.compression import Packing
from rampa.core.content.pack.filter_choice import HEADER, Shape, shape_in, shape_of
from rampa.core.content.pack.filters import CODE, X86_64, Filter
from rampa.core.content.pack.opening import open_pieces
from rampa.core.content.pack.program_stretches import Stretch
from rampa.core.content.pack.program_tables import FRAMES, PAIRS, RELOCATIONS, TRIPLES, FrameRows, mark
from rampa.core.errors import Damaged

FUNCTIONS = 1500
FILE = 4096


def functions() -> list[tuple[int, int]]:
    """(begin, end) of functions one behind the other, each at a multiple of 16."""
    rng, at, out = random.Random(5), 0x1000, []
    for _ in range(FUNCTIONS):
        out.append((at, at + rng.randrange(20, 900)))
        at = (out[-1][1] + 15) & -16
    return out


def frame_rows() -> bytes:
    """.eh_frame as compilers write it: a common row, then one for each function, an end."""
    out = bytearray(struct.pack("<II", 20, 0) + b"\1zR\0\1x\x10\1\x1b\x0c\7\x08\x90\1\0\0")
    for begin, end in functions():
        at = len(out)
        told = struct.pack("<IIiI", 20, at + 4, begin - (at + 8) - 0x20000, end - begin) + bytes(8)
        out += told
    return bytes(out) + bytes(4)


def pairs() -> bytes:
    return b"".join(struct.pack("<iI", begin - 0x30000, 24 * n + 28) for n, (begin, _) in enumerate(functions()))


def relocations() -> bytes:
    return b"".join(struct.pack("<QIIq", 0x50000 + 8 * n, 8, 0, begin) for n, (begin, _) in enumerate(functions()))


def triples() -> bytes:
    return b"".join(struct.pack("<III", begin, end, 0x9000 + 8 * n) for n, (begin, end) in enumerate(functions()))


def elf() -> tuple[bytes, dict[str, tuple[int, int]]]:
    """One segment of code that holds the tables, too, as older linkers make it; the sections behind."""
    tables = {".rela.dyn": relocations(), ".eh_frame_hdr": bytes(12) + pairs(), ".eh_frame": frame_rows()}
    data, places = bytearray(FILE), {}
    for name, content in tables.items():
        places[name] = len(data), len(content)
        data += content + random.Random(1).randbytes(3000)
    end = len(data)
    names = b"\0" + b"\0".join(name.encode() for name in [*tables, ".shstrtab"]) + b"\0"
    rows = [struct.pack("<IIQQQQIIQQ", 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)]
    for name, (offset, size) in places.items():
        kind = 4 if name == ".rela.dyn" else 1
        at = names.index(b"\0" + name.encode() + b"\0") + 1
        rows.append(struct.pack("<IIQQQQIIQQ", at, kind, 2, offset, offset, size, 0, 0, 8, 0))
    at = names.index(b".shstrtab")
    rows.append(struct.pack("<IIQQQQIIQQ", at, 3, 0, 0, end, len(names), 0, 0, 1, 0))
    data += names + b"".join(rows)
    head = struct.pack("<HHIQQQIHHHHHH", 3, 62, 1, 0, 64, end + len(names), 0, 64, 56, 1, 64, len(rows), len(rows) - 1)
    segment = struct.pack("<IIQQQQQQ", 1, 5, FILE, FILE, 0, end - FILE, end - FILE, 4096)
    data[: 64 + 56] = b"\x7fELF\2\1\1" + bytes(9) + head + segment
    return bytes(data), places


def pe() -> tuple[bytes, int]:
    """PE32+ with a section of code and the table of functions; where that lies."""
    table = triples()
    optional = bytearray(240)
    struct.pack_into("<H", optional, 0, 0x20B)
    struct.pack_into("<Q", optional, 24, 0x140000000)
    struct.pack_into("<I", optional, 56, 0x100000)
    struct.pack_into("<I", optional, 108, 16)
    struct.pack_into("<II", optional, 112 + 8 * 3, 0x8000, len(table))
    code = random.Random(2).randbytes(0x4000)
    sections = b"".join(
        name.ljust(8, b"\0") + struct.pack("<IIIIIIHHI", size, address, size, offset, 0, 0, 0, 0, flags)
        for name, size, address, offset, flags in (
            (b".text", len(code), 0x1000, 0x1000, 0x60000020),
            (b".pdata", len(table), 0x8000, 0x5000, 0x40000040),
        )
    )
    head = b"MZ".ljust(60, b"\0") + struct.pack("<I", 64)
    head += b"PE\0\0" + struct.pack("<HHIIIHH", 0x8664, 2, 0, 0, 0, 240, 0x22) + bytes(optional) + sections
    return head.ljust(0x1000, b"\0") + code + table, 0x5000


def whole(data: bytes) -> Shape:
    shape = shape_in(lambda offset, size: data[offset : offset + size])
    assert shape is not None
    return shape


@pytest.mark.parametrize(
    ("table", "content", "most"),
    [(RELOCATIONS, relocations(), 0.5), (PAIRS, pairs(), 0.4), (TRIPLES, triples(), 0.55), (FRAMES, frame_rows(), 0.4)],
)
def test_a_table_packs_smaller_and_comes_back(table: int, content: bytes, most: float) -> None:
    turned = program_tables.turn(memoryview(content), mark(table), back=False)
    assert len(turned) == len(content)
    assert program_tables.turn(memoryview(turned), mark(table), back=True) == content
    assert len(lzma2.compress(turned, 6)) < most * len(lzma2.compress(content, 6))


def test_tables_of_elf_are_found_within_code() -> None:
    data, places = elf()
    shape = whole(data)
    assert shape.filter == Filter(CODE, X86_64)
    found = {s.what: (s.first, s.last) for s in shape.stretches if s.what}
    offset, size = places[".eh_frame_hdr"]
    assert found == {
        RELOCATIONS: (FILE, FILE + places[".rela.dyn"][1]),
        PAIRS: (offset + 12, offset + size),
        FRAMES: (places[".eh_frame"][0], sum(places[".eh_frame"])),
    }
    # The code is what is left of its segment, and nothing lies over anything else.
    ends = [(s.first, s.last) for s in shape.stretches]
    assert all(a[1] <= b[0] for a, b in itertools.pairwise(ends))
    assert sum(b - a for a, b in ends) == sum(places[".eh_frame"]) + 3000 - FILE
    plain = shape_of(data[:HEADER])
    assert plain is not None
    assert {s.what for s in plain.stretches} == {0}, "whoever has the head alone sees no tables"
    sizes = []
    for each in (plain, shape):
        runs = each.runs(0, len(data))
        turned = filters.apply(data, each.filter, runs)
        assert filters.undo(turned, each.filter, runs) == data
        sizes.append(len(lzma2.compress(turned, 6)))
    assert sizes[1] < 0.8 * sizes[0]


def test_the_table_of_functions_of_pe() -> None:
    data, at = pe()
    shape = whole(data)
    assert Stretch(at, len(data), TRIPLES) in shape.stretches
    runs = shape.runs(0, len(data))
    assert filters.undo(filters.apply(data, shape.filter, runs), shape.filter, runs) == data


@pytest.mark.parametrize("start", [0, 1, 4095, 5000, 20_000, 41_001])
@pytest.mark.parametrize("size", [1, 30, 700, 30_000])
def test_a_part_of_a_file_comes_back(start: int, size: int) -> None:
    """As chunks lie: from the middle of a row on, to the middle of another."""
    data, _ = elf()
    piece = data[start : start + size]
    shape = whole(data)
    runs = shape.runs(start, len(piece))
    assert sum(n for n, _ in runs) == len(piece)
    turned = filters.apply(piece, shape.filter, runs)
    assert filters.undo(turned, shape.filter, runs) == piece
    stored = filters.wrap(pack.compress(turned, Packing(3)), shape.filter, runs)
    assert b"".join(open_pieces(stored, len(piece))) == piece


@given(st.lists(st.integers(1, 400), min_size=1), st.integers(0, 60_000), st.integers(0, 255))
def test_frames_come_back_in_any_pieces_with_and_without_the_kernel(steps: list[int], at: int, value: int) -> None:
    """Also where something else stands in the middle."""
    content = bytearray(frame_rows()[:6000])
    content[at % len(content)] = value
    turned = program_tables.turn(memoryview(bytes(content)), mark(FRAMES), back=False)
    assert turned == walked(bytes(content))
    stream, out, place = FrameRows(back=True), b"", 0
    for number in range(len(turned)):
        step = steps[number % len(steps)]
        out += stream.feed(turned[place : place + step], last=place + step >= len(turned))
        place += step
        if place >= len(turned):
            break
    assert out == bytes(content)


def walked(content: bytes) -> bytes:
    data = bytearray(content)
    program_tables._walk(data, False, 0, 0)
    return bytes(data)


@pytest.mark.parametrize("byte", [mark(RELOCATIONS, 24), mark(PAIRS, 8), mark(FRAMES, 1), mark(5), 2])
def test_a_mark_that_no_table_has_is_refused(byte: int) -> None:
    content = bytes(1000)
    stored = filters.wrap(pack.compress(content, Packing(3)), Filter(CODE, X86_64), [(1000, byte)])
    with pytest.raises(Damaged, match="do not fill it"):
        list(open_pieces(stored, 1000))


def test_headers_that_lie_find_nothing_beyond_the_file() -> None:
    """Sections that overlap, lie outside, or are more than a loader takes."""
    data, _ = elf()
    table = struct.unpack_from("<Q", data, 40)[0]
    for at, value in ((64 + 24, 1 << 62), (64 + 32, 1 << 62), (128 + 24, 4096), (-8, 0)):
        broken = bytearray(data)
        struct.pack_into("<Q", broken, table + at if at > 0 else 40, value if at > 0 else 1 << 63)
        shape = whole(bytes(broken))
        runs = shape.runs(0, len(broken))
        assert sum(size for size, _ in runs) == len(broken)
        assert filters.undo(filters.apply(bytes(broken), shape.filter, runs), shape.filter, runs) == bytes(broken)
