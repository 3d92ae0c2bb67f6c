"""Crashes: what a program leaves behind when it falls over, and which crashes are of the same place.

A report holds modules by their build ids and addresses in them, innermost first: no names of people, no memory, no path of a
machine. It is the file `rampa-crash` (docs/formats.md) that a title's program writes, and what devices send.

Two crashes are one group when they are of the same place: the innermost function that symbols name, and its file. Addresses and
lines change from build to build, names rarely; who called it and by which signal it ended does not matter. What has no symbols,
such as the system's own libraries, is passed over. Without any symbols a module and an address must do, and hold within one
build only.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from rampa.core.binaries.lines import Place
from rampa.core.errors import Invalid

FORMAT, VERSION = "rampa-crash", 1
MOST_BYTES = 1 << 16
MOST_FRAMES, MOST_MODULES = 64, 64
REASON = re.compile(r"[A-Za-z0-9_.-]{1,40}")
MODULE = re.compile(r"[A-Za-z0-9][A-Za-z0-9 ._+-]{0,99}")
IDENT = re.compile(r"([0-9a-f]{2}){2,64}")


@dataclass(frozen=True, slots=True)
class CrashModule:
    """`build_id` hexadecimal, empty for one that has none."""

    name: str
    build_id: str = ""


@dataclass(frozen=True, slots=True)
class CrashReport:
    """`frames` are (module's place in `modules`, address as in that module's file), innermost first."""

    reason: str
    modules: tuple[CrashModule, ...]
    frames: tuple[tuple[int, int], ...]

    def __post_init__(self) -> None:
        if not REASON.fullmatch(self.reason):
            raise _wrong("its reason is no short word, such as SIGSEGV", "reason")
        if not 1 <= len(self.frames) <= MOST_FRAMES or len(self.modules) > MOST_MODULES:
            raise _wrong(f"it has no frames, or more than {MOST_FRAMES}, or more than {MOST_MODULES} modules", "frames")
        for module in self.modules:
            if not MODULE.fullmatch(module.name) or (module.build_id and not IDENT.fullmatch(module.build_id)):
                raise _wrong("a module is a file's name without its folder, and a build id in hexadecimal", "modules")
        if any(not 0 <= m < len(self.modules) or not 0 <= a < 2**63 for m, a in self.frames):
            raise _wrong("a frame names a module that is not listed, or no address", "frames")

    @property
    def digest(self) -> bytes:
        """The same for the same stack of the same binaries."""
        return hashlib.sha256(to_json(self)).digest()


@dataclass(frozen=True, slots=True)
class NamedFrame:
    """A frame and what symbols say of it; without any, `places` is empty."""

    module: str
    address: int
    places: tuple[Place, ...] = ()


@dataclass(frozen=True, slots=True)
class CrashPlace:
    """What makes a group: `key` (SHA-256) the same for the same, `name` for people."""

    key: str
    name: str


def read_report(data: bytes) -> CrashReport:
    """The file that a program wrote. Raises `Invalid`."""
    if len(data) > MOST_BYTES:
        raise _wrong(f"it is larger than {MOST_BYTES >> 10} KiB", "")
    try:
        told = json.loads(data)
        if (told["format"], told["version"]) != (FORMAT, VERSION):
            raise _wrong(f"it is no {FORMAT} of version {VERSION}", "format")
        modules = tuple(CrashModule(str(m["name"]), str(m.get("build_id", ""))) for m in told["modules"])
        return CrashReport(str(told["reason"]), modules, tuple((int(m), int(a)) for m, a in told["frames"]))
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        if isinstance(error, Invalid):
            raise
        raise _wrong("it is not what docs/formats.md says", "") from error


def left_behind(file: Path) -> CrashReport | None:
    """What a program left in this file when it crashed; None where that is nothing, or no report.

    The program chose what lies there: no link is followed, and a pipe that nobody writes to is not waited for.
    """
    try:
        found = os.open(file, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
        with os.fdopen(found, "rb") as stream:
            return read_report(stream.read(MOST_BYTES + 1) or b"")
    except (OSError, Invalid):
        return None


def to_json(report: CrashReport) -> bytes:
    told = {
        "format": FORMAT,
        "version": VERSION,
        "reason": report.reason,
        "modules": [{"name": m.name, "build_id": m.build_id} for m in report.modules],
        "frames": [list(f) for f in report.frames],
    }
    return json.dumps(told, separators=(",", ":"), sort_keys=True).encode()


def code_addresses(report: CrashReport) -> list[tuple[int, int]]:
    """(module, address) to look symbols up by, for each frame: all but the innermost are return addresses, behind their call."""
    return [(module, max(0, address - (at > 0))) for at, (module, address) in enumerate(report.frames)]


def wanted_symbols(report: CrashReport) -> dict[str, set[int]]:
    """Build id -> addresses to look up in its symbols."""
    wanted: dict[str, set[int]] = defaultdict(set)
    for module, address in code_addresses(report):
        if report.modules[module].build_id:
            wanted[report.modules[module].build_id].add(address)
    return wanted


def named(report: CrashReport, symbols: Mapping[str, Mapping[int, Sequence[Place]]]) -> tuple[NamedFrame, ...]:
    """`symbols`: build id -> address -> places, of `wanted_symbols`; what is not there has no names."""
    frames = []
    for (number, address), (_, code) in zip(report.frames, code_addresses(report), strict=True):
        module = report.modules[number]
        frames.append(NamedFrame(module.name, address, tuple(symbols.get(module.build_id, {}).get(code, ()))))
    return tuple(frames)


def place_of(frames: Sequence[NamedFrame]) -> CrashPlace:
    """The group of a crash."""
    place = next((place for frame in frames for place in frame.places), None)
    if place is None:
        first = frames[0]
        return CrashPlace(_key(f"{first.module}+{first.address:x}"), f"{first.module} at {first.address:#x}")
    where = f", {place.file}:{place.line}" if place.file else ""
    return CrashPlace(_key(place.function, place.file), f"{place.function}{where}")


def _key(*words: str) -> str:
    return hashlib.sha256("\0".join(words).encode()).hexdigest()


def _wrong(what: str, where: str) -> Invalid:
    return Invalid("crash.report", f"this is no report of a crash: {what}", where=where or "crash")
