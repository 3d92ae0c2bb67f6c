"""Where simulated devices crash: a line of the title's source, found in the symbols that a build keeps."""

from __future__ import annotations

from pathlib import Path

from rampa.core.binaries.lines import addresses_of
from rampa.core.errors import NotFound
from rampa.core.health.crash import CrashModule, CrashReport

REASON = "SIGSEGV"


def report_at(symbols: Path, file: str, line: int) -> CrashReport:
    """What a device sends that crashes there. Raises `NotFound` for a line that no code stands for."""
    for kept in sorted(symbols.rglob("*.debug")):
        found = addresses_of(kept, file, line)
        if found:
            module = CrashModule(Path(file).stem, kept.parent.name + kept.stem)
            return CrashReport(REASON, (module,), ((0, found[0]),))
    hint = "Name the file as the compiler was given it, and a line that does something."
    raise NotFound("fleet.no-line", f"the symbols hold no code for {file}:{line}", where="--crash-at", hint=hint)
