"""Programs of the stand-in engine: compiled where this system's compiler can, else stand-ins with correct headers.

A headset's has this machine's code under an arm64 header: it does not run, and its symbols and lines are real.
ELF: System V gABI. PE: Microsoft PE/COFF specification. Mach-O: Apple's loader.h.
"""

from __future__ import annotations

import argparse
import platform
import shutil
import struct
import subprocess
import tempfile
from dataclasses import dataclass, field
from pathlib import Path

MACHINES = {
    "linux": ("elf", "x86_64"),
    "windows": ("pe", "x86_64"),
    "macos": ("mach", "arm64"),
    "ios": ("mach", "arm64"),
    "android": ("elf", "arm64"),
    "headset": ("elf", "arm64"),
}
"""platform -> (container, usual architecture)"""
ELF = {"x86_64": 62, "arm64": 183}
PE = {"x86_64": 0x8664, "arm64": 0xAA64}
MACH = {"x86_64": (0x01000007, 3), "arm64": (0x0100000C, 0)}
FOREIGN = ["-nostdlib", "-static", "-Wl,--unresolved-symbols=ignore-all,-e,main,-z,max-page-size=16384"]
"""For headsets: nothing of this system's libraries goes in. It has symbols and lines, and does not run."""


class CompileError(Exception):
    """What the compiler said."""


@dataclass
class Made:
    """Files as (path, bytes, executable), and what there is to say."""

    files: list[tuple[str, bytes, bool]] = field(default_factory=list)
    said: list[str] = field(default_factory=list)


def build(source: Path, files: list[Path], options: argparse.Namespace, asked: list[str], broken: bool) -> Made:
    """Raises `CompileError`."""
    container, usual = MACHINES[options.platform]
    architectures = asked or [usual]
    made = Made()
    name = {"windows": "bin/peatlight.exe"}.get(options.platform, "bin/peatlight")
    compiled = options.platform == "headset" or (options.platform, architectures) == ("linux", [platform.machine()])
    if compiled and shutil.which("cc"):
        return _compiled(source, files, options, name, broken)
    if broken:
        raise CompileError("fatal error: src/fog_table.h: No such file or directory")
    made.said.append(
        f"note: no compiler for {options.platform} is here: the program is a stand-in with a correct header"
    )
    made.files.append((name, stand_in(container, architectures), True))
    return made


def _compiled(source: Path, files: list[Path], options: argparse.Namespace, name: str, broken: bool) -> Made:
    made = Made()
    with tempfile.TemporaryDirectory() as scratch:
        out = Path(scratch) / "peatlight"
        words = ["cc", "-std=c11", "-Wall", "-Wextra", "-g", "-O2" if options.mode == "release" else "-O0"]
        # The same bytes wherever the source lies, and a name under which debuggers find the symbols.
        words += [f"-ffile-prefix-map={source}=.", "-Wl,--build-id=sha1"]
        words += [f'-DMODE="{options.mode}"', *(["-include", "src/fog_table.h"] if broken else []), "-o", str(out)]
        words += FOREIGN if options.platform != "linux" else []
        named = [str(f.relative_to(source)) for f in files]
        done = subprocess.run([*words, *named], capture_output=True, text=True, cwd=source, check=False)
        said = done.stderr.replace(str(source) + "/", "").splitlines()
        if done.returncode != 0:
            raise CompileError("\n".join(said))
        made.said += [line for line in said if "warning:" in line]
        data = bytearray(out.read_bytes())
        if options.platform != "linux":
            struct.pack_into("<H", data, 18, ELF["arm64"])
            made.said.append("note: no compiler for arm64 is here: this is this machine's code under an arm64 header")
        made.files.append((name, bytes(data), True))
    return made


def stand_in(container: str, architectures: list[str]) -> bytes:
    """A header that says container and architecture, and a sentence in place of code."""
    text = b"This is a stand-in binary of Rampa's demo: it has a correct header and no code.\n" * 40
    if container == "pe":
        return _pe(architectures[0]) + text
    if container == "mach":
        return _mach(architectures) + text
    return _elf(architectures[0]) + text


def _elf(architecture: str) -> bytes:
    """With one segment, aligned to the 16 KiB pages that newer devices have."""
    ident = b"\x7fELF" + bytes([2, 1, 1, 0]) + bytes(8)
    head = ident + struct.pack("<HHIQQQIHHHHHH", 3, ELF[architecture], 1, 0, 64, 0, 0, 64, 56, 1, 64, 0, 0)
    return head + struct.pack("<IIQQQQQQ", 1, 5, 0, 0, 0, 120, 120, 16384)


def _pe(architecture: str) -> bytes:
    dos = b"MZ" + bytes(58) + struct.pack("<I", 64)
    coff = struct.pack("<HHIIIHH", PE[architecture], 0, 0, 0, 0, 112, 0x22)
    return dos + b"PE\0\0" + coff + struct.pack("<H", 0x20B) + bytes(110)


def _mach(architectures: list[str]) -> bytes:
    slices = [struct.pack("<IIIIIIII", 0xFEEDFACF, *MACH[a], 2, 0, 0, 0, 0) for a in architectures]
    if len(slices) == 1:
        return slices[0]
    head, body, at = struct.pack(">II", 0xCAFEBABE, len(slices)), b"", 4096
    for architecture, data in zip(architectures, slices, strict=True):
        head += struct.pack(">IIIII", *MACH[architecture], at + len(body), len(data), 12)
        body += data.ljust(4096, b"\0")
    return head.ljust(4096, b"\0") + body
