"""What a file is by its first bytes, whatever it is called: source formats, private keys, files of symbols.

Data, version 1; docs/profile-document.md lists it. Each row names the leave-out class that the sign belongs to.
"""

from __future__ import annotations

import os
import re
import struct
from dataclasses import dataclass
from pathlib import Path

HEAD = 4096
"""Bytes from the start of a file that are looked at."""


@dataclass(frozen=True, slots=True)
class Sign:
    """`cls` is the leave-out class, `why` is for a person. `only_warn`: it may be meant to ship, so it is named and goes in."""

    cls: str
    why: str
    only_warn: bool = False


@dataclass(frozen=True, slots=True)
class _Row:
    """`bytes` stand at `at`."""

    bytes: bytes
    at: int
    sign: Sign


_SOURCE = "source-assets"
ROWS = (
    _Row(b"mimetypeimage/openraster", 30, Sign(_SOURCE, "layered picture (OpenRaster)")),
    _Row(b"8BPS\x00\x01", 0, Sign(_SOURCE, "layered picture")),
    _Row(b"8BPS\x00\x02", 0, Sign(_SOURCE, "layered picture")),
    _Row(b"gimp xcf ", 0, Sign(_SOURCE, "layered picture")),
    _Row(b"II*\x00", 0, Sign(_SOURCE, "picture for editing (TIFF 6.0)")),
    _Row(b"MM\x00*", 0, Sign(_SOURCE, "picture for editing (TIFF 6.0)")),
    _Row(b"\x76\x2f\x31\x01", 0, Sign(_SOURCE, "picture for editing (OpenEXR)")),
    _Row(b"BLENDER", 0, Sign(_SOURCE, "model source")),
    _Row(b"Kaydara FBX Binary", 0, Sign(_SOURCE, "model source")),
    _Row(b"PXR-USDC", 0, Sign(_SOURCE, "model source (USD)")),
    _Row(b"#usda 1.0", 0, Sign(_SOURCE, "model source (USD)")),
    _Row(b"fLaC", 0, Sign(_SOURCE, "sound for editing (RFC 9639)")),
    _Row(b"FORM", 0, Sign(_SOURCE, "sound for editing (AIFF)")),
    _Row(b"MThd\x00\x00\x00\x06", 0, Sign(_SOURCE, "music source (MIDI)")),
    _Row(b"Microsoft C/C++ MSF 7.00", 0, Sign("symbols", "program database")),
    _Row(b"\xfe\xed\xfe\xed", 0, Sign("secrets", "keystore")),
    _Row(b"openssh-key-v1\x00", 0, Sign("secrets", "private key")),
)
PRIVATE_KEY = re.compile(rb"-----BEGIN (?:[A-Z0-9]+ )*PRIVATE KEY-----")
PKCS12 = re.compile(rb"\x30(?:\x82..|\x83...|\x80)\x02\x01\x03\x30", re.DOTALL)
"""RFC 7292, section 4: a sequence that begins with version 3 and a sequence."""
SYMBOLS_ONLY = Sign("symbols", "file of symbols (ELF with its code taken out)")
DEBUG_INSIDE = Sign("symbols", "program with debug information inside", only_warn=True)


def sign_of(head: bytes) -> Sign | None:
    """From the first `HEAD` bytes alone: everything but what an ELF file's sections say."""
    for row in ROWS:
        if head.startswith(row.bytes, row.at):
            if row.bytes == b"FORM" and head[8:12] not in (b"AIFF", b"AIFC"):
                continue
            return row.sign
    if PRIVATE_KEY.search(head) or PKCS12.match(head):
        return Sign("secrets", "private key")
    return None


def look(path: Path) -> Sign | None:
    """A file on disk; what cannot be read says nothing here, and is said where it is read."""
    try:
        fd = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    except OSError:
        return None
    try:
        head = os.pread(fd, HEAD, 0)
        if head[:6] == b"\x7fELF\x02\x01":
            return _elf(fd, head)
        return sign_of(head)
    except (OSError, struct.error):
        return None
    finally:
        os.close(fd)


def _elf(fd: int, head: bytes) -> Sign | None:
    """Section names and kinds (System V gABI, chapter 4): debug sections, and whether code is there at all."""
    (sections,) = struct.unpack_from("<Q", head, 40)
    size, count, names = struct.unpack_from("<HHH", head, 58)
    if size != 64 or not 0 < names < count <= 2000:
        return None
    table = os.pread(fd, size * count, sections)
    rows = [struct.unpack_from("<IIQQQQ", table, i * size) for i in range(len(table) // size)]
    if names >= len(rows) or rows[names][5] > 1 << 20:
        return None
    texts = os.pread(fd, rows[names][5], rows[names][4])
    titles = [texts[r[0] : texts.find(b"\0", r[0])] for r in rows]
    debug = any(t.startswith((b".debug_info", b".zdebug_info")) for t in titles)
    code = any(r[1] == 1 and r[2] & 4 for r in rows)
    if debug and not code:
        return SYMBOLS_ONLY
    return DEBUG_INSIDE if debug else None
