"""Addresses as functions and lines: of a program that this system's compiler made, and of bytes that are no symbols."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.binaries.lines import addresses_of, places
from rampa.core.health.crash import named, place_of, wanted_symbols
from tests.crashing import Program, compile_program

pytestmark = pytest.mark.skipif(not shutil.which("cc") or not shutil.which("objcopy"), reason="no compiler")

INLINED = """#include <stdlib.h>
#include "night.h"

static inline __attribute__((always_inline)) int deep(const int *depth, int fog)
{
    return fog * depth[fog / 20];
}

int fog_at(unsigned *state)
{
    const int *none = getenv("RAMPA_DEVICE_CLASS") ? 0 : (const int[]){1, 1, 1, 1, 1};
    *state = *state * 1103515245u + 12345u;
    return deep(none, (int)(*state / 65536u % 100u));
}
"""


@pytest.fixture(scope="module")
def program(tmp_path_factory: pytest.TempPathFactory) -> Program:
    return compile_program(tmp_path_factory.mktemp("program"))


def symbols(program: Program) -> Path:
    return next(program.symbols.rglob("*.debug"))


def frames(program: Program, form: str = "visor-2") -> list[tuple[str, str, int]]:
    """The places of a crash's frames that are the program's own, innermost first."""
    report = program.crash(form)
    found = places(symbols(program), sorted(wanted_symbols(report)[program.build_id]))
    told = named(report, {program.build_id: found})
    first = next(p for f in told for p in f.places)
    assert place_of(told).name == f"{first.function}, {first.file}:{first.line}"
    return [(p.function, p.file, p.line) for frame in told for p in frame.places if p.line]


@pytest.mark.parametrize("level", ["-O0", "-O2"])
def test_a_crash_is_where_it_is(tmp_path: Path, level: str) -> None:
    found = frames(compile_program(tmp_path, level=level))
    assert [(name, file) for name, file, _ in found] == [
        ("fog_at", "src/fog.c"),
        ("night_shift", "src/night.c"),
        ("main", "src/main.c"),
    ]
    assert found[0][2] == 22, "the line of the depth that is not there"


def test_what_is_inlined_is_two_places(tmp_path: Path) -> None:
    """The innermost is where it crashes; the one around it is at the line of the call."""
    found = frames(compile_program(tmp_path, INLINED))
    assert found[:2] == [("deep", "src/fog.c", 6), ("fog_at", "src/fog.c", 13)]


def test_a_line_has_an_address_and_it_is_that_line_s(program: Program) -> None:
    at = addresses_of(symbols(program), "src/fog.c", 22)
    assert at
    assert {p[0].line for p in places(symbols(program), at).values()} == {22}
    assert addresses_of(symbols(program), "src/fog.c", 1) == []
    assert addresses_of(symbols(program), "src/other.c", 22) == []


def test_what_has_no_lines_has_names_at_most(program: Program, tmp_path: Path) -> None:
    assert places(program.file, [0x1000]) == {}
    assert places(tmp_path, [1]) == {}
    assert places(symbols(program), [2**62]) == {}


@given(at=st.integers(0, 2**16), byte=st.integers(0, 255), cut=st.integers(0, 2**16))
def test_damaged_symbols_are_no_symbols(program: Program, at: int, byte: int, cut: int) -> None:
    """Whatever a machine sends as symbols, the answer is places or nothing."""
    data = bytearray(symbols(program).read_bytes())
    data[at % len(data)] = byte
    damaged = program.file.parent / "damaged.debug"
    damaged.write_bytes(data[: len(data) - cut % 2048])
    found = places(damaged, [0x1200, 0x1300])
    assert all(isinstance(p.function, str) for chain in found.values() for p in chain)
