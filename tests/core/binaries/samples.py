"""Small native binaries, laid out by hand as their specifications say."""

from __future__ import annotations

import struct


def elf(
    *, machine: int = 62, wide: bool = True, order: str = "<", needed: tuple[str, ...] = (), build_id: bytes = b""
) -> bytes:
    """Segments: one loaded over everything, one dynamic, one note. No sections."""
    texts = b"\0" + b"".join(n.encode() + b"\0" for n in needed)
    places = [texts.index(n.encode() + b"\0") for n in needed]
    ehdr, phdr, word = (64, 56, "Q") if wide else (52, 32, "I")
    texts_at = ehdr + 3 * phdr
    tags = [(1, p) for p in places] + [(5, 0x1000 + texts_at), (10, len(texts)), (0, 0)]
    dynamic = b"".join(struct.pack(f"{order}{word}{word}", *t) for t in tags)
    dynamic_at = texts_at + len(texts)
    note = struct.pack(f"{order}III", 4, len(build_id), 3) + b"GNU\0" + build_id
    note_at = dynamic_at + len(dynamic)
    size = note_at + len(note)
    ident = b"\x7fELF" + bytes((2 if wide else 1, 1 if order == "<" else 2, 1)) + bytes(9)
    rest = struct.pack(f"{order}HHI{word}{word}{word}I", 3, machine, 1, 0, ehdr, 0, 0)
    head = ident + rest + struct.pack(f"{order}HHHHHH", ehdr, phdr, 3, 0, 0, 0)
    rows = [
        (1, 5, 0, 0x1000, size, size, 4096),
        (2, 6, dynamic_at, 0, len(dynamic), 0, 8),
        (4, 4, note_at, 0, len(note), 0, 4),
    ]
    out = head
    for kind, flags, offset, address, in_file, memory, align in rows:
        if wide:
            out += struct.pack(f"{order}IIQQQQQQ", kind, flags, offset, address, address, in_file, memory, align)
        else:
            out += struct.pack(f"{order}IIIIIIII", kind, offset, address, address, in_file, memory, flags, align)
    return out + texts + dynamic + note


def pe(*, machine: int = 0x8664, imports: tuple[str, ...] = ()) -> bytes:
    """One section at 0x1000 that holds the import directory."""
    optional, rows_at = 112 + 16 * 8, 64 + 24 + 112 + 16 * 8
    body_at = rows_at + 40
    names_at = 20 * (len(imports) + 1)
    directory, names = b"", b""
    for name in imports:
        directory += struct.pack("<IIIII", 0, 0, 0, 0x1000 + names_at + len(names), 0)
        names += name.encode() + b"\0"
    body = directory + bytes(20) + names
    head = b"MZ" + bytes(58) + struct.pack("<I", 64)
    coff = b"PE\0\0" + struct.pack("<HHIIIHH", machine, 1, 0, 0, 0, optional, 0)
    options = bytearray(optional)
    struct.pack_into("<H", options, 0, 0x20B)
    struct.pack_into("<Q", options, 24, 0x140000000)
    struct.pack_into("<I", options, 56, 0x9000)
    struct.pack_into("<II", options, 112 + 8, 0x1000 if imports else 0, len(directory))
    row = (
        b".rdata\0\0"
        + struct.pack("<IIII", len(body), 0x1000, len(body), body_at)
        + bytes(12)
        + struct.pack("<I", 0x40000040)
    )
    return head + coff + bytes(options) + row + body


def mach_o(*, machine: int = 0x0100000C, libraries: tuple[str, ...] = ()) -> bytes:
    commands = b""
    for name in libraries:
        text = name.encode() + b"\0"
        commands += struct.pack("<IIIIII", 0xC, 24 + len(text), 24, 0, 0, 0) + text
    return b"\xcf\xfa\xed\xfe" + struct.pack("<IIIIIII", machine, 0, 2, len(libraries), len(commands), 0, 0) + commands
