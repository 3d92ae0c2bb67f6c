"""What files are, by their first bytes: executables with platform and architecture, pictures with their size, languages by name.

Executables by `core/binaries`; PNG as RFC 2083, section 4.1.1 has it.
"""

from __future__ import annotations

import re
import struct
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from rampa.core.binaries.program import FORMATS, read_program
from rampa.core.binaries.read_at import of_bytes

HEAD = 4096
"""Bytes of a file that are looked at."""
ARCHITECTURES = frozenset({"x86", "x86_64", "arm32", "arm64"})
"""Those that a profile can name."""
LIBRARIES = re.compile(r"(?i)\.(dll|so(\.\d+)*|dylib)$")
# Two letters each, as one text: a list of sixty strings says no more and takes a page.
TAGS = frozenset(
    re.findall(
        "..",
        "arbebgbnbscacsdadeeleneseteufafifrgaglhehihrhuhyiditjakakkkmknkololtlvmkmlmnmrmsmtnbnenlnnnopaplptrorusiskslsq"
        "srsvswtatethtrukuruzvizh",
    )
)
"""ISO 639-1: those that titles are translated into."""


@dataclass(frozen=True, slots=True)
class Seen:
    """A file of the folder: path, size in bytes, first bytes (may be empty), whether it may be executed."""

    path: str
    size: int
    head: bytes = b""
    executable: bool = False


@dataclass(frozen=True, slots=True)
class Program:
    """An executable or library: `architecture` is empty for a script."""

    path: str
    platform: str
    architecture: str
    why: str

    @property
    def library(self) -> bool:
        return LIBRARIES.search(self.path) is not None


@dataclass(frozen=True, slots=True)
class Picture:
    path: str
    width: int
    height: int


@dataclass(frozen=True, slots=True)
class Languages:
    """`pattern` holds {language}."""

    tags: list[str]
    pattern: str
    example: str


def worth_reading(path: str, executable: bool) -> bool:
    """Whether a file's first bytes can tell something: of the others only the name is looked at."""
    name = path.rpartition("/")[2].lower()
    return (
        executable
        or "." not in name
        or name.endswith((".exe", ".dll", ".so", ".dylib", ".png", ".cmd", ".bat", ".txt"))
    )


def programs(files: Sequence[Seen]) -> list[Program]:
    return [p for seen in files if (p := _program(seen))]


def _program(seen: Seen) -> Program | None:
    head, path = seen.head, seen.path
    found = read_program(of_bytes(head))
    if found:
        form, platform = FORMATS[type(found)]
        machine = found.machine if found.machine in ARCHITECTURES else ""
        return Program(path, platform, machine, f"{path} is {_a(form)} file for {machine or 'another processor'}.")
    if head[:2] == b"#!" and seen.executable:
        return Program(path, "linux", "", f"{path} is a script that may be executed.")
    if path.lower().endswith((".cmd", ".bat")):
        return Program(path, "windows", "", f"{path} is a command script.")
    return None


def _a(form: str) -> str:
    return f"an {form}" if form[0] in "EAIO" else f"a {form}"


def pictures(files: Sequence[Seen]) -> tuple[Picture | None, Picture | None]:
    """(the likeliest icon, the likeliest opening picture): a large square one, a large wide one; names decide between equals."""
    found = [p for seen in files if (p := _png(seen))]
    icons = [p for p in found if p.width == p.height and p.width >= 1024]
    wide = [p for p in found if p.width >= 1280 and 1.3 <= p.width / p.height <= 2.4]
    return _likeliest(icons, ("icon", "logo")), _likeliest(wide, ("opening", "title", "start", "cover"))


def _png(seen: Seen) -> Picture | None:
    if seen.head[:8] != b"\x89PNG\r\n\x1a\n" or len(seen.head) < 24:
        return None
    width, height = struct.unpack(">II", seen.head[16:24])
    return Picture(seen.path, width, height) if height > 0 and width > 0 else None


def _likeliest(found: list[Picture], words: tuple[str, ...]) -> Picture | None:
    def rank(picture: Picture) -> tuple[bool, int, str]:
        return not any(w in picture.path.lower() for w in words), -picture.width, picture.path

    named = [p for p in found if any(w in p.path.lower() for w in words)]
    # A square texture is no icon: without a name that says so, only a picture high in the tree is taken.
    plain = [p for p in found if p.path.count("/") <= 1 and "texture" not in p.path.lower()]
    return min(named or plain, key=rank, default=None)


def find_languages(files: Sequence[Seen]) -> Languages | None:
    """Two files or more whose names differ only by a language tag: `locale/en.json`, `locale/fi.json`."""
    groups: dict[str, set[str]] = defaultdict(set)
    for seen in files:
        for match in re.finditer(r"(?<![A-Za-z])([a-z]{2,3})(?:-([A-Z]{2}))?(?![A-Za-z])", seen.path):
            if match.group(1) in TAGS:
                pattern = seen.path[: match.start()] + "{language}" + seen.path[match.end() :]
                folder = pattern.split("{language}/")[0] + "{language}/" if "{language}/" in pattern else pattern
                groups[folder].add(match.group())
    best = max(groups.items(), key=lambda g: (len(g[1]), g[0]), default=("", set()))
    pattern, tags = best
    if len(tags) < 2:
        return None
    ordered = sorted(tags, key=lambda t: (t != "en", t))
    return Languages(ordered, pattern, pattern.replace("{language}", ordered[0]))
