"""One reader a format: what each says of a file, beside another reader where there is one, and of hostile files."""

from __future__ import annotations

import re
import shutil
import struct
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.binaries.elf import Elf, read_elf, whole_elf
from rampa.core.binaries.mach_o import MachO
from rampa.core.binaries.pe import IMPORTS, UNWINDING, Pe, read_pe
from rampa.core.binaries.program import needed, read_program
from rampa.core.binaries.read_at import ReadAt, of_bytes, of_descriptor
from rampa.core.binaries.segments import read_image
from rampa.core.content.select.file_traits import look
from tests.core.binaries import samples

NAMES = ("liblantern.so.1", "libfog.so")
SAMPLES = [
    ("x86_64", Elf, NAMES, samples.elf(needed=NAMES, build_id=b"\x19\x07")),
    ("arm64", Elf, NAMES, samples.elf(machine=183, needed=NAMES)),
    ("arm32", Elf, NAMES, samples.elf(machine=40, wide=False, needed=NAMES)),
    ("", Elf, NAMES, samples.elf(machine=8, wide=False, order=">", needed=NAMES)),
    ("x86_64", Pe, ("lantern.dll", "fog.dll"), samples.pe(imports=("lantern.dll", "fog.dll"))),
    ("arm64", Pe, (), samples.pe(machine=0xAA64)),
    ("arm64", MachO, ("@rpath/liblantern.dylib",), samples.mach_o(libraries=("@rpath/liblantern.dylib",))),
    ("x86_64", MachO, (), samples.mach_o(machine=0x01000007)),
]


@pytest.mark.parametrize(("machine", "kind", "names", "data"), SAMPLES)
def test_machine_and_libraries(machine: str, kind: type[Elf | Pe | MachO], names: tuple[str, ...], data: bytes) -> None:
    found = read_program(of_bytes(data))
    assert isinstance(found, kind)
    assert found.machine == machine
    assert tuple(needed(of_bytes(data))) == names


def test_segments_and_build_id() -> None:
    data = samples.elf(build_id=bytes.fromhex("a1b2c3d4"))
    elf = whole_elf(of_bytes(data))
    assert elf
    assert (elf.bits, elf.alignment, elf.build_id, elf.has_symbols, elf.has_debug) == (
        64,
        4096,
        "a1b2c3d4",
        False,
        False,
    )
    image = read_image(data)
    assert image
    assert [(s.offset, s.size, s.address) for s in image.segments] == [(0, len(data), 0x1000)]
    pe = read_pe(of_bytes(samples.pe(imports=("fog.dll",))))
    assert pe
    assert (pe.base, pe.memory, [s.name for s in pe.sections]) == (0x140000000, 0x9000, [".rdata"])


def test_a_table_of_directories_may_end_early() -> None:
    data = bytearray(samples.pe(imports=("fog.dll",)))
    whole = read_pe(of_bytes(bytes(data)))
    assert whole
    assert whole.directory(IMPORTS)
    assert whole.directory(UNWINDING) is None
    # The size of the optional header: up to the imports, and not so far.
    for size, there in ((112 + 16, True), (112 + 8, False)):
        struct.pack_into("<H", data, 64 + 20, size)
        short = read_pe(of_bytes(bytes(data[: 64 + 24 + size] + data[64 + 24 + 112 + 16 * 8 :])))
        assert short
        assert short.directory(UNWINDING) is None
        assert (short.directory(IMPORTS) is not None) == there


@pytest.mark.parametrize(
    "data", [b"", b"\x7fELF", b"MZ", b"\xcf\xfa\xed\xfe", b"text", bytes(4096), b"MZ" + b"\xff" * 400]
)
def test_what_is_no_program(data: bytes) -> None:
    assert needed(of_bytes(data)) == []
    assert read_image(data) is None
    assert whole_elf(of_bytes(data)) is None


def test_another_reader_agrees() -> None:
    tool = shutil.which("readelf")
    if tool is None:
        pytest.skip("readelf is not on this machine")
    path = Path(sys.executable).resolve()
    said = subprocess.run([tool, "-d", "-n", "-S", "-W", path], capture_output=True, text=True, check=True).stdout
    with path.open("rb") as file:
        read = of_descriptor(file.fileno())
        elf = whole_elf(read)
        assert elf
        assert needed(read) == re.findall(r"\(NEEDED\).*\[(.*)\]", said)
        assert elf.build_id == "".join(re.findall(r"Build ID: ([0-9a-f]+)", said))
        assert elf.has_symbols == (".symtab" in said)
        assert elf.has_debug == (".debug_" in said)
        assert [s.name for s in elf.sections if s.name] == re.findall(r"^\s*\[ *[1-9]\d*\] (\S+)", said, re.MULTILINE)


def counted(data: bytes, budget: list[int]) -> ReadAt:
    def read(offset: int, size: int) -> bytes:
        part = of_bytes(data)(offset, size)
        budget[0] += len(part)
        return part

    return read


@given(st.sampled_from([s[3] for s in SAMPLES]), st.data())
def test_hostile_files_end_in_an_answer_and_read_little(sample: bytes, data: st.DataObject) -> None:
    """Bytes changed anywhere, the end cut off: an answer, no error, and a bounded number of bytes read."""
    mutated = bytearray(sample[: data.draw(st.integers(0, len(sample)))])
    for at in data.draw(st.lists(st.integers(0, max(0, len(mutated) - 1)), max_size=12)):
        if mutated:
            mutated[at] = data.draw(st.integers(0, 255))
    budget = [0]
    read = counted(bytes(mutated), budget)
    assert all(isinstance(n, str) for n in needed(read))
    whole_elf(read)
    read_image(bytes(mutated))
    assert budget[0] <= 3000 * (len(mutated) + 400)


@given(
    st.sampled_from([s[3] for s in SAMPLES if s[1] is Elf]),
    st.lists(st.tuples(st.integers(16, 63), st.integers(0, 255)), max_size=8),
)
def test_hostile_headers_on_the_disk(sample: bytes, changes: list[tuple[int, int]]) -> None:
    """Offsets that no file has are errors of the system, and answered like any other damage."""
    mutated = bytearray(sample)
    for at, value in changes:
        mutated[at] = value
    path = Path("/dev/shm") / "rampa-hostile" if Path("/dev/shm").is_dir() else Path("/tmp/rampa-hostile")
    path.write_bytes(mutated)
    try:
        look(path)
        with path.open("rb") as file:
            needed(of_descriptor(file.fileno()))
            whole_elf(of_descriptor(file.fileno()))
    finally:
        path.unlink()


def test_a_header_alone_tells_the_machine() -> None:
    elf = read_elf(of_bytes(samples.elf()[:64]))
    assert elf
    assert elf.machine == "x86_64"
    assert whole_elf(of_bytes(samples.elf()[:64])) is None
