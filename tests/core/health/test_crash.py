"""Reports of crashes: what is one, what is none, and which are of the same place."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.binaries.lines import Place
from rampa.core.errors import Invalid
from rampa.core.health.crash import CrashModule, CrashReport, NamedFrame, code_addresses, place_of, read_report, to_json
from tests.refusals import refuses

MODULES = st.lists(
    st.builds(CrashModule, st.from_regex(r"[A-Za-z0-9][A-Za-z0-9 ._+-]{0,20}", fullmatch=True)), min_size=1, max_size=5
)
GOOD = {
    "format": "rampa-crash",
    "version": 1,
    "reason": "SIGSEGV",
    "modules": [{"name": "peatlight"}],
    "frames": [[0, 4521]],
}


@st.composite
def reports(draw: st.DrawFn) -> CrashReport:
    modules = draw(MODULES)
    frame = st.tuples(st.integers(0, len(modules) - 1), st.integers(0, 2**63 - 1))
    return CrashReport("SIGSEGV", tuple(modules), tuple(draw(st.lists(frame, min_size=1, max_size=64))))


@given(reports())
def test_what_was_written_is_read(report: CrashReport) -> None:
    assert read_report(to_json(report)) == report
    assert read_report(to_json(report)).digest == report.digest


@pytest.mark.parametrize(
    "change",
    [
        {"format": "other"},
        {"version": 2},
        {"reason": "it fell over, and\n"},
        {"frames": []},
        {"frames": [[1, 4521]]},
        {"frames": [[0, -1]]},
        {"frames": [[0, 1]] * 65},
        {"frames": [["0x", 1]]},
        {"modules": [{"name": "/home/iida/peatlight"}]},
        {"modules": [{"name": "peatlight", "build_id": "no"}]},
        {"modules": None},
    ],
)
def test_what_is_no_report(change: dict[str, object]) -> None:
    read_report(json.dumps(GOOD).encode())
    with refuses("crash.report", "no report of a crash"):
        read_report(json.dumps({**GOOD, **change}).encode())


@given(st.binary(max_size=200))
def test_bytes_of_anybody(data: bytes) -> None:
    with pytest.raises(Invalid):
        read_report(data)


def test_a_caller_is_looked_up_at_its_call(tmp_path: object) -> None:
    """A return address may be the first of the next line, or of the next function."""
    report = CrashReport("SIGSEGV", (CrashModule("peatlight"),), ((0, 100), (0, 200)))
    assert code_addresses(report) == [(0, 100), (0, 199)]


def frame(*names: str, module: str = "peatlight", line: int = 22) -> NamedFrame:
    return NamedFrame(module, 4521, tuple(Place(name, "src/fog.c", line) for name in names))


def test_the_same_place_wherever_it_lies_and_whoever_called_it() -> None:
    here = place_of([frame("fog_at"), frame("night_shift")])
    assert here.name == "fog_at, src/fog.c:22"
    assert place_of([frame("fog_at", line=31), frame("main")]).key == here.key
    assert place_of([NamedFrame("libc.so.6", 77), frame("fog_at")]).key == here.key, (
        "what has no symbols is passed over"
    )
    assert place_of([frame("night_shift"), frame("fog_at")]).key != here.key
    assert place_of([frame("deep", "fog_at")]).key != here.key, "the innermost of what is inlined"


def test_without_symbols_a_module_and_an_address_must_do() -> None:
    here = place_of([NamedFrame("peatlight", 0x11A9)])
    assert here.name == "peatlight at 0x11a9"
    assert place_of([NamedFrame("peatlight", 0x11AA)]).key != here.key
