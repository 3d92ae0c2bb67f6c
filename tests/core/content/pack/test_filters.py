"""Filters of sound and block textures: every byte comes back, and real formats are told by their headers."""

from __future__ import annotations

import struct
import wave
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from rampa.core.content.pack import filters, pack
from rampa.core.content.pack.compression import Packing, PackingRules
from rampa.core.content.pack.filter_choice import HEADER, KTX2, shape_of
from rampa.core.content.pack.filters import ARM64, BLOCKS, CODE, SOUND, X86_64, Filter
from rampa.core.content.pack.program_stretches import Stretch
from rampa.core.content.pack.shared_frames import places
from rampa.core.content.pack.trials import tune
from rampa.core.content.pack.writer import make_packs
from rampa.core.content.scan.files import read_tree
from rampa.core.content.select.selection import ContentRules, Pattern, select
from rampa.core.errors import Damaged
from rampa.system import CLOCK
from tests.samples import words

KINDS = [Filter(SOUND, n) for n in (1, 2, 3, 8)] + [Filter(BLOCKS, 8), Filter(BLOCKS, 16)]
KINDS += [Filter(CODE, X86_64), Filter(CODE, ARM64)]
# Bytes that are calls, look like calls, or lie within one another.
CALLS = st.lists(
    st.sampled_from([b"\xe8", b"\xe9", b"\x00", b"\xff", b"\x01\x02", b"\xe8\x10\x00\x00\x00"]), max_size=60
).map(b"".join)
# Rows of call frame information: common ones, those of functions, some that say they are longer than they are.
ROWS_OF_FRAMES = st.lists(
    st.tuples(
        st.sampled_from([4, 16, 20, 300]), st.sampled_from([0, 4, 5, 24, 25, 0xFFFFFFFF]), st.binary(max_size=18)
    ).map(lambda row: struct.pack("<II", row[0], row[1]) + row[2].ljust(max(0, min(row[0], 20) - 4), b"\1")),
    max_size=8,
).map(b"".join)
RULES = PackingRules(3, {"*.wav": "3 filtered", "*.dds": "9 filtered"})


def sound(seconds: float = 2.0, channels: int = 2) -> bytes:
    """A horn over the bog, as the standard library writes WAVE."""
    t = np.arange(int(44100 * seconds)) / 44100
    horn = np.sin(2 * np.pi * 220 * t) * 9000 + np.random.default_rng(3).normal(0, 60, len(t))
    both = np.stack([horn, horn * 0.8][:channels], 1).astype("<i2")
    out = BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(channels)
        file.setsampwidth(2)
        file.setframerate(44100)
        file.writeframes(both.tobytes())
    return out.getvalue()


def texture(form: str) -> bytes:
    y, x = np.mgrid[0:256, 0:256]
    fog = np.stack([x, y, (x + y) // 2, 255 - x // 2], -1).astype(np.uint8)
    out = BytesIO()
    Image.fromarray(fog if form == "DXT5" else fog[..., :3]).save(out, "DDS", pixel_format=form)
    return out.getvalue()


def ktx(form: int, packed: int = 0) -> bytes:
    """KTX 2.0, section 3: two levels, the smaller one first in the file."""
    head = KTX2 + struct.pack("<9I", form, 1, 64, 64, 0, 0, 1, 2, packed) + bytes(32)
    return head + struct.pack("<6Q", 208, 2048, 2048, 160, 48, 48) + bytes(2100)


@given(
    st.sampled_from(KINDS),
    st.lists(st.tuples(st.binary(max_size=200) | CALLS | ROWS_OF_FRAMES, st.integers(0, 255)), min_size=1, max_size=5),
)
def test_every_byte_comes_back(own: Filter, given_: list[tuple[bytes, int]]) -> None:
    data = b"".join(part for part, _ in given_)
    runs = [(len(part), skip if own.allows(skip) else skip % own.record) for part, skip in given_]
    turned = filters.apply(data, own, runs)
    assert len(turned) == len(data)
    assert filters.undo(turned, own, runs) == data
    if data:
        frame = pack.compress_filtered(data, Packing(3, filtered=True), own, runs)
        assert pack.decompress(frame, len(data)) == data


@pytest.mark.parametrize(
    ("data", "kind", "parameter", "start"),
    [
        (sound(0.1), SOUND, 2, 44),
        (sound(0.1, 1), SOUND, 1, 44),
        (texture("DXT1"), BLOCKS, 8, 128),
        (texture("DXT5"), BLOCKS, 16, 128),
        (ktx(131), BLOCKS, 8, 160),
        (ktx(138), BLOCKS, 16, 160),
    ],
)
def test_formats_are_told_by_their_headers(data: bytes, kind: int, parameter: int, start: int) -> None:
    shape = shape_of(data[:HEADER])
    assert shape
    assert (shape.filter, shape.start) == (Filter(kind, parameter), start)
    for cut in range(0, start, 3):
        shape_of(data[:cut])  # a header that is cut short is no error


def program(machine: int = 62) -> bytes:
    """An ELF file of two segments: data, then code that calls two functions from 2,000 places."""
    head = (
        b"\x7fELF\x02\x01\x01"
        + bytes(9)
        + struct.pack("<HHIQQQIHHHHHH", 3, machine, 1, 0, 64, 0, 0, 64, 56, 2, 0, 0, 0)
    )
    segments = [
        struct.pack("<IIQQQQQQ", 1, 4, 0, 0, 0, 4096, 4096, 4096),
        struct.pack("<IIQQQQQQ", 1, 5, 4096, 4096, 0, 60_000, 60_000, 4096),
    ]
    code = bytearray()
    rng = np.random.default_rng(7)
    while len(code) < 60_000:
        to = (200, 9_000)[int(rng.integers(2))]
        if machine == 62:
            code += b"\x48\x89" + rng.bytes(1) + b"\xe8" + struct.pack("<i", to - len(code) - 8)
        else:
            code += rng.bytes(4) + struct.pack("<I", 0x94000000 | ((to - len(code) - 4) // 4 & 0x3FFFFFF))
    return (head + b"".join(segments)).ljust(4096, b"\0") + bytes(code[:60_000])


def mach(machine: int, *spans: tuple[int, int], protection: int = 5) -> bytes:
    """The same code as a Mach-O file: a segment that is not executed, and these."""
    rows = [(0, 4096, 1), *((offset, size, protection) for offset, size in spans)]
    commands = b"".join(
        struct.pack("<II16sQQQQIIII", 0x19, 72, b"__TEXT", 0, size, offset, size, 7, told, 0, 0)
        for offset, size, told in rows
    )
    head = b"\xcf\xfa\xed\xfe" + struct.pack("<IIIIIII", machine, 0, 2, len(rows), len(commands), 0, 0)
    return (head + commands).ljust(4096, b"\0") + program(62 if machine == 0x01000007 else 183)[4096:]


@pytest.mark.parametrize(("machine", "parameter"), [(0x01000007, X86_64), (0x0100000C, ARM64)])
def test_calls_of_mach_o(machine: int, parameter: int) -> None:
    data = mach(machine, (4096, 60_000))
    shape = shape_of(data[:HEADER])
    assert shape is not None
    assert (shape.filter, shape.stretches) == (Filter(CODE, parameter), (Stretch(4096, 64_096, 0),))
    runs = shape.runs(0, len(data))
    assert filters.undo(filters.apply(data, shape.filter, runs), shape.filter, runs) == data
    # Segments that overlap, that no file holds, or that are not executed, and a header that is cut short.
    for broken in (
        mach(machine, (4096, 9000), (5000, 10)),
        mach(machine, (4096, 1 << 60)),
        mach(machine, (4096, 9), protection=1),
    ):
        assert shape_of(broken[:HEADER]) is None
    assert shape_of(data[:60]) is None


@pytest.mark.parametrize(("machine", "parameter"), [(62, X86_64), (183, ARM64)])
def test_calls_of_programs_name_where_they_go(machine: int, parameter: int, tmp_path: Path) -> None:
    data = program(machine)
    shape = shape_of(data[:HEADER])
    assert shape is not None
    assert (shape.filter, shape.stretches) == (Filter(CODE, parameter), (Stretch(4096, 64_096, 0),))
    # As chunks lie: from the middle of an instruction, over both segments, behind the end.
    assert shape.runs(4000, 100) == [(96, parameter), (4, 0)]
    assert shape.runs(4097, 8) == [(8, 0 if parameter == X86_64 else 3)]
    assert shape.runs(0, 50) == [(50, parameter)]
    runs = shape.runs(0, len(data))
    turned = filters.apply(data, shape.filter, runs)
    assert turned[:4096] == data[:4096]
    assert filters.undo(turned, shape.filter, runs) == data
    plain, filtered = (len(pack.compress(x, Packing(3))) for x in (data, turned))
    assert filtered < plain * 0.75


@pytest.mark.parametrize(
    "data",
    [b"", program(62)[:70], program(40), b"RIFF\0\0\0\0WAVE", ktx(37), ktx(131, packed=2), texture("BC5"), words(400)],
)
def test_what_is_not_known_has_none(data: bytes) -> None:
    assert shape_of(data[:HEADER]) is None


def test_packs_with_filters_are_smaller_and_read_back(tmp_path: Path) -> None:
    for name, data in {
        "horn.wav": sound(),
        "again/horn.wav": sound()[:300_000] + sound(3)[300_000:],
        "fog.dds": texture("DXT1"),
        "not-sound.wav": words(90_000),
    }.items():
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_bytes(data)
    selection = select(tmp_path, ContentRules((Pattern("*", "all"),), ()))
    tree = read_tree(selection)
    sizes = []
    for rules in (PackingRules(3), RULES):
        found = set()
        made = list(make_packs(selection.sources, places(tree), rules=rules))
        for data in (m.data for m in made):
            for frame in pack.read_index(data, len(data)):
                content = pack.decompress(data[frame.offset : frame.offset + frame.stored], frame.raw)
                pack.verify_chunks(frame, [content])
                found |= {c.digest for c in frame.chunks}
        assert found == set(tree.chunks.digests)
        sizes.append(sum(len(m.data) for m in made))
    assert sizes[1] < sizes[0] * 0.8


@given(st.binary(min_size=1, max_size=60), st.integers(0, 2**31))
def test_damaged_frames_are_damaged_and_nothing_else(noise: bytes, seed: int) -> None:
    data = sound(0.05)
    frame = bytearray(pack.compress_filtered(data, Packing(3), Filter(SOUND, 2), [(len(data), 0)]))
    at = seed % (len(frame) - 1)
    frame[at : at + len(noise)] = noise
    try:
        pack.decompress(bytes(frame), len(data))
    except Damaged:
        pass


def test_tuning_proposes_a_filter_where_it_pays(tmp_path: Path) -> None:
    (tmp_path / "horn.wav").write_bytes(sound(6))
    (tmp_path / "fog.json").write_bytes(words(600_000))
    found = tune(select(tmp_path, ContentRules((Pattern("*", "all"),), ())), sample=4_000_000, seconds=1, clock=CLOCK)
    assert {e.ending: e.rule for e in found.endings} == {".wav": "filtered", ".json": ""}
