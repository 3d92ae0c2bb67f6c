"""Splitting symbols off native binaries: kept by build id where debuggers look for them, out of what players download.

ELF files are split with the system's binutils (`objcopy`), in the attempt's own copy. What cannot be split is said.
"""

from __future__ import annotations

import platform
import shutil
from pathlib import Path

from rampa.agent.context import PATH, AttemptContext
from rampa.agent.process import Limits, run_program
from rampa.agent.self_test import MACHINES
from rampa.core.apart import QUICK
from rampa.core.binaries import lines
from rampa.core.binaries.elf import Elf, whole_elf
from rampa.core.binaries.lines import Place
from rampa.core.binaries.read_at import of_descriptor
from rampa.core.content.select.selection import Selection
from rampa.core.errors import RampaError
from rampa.core.health.crash import CrashPlace, CrashReport, named, place_of, wanted_symbols
from rampa.core.quantity import counted

FOLDER = ".build-id"
SECONDS = 600


def split_symbols(a: AttemptContext, selection: Selection) -> int:
    """Splits every ELF file that has debug information; returns how many were split."""
    binaries = [(f.path, selection.root / f.disk) for f in selection.files]
    found = [(path, file, elf) for path, file in binaries for elf in [_read(file)] if elf and elf.has_debug]
    if not found:
        return 0
    tool = shutil.which("objcopy")
    if tool is None:
        a.report.say(
            f"warning: objcopy is not on this machine: symbols stay inside {counted(len(found), 'binary', 'binaries')}",
            "warning",
        )
        return 0
    return sum(_split(a, tool, path, file, elf) for path, file, elf in found)


def crash_place(a: AttemptContext, report: CrashReport) -> CrashPlace:
    """Where a program of this attempt crashed, by the symbols that were split off it; the same as for crashes of devices."""
    wanted = ((_kept(a, ident), ident, addresses) for ident, addresses in wanted_symbols(report).items())
    found = {ident: _places(kept, sorted(addresses)) for kept, ident, addresses in wanted if kept.is_file()}
    return place_of(named(report, found))


def _kept(a: AttemptContext, build_id: str) -> Path:
    return a.folder.symbols / FOLDER / build_id[:2] / f"{build_id[2:]}.debug"


def _places(kept: Path, addresses: list[int]) -> dict[int, tuple[Place, ...]]:
    """What a title's own programs wrote is read where a reader can be ended."""
    try:
        return QUICK.read(lines.places, kept, addresses)
    except RampaError:
        return {}


def _read(file: Path) -> Elf | None:
    with file.open("rb") as stream:
        return whole_elf(of_descriptor(stream.fileno()))


def _split(a: AttemptContext, tool: str, path: str, file: Path, elf: Elf) -> bool:
    if not elf.build_id:
        a.report.say(
            f"warning: {path} has no build id, so its symbols could not be found again: link with --build-id", "warning"
        )
        return False
    kept = _kept(a, elf.build_id)
    kept.parent.mkdir(parents=True, exist_ok=True)
    a.folder.own(a.folder.symbols)
    bare = file.with_name(f"{file.name}.bare")
    kind = _target(elf)
    try:
        _run(a, tool, *kind, "--only-keep-debug", str(file), str(kept))
        _run(a, tool, *kind, "--strip-debug", "--strip-unneeded", str(file), str(bare))
        if kind:
            _put_machine_back(elf, file, kept, bare)
    except _Refused as error:
        a.report.say(f"warning: the symbols of {path} stay inside: {error}", "warning")
        kept.unlink(missing_ok=True)
        bare.unlink(missing_ok=True)
        return False
    bare.chmod(file.stat().st_mode)
    bare.replace(file)
    return True


def _target(elf: Elf) -> list[str]:
    """What objcopy is told of a file for another processor: it knows this machine's by itself, and any other as plain ELF."""
    here = platform.machine().lower()
    if elf.machine == MACHINES.get(here, here):
        return []
    return ["-I", f"elf{elf.bits}-{'little' if elf.little else 'big'}"]


def _put_machine_back(elf: Elf, before: Path, *made: Path) -> None:
    """Plain ELF has no processor: e_machine and e_flags (gABI, chapter 4, ELF Header) are written as they were."""
    flags = 48 if elf.wide else 36
    with before.open("rb") as stream:
        head = stream.read(64)
    for file in made:
        with file.open("r+b") as out:
            for at, size in ((18, 2), (flags, 4)):
                out.seek(at)
                out.write(head[at : at + size])


class _Refused(Exception):
    """What the tool said."""


def _run(a: AttemptContext, *words: str) -> None:
    """It reads files that strangers made: where the run's own programs run, not as the agent."""
    said: list[bytes] = []
    place = a.place(a.folder.symbols)
    ended = run_program(words, a.folder.tmp, {"PATH": PATH}, Limits(SECONDS), said.append, a.report.halt, place)
    if not ended.well:
        raise _Refused(b"".join(said).decode(errors="replace").strip()[:200] or ended.why or ended.words())
