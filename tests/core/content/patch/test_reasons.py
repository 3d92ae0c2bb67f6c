"""Why an update of a file costs so much: each reason brought about by the change that it is named for."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from rampa.core.content.patch import reasons
from rampa.core.content.patch.reasons import reason
from rampa.core.content.tree.tree import Chunk, FileEntry
from tests.packages import LIBRARY
from tests.samples import noise

SIZE = 4_000


def file(data: bytes, path: str = "data/bog.arc") -> FileEntry:
    """Cut into pieces of 100 bytes, each named by its content."""
    pieces = [data[at : at + 100] for at in range(0, len(data), 100)]
    chunks = tuple(Chunk((p + bytes(32))[:16] + len(p).to_bytes(16, "big"), len(p)) for p in pieces)
    return FileEntry(path, len(data), False, bytes(32), chunks)


def told(old: bytes | None, new: bytes, share: float = 0.5) -> str:
    def reader(data: bytes) -> Callable[[str, int, int], bytes]:
        return lambda _, offset, size: data[offset : offset + size]

    before = file(old) if old is not None else None
    found = reason(file(new), before, share, reader(new), reader(old or b""))
    assert found.why
    assert found.advice.endswith(".")
    return found.code


OLD = noise(SIZE, 1)


def stamped(data: bytes, places: range, length: int = 4) -> bytes:
    out = bytearray(data)
    for at in places:
        out[at : at + length] = bytes(b ^ 0xFF for b in out[at : at + length])
    return bytes(out)


@pytest.mark.parametrize(
    ("old", "new", "share", "code"),
    [
        (None, OLD, 0.5, "new"),
        (OLD, noise(100, 9) + OLD[100:], 0.5, "index-first"),
        (OLD, stamped(OLD, range(50, SIZE, 1_000)), 0.5, "stamps"),
        (OLD, stamped(OLD, range(0, SIZE, 100), 40), 0.5, "shifted"),
        (OLD, noise(SIZE, 2), 0.99, "packed-before"),
        (OLD, noise(SIZE, 2), 0.5, "shifted"),
        (OLD, noise(SIZE * 2, 3), 0.5, "replaced"),
        (LIBRARY, LIBRARY[:-9] + b"recompile", 0.5, "recompiled"),
        (b"", b"x" * 50, 0.5, "replaced"),
    ],
)
def test_each_change_has_its_reason(old: bytes | None, new: bytes, share: float, code: str) -> None:
    assert told(old, new, share) == code


def test_the_reasons_are_told_apart() -> None:
    every = [r for r in vars(reasons).values() if isinstance(r, reasons.Reason)]
    assert len({r.code for r in every}) == len({r.why for r in every}) == len(every) == 7
