"""Programs that really crash: the demo's sources, compiled here, with their symbols apart."""

from __future__ import annotations

import os
import subprocess
from dataclasses import dataclass
from pathlib import Path

from demo.peatlight import drawing, sources

from rampa.core.binaries.elf import whole_elf
from rampa.core.binaries.read_at import of_descriptor
from rampa.core.health.crash import CrashReport, left_behind


@dataclass(frozen=True)
class Program:
    """`file` is stripped; its symbols lie below `symbols`, by build id."""

    file: Path
    symbols: Path
    build_id: str

    def crash(self, form: str = "visor-2") -> CrashReport:
        """What it leaves behind when it is started on such a device."""
        left = self.file.parent / "crash.json"
        environment = {**os.environ, "RAMPA_CRASH_REPORT": str(left), "RAMPA_DEVICE_CLASS": form}
        ended = subprocess.run([self.file, "--self-test"], env=environment, capture_output=True, check=False)
        assert ended.returncode < 0, ended.stdout
        report = left_behind(left)
        assert report
        return report


def compile_program(folder: Path, fog: str = sources.FOG_DEEP, level: str = "-O2") -> Program:
    """Peatlight's program, with this fog."""
    (folder / "src").mkdir(parents=True)
    written = {"main.c": sources.MAIN, "night.c": sources.NIGHT, "night.h": sources.NIGHT_H, "crash.c": sources.CRASH}
    written["draw.c"] = drawing.IN_C
    for name, text in {**written, "fog.c": fog}.items():
        (folder / "src" / name).write_text(text)
    file = folder / "peatlight"
    units = sorted(str(p.relative_to(folder)) for p in (folder / "src").glob("*.c"))
    words = ["cc", "-std=c11", "-g", level, "-Wl,--build-id=sha1", f"-ffile-prefix-map={folder}=.", "-o", str(file)]
    subprocess.run([*words, *units], cwd=folder, check=True)
    with file.open("rb") as stream:
        elf = whole_elf(of_descriptor(stream.fileno()))
        assert elf
        ident = elf.build_id
    kept = folder / "symbols" / ".build-id" / ident[:2] / f"{ident[2:]}.debug"
    kept.parent.mkdir(parents=True)
    subprocess.run(["objcopy", "--only-keep-debug", file, kept], check=True)
    subprocess.run(["objcopy", "--strip-debug", "--strip-unneeded", file], check=True)
    return Program(file, folder / "symbols", ident)
