"""What a file is by its first bytes, whatever it is called: source formats, private keys, files of symbols.

Data, version 1; docs/profile-document.md lists it. Each row names the leave-out class that the trait belongs to.
"""

from __future__ import annotations

import os
import re
import struct
from dataclasses import dataclass
from pathlib import Path

from rampa.core.binaries.elf import Elf, read_elf
from rampa.core.binaries.read_at import of_descriptor

HEAD = 4096
"""Bytes from the start of a file that are looked at."""


@dataclass(frozen=True, slots=True)
class Trait:
    """`cls` is the leave-out class, `why` is for a person. `only_warn`: it may be meant to ship, so it is named and goes in."""

    cls: str
    why: str
    only_warn: bool = False


@dataclass(frozen=True, slots=True)
class _Row:
    """`bytes` stand at `at`."""

    bytes: bytes
    at: int
    trait: Trait


_SOURCE = "source-assets"
ROWS = (
    _Row(b"mimetypeimage/openraster", 30, Trait(_SOURCE, "layered picture (OpenRaster)")),
    _Row(b"8BPS\x00\x01", 0, Trait(_SOURCE, "layered picture")),
    _Row(b"8BPS\x00\x02", 0, Trait(_SOURCE, "layered picture")),
    _Row(b"gimp xcf ", 0, Trait(_SOURCE, "layered picture")),
    _Row(b"II*\x00", 0, Trait(_SOURCE, "picture for editing (TIFF 6.0)")),
    _Row(b"MM\x00*", 0, Trait(_SOURCE, "picture for editing (TIFF 6.0)")),
    _Row(b"\x76\x2f\x31\x01", 0, Trait(_SOURCE, "picture for editing (OpenEXR)")),
    _Row(b"BLENDER", 0, Trait(_SOURCE, "model source")),
    _Row(b"Kaydara FBX Binary", 0, Trait(_SOURCE, "model source")),
    _Row(b"PXR-USDC", 0, Trait(_SOURCE, "model source (USD)")),
    _Row(b"#usda 1.0", 0, Trait(_SOURCE, "model source (USD)")),
    _Row(b"fLaC", 0, Trait(_SOURCE, "sound for editing (RFC 9639)")),
    _Row(b"FORM", 0, Trait(_SOURCE, "sound for editing (AIFF)")),
    _Row(b"MThd\x00\x00\x00\x06", 0, Trait(_SOURCE, "music source (MIDI)")),
    _Row(b"Microsoft C/C++ MSF 7.00", 0, Trait("symbols", "program database")),
    _Row(b"\xfe\xed\xfe\xed", 0, Trait("secrets", "keystore")),
    _Row(b"openssh-key-v1\x00", 0, Trait("secrets", "private key")),
)
PRIVATE_KEY = re.compile(rb"-----BEGIN (?:[A-Z0-9]+ )*PRIVATE KEY-----")
PKCS12 = re.compile(rb"\x30(?:\x82..|\x83...|\x80)\x02\x01\x03\x30", re.DOTALL)
"""RFC 7292, section 4: a sequence that begins with version 3 and a sequence."""
SYMBOLS_ONLY = Trait("symbols", "file of symbols (ELF with its code taken out)")
DEBUG_INSIDE = Trait("symbols", "program with debug information inside", only_warn=True)


def trait_of(head: bytes) -> Trait | None:
    """From the first `HEAD` bytes alone: everything but what an ELF file's sections say."""
    for row in ROWS:
        if head.startswith(row.bytes, row.at):
            # FORM begins a whole family of containers; only the two kinds of sound are meant.
            if row.bytes == b"FORM" and head[8:12] not in (b"AIFF", b"AIFC"):
                continue
            return row.trait
    if PRIVATE_KEY.search(head) or PKCS12.match(head):
        return Trait("secrets", "private key")
    return None


def look(path: Path) -> Trait | None:
    """A file on disk; what cannot be read says nothing here, and is said where it is read."""
    try:
        # Not through links, and without waiting: a named pipe in the folder would hold the walk for ever.
        fd = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    except OSError:
        return None
    try:
        head = os.pread(fd, HEAD, 0)
        elf = read_elf(of_descriptor(fd))
        return _of_sections(elf) if elf else trait_of(head)
    # Hostile or cut-off headers are no reason to stop a selection: such a file says nothing of itself and goes in as
    # it is.
    except (OSError, OverflowError, ValueError, struct.error):
        return None
    finally:
        os.close(fd)


def _of_sections(elf: Elf) -> Trait | None:
    """Debug sections, and whether code is there at all."""
    if not any(s.name.startswith((".debug_info", ".zdebug_info")) for s in elf.sections):
        return None
    # A program with its code keeps working without them, so it is only said; a file that is nothing else stays out.
    return DEBUG_INSIDE if elf.has_code else SYMBOLS_ONLY
