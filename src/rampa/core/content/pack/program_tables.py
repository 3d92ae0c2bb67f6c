"""Tables inside programs: rows that say where something is name how much further on it is than in the row before.

relocations   24 bytes: offset, type, symbol, addend (ELF, gABI chapter 4: Elf64_Rela)
pairs         8 bytes: a function, and what describes it (.eh_frame_hdr; unwind rows of ARM64 in PE)
triples       12 bytes: a function's begin and end, and what describes it (PE/COFF, .pdata of x86-64)
frames        rows of call frame information (.eh_frame: Linux Standard Base, chapter 10.6), each as long as it says

Of the first three each field of all rows lies apart; of frames, which function and which common row a row names is changed in
its place. All of it comes back whatever the bytes are: what says how long a row is, and of what kind, is never changed.
"""

from __future__ import annotations

import numpy as np

from rampa.core.content.pack import code_kernel

_kernel = code_kernel.kernel

RELOCATIONS, PAIRS, TRIPLES, FRAMES = 1, 2, 3, 4
ROWS = {
    RELOCATIONS: np.dtype([("offset", "<u8"), ("type", "<u4"), ("symbol", "<u4"), ("addend", "<u8")]),
    PAIRS: np.dtype([("function", "<u4"), ("told", "<u4")]),
    TRIPLES: np.dtype([("begin", "<u4"), ("end", "<u4"), ("told", "<u4")]),
}
FOLLOWING = {RELOCATIONS: ("offset", "addend"), PAIRS: ("function", "told"), TRIPLES: ("begin", "told")}
"""Fields that are told as what they are more than in the row before."""
BITS, PHASE = 5, 31
"""A run's byte: its table above, below it how many bytes come before its first whole row."""
LONGEST_ROW, ALIGNED = 1 << 16, 16


def mark(table: int, phase: int = 0) -> int:
    return table << BITS | phase


def is_mark(byte: int) -> bool:
    """Whether a run's byte says that it is of a table."""
    table, phase = byte >> BITS, byte & PHASE
    return phase < ROWS[table].itemsize if table in ROWS else byte == mark(FRAMES)


def turn(data: memoryview, byte: int, back: bool) -> bytes:
    """As many bytes; `back` gives what `turn` was given."""
    table, phase = byte >> BITS, byte & PHASE
    if table == FRAMES:
        return FrameRows(back).feed(data, last=True)
    first = min(phase, len(data))
    last = first + (len(data) - first) // ROWS[table].itemsize * ROWS[table].itemsize
    rows = _joined(data[first:last], table) if back else _apart(data[first:last], table)
    return b"".join((data[:first], rows, data[last:]))


def _apart(data: memoryview, table: int) -> bytes:
    rows = np.frombuffer(data, ROWS[table])
    out = []
    for name in rows.dtype.names or ():
        field = rows[name].copy()
        if name in FOLLOWING[table]:
            before = rows["end"] if (table, name) == (TRIPLES, "begin") else rows[name]
            field[1:] -= before[:-1]
        elif table == TRIPLES:
            field -= rows["begin"]
        out.append(field.tobytes())
    return b"".join(out)


def _joined(data: memoryview, table: int) -> bytes:
    count, at = len(data) // ROWS[table].itemsize, 0
    rows = np.empty(count, ROWS[table])
    for name in rows.dtype.names or ():
        kind = rows.dtype[name]
        rows[name] = np.frombuffer(data[at : at + count * kind.itemsize], kind)
        at += count * kind.itemsize
    if table == TRIPLES:
        # A function begins so far behind the end of the one before, and is so long.
        gaps, sizes = rows["begin"].copy(), rows["end"].copy()
        steps = gaps.copy()
        steps[1:] += sizes[:-1]
        rows["begin"] = np.cumsum(steps, dtype="<u4")
        rows["end"] = rows["begin"] + sizes
    for name in FOLLOWING[table]:
        if (table, name) != (TRIPLES, "begin"):
            rows[name] = np.cumsum(rows[name], dtype=rows.dtype[name])
    return rows.tobytes()


class FrameRows:
    """Call frame information that comes in pieces, from its first row on.

    A row that names a function has the distance to the row that both have in common, which becomes that one's place, and the
    distance to its function, which becomes how far that is behind the end of the function before, at the next multiple of 16.
    """

    def __init__(self, back: bool) -> None:
        self._back, self._held, self._position, self._last, self._over = back, b"", 0, 0, False

    def feed(self, piece: bytes | memoryview, last: bool) -> bytes:
        """What is settled by now; all that is left with the last piece."""
        data = bytearray(b"".join((self._held, piece)))
        settled = len(data)
        if not self._over:
            walk = _walk if _kernel is None else _kernel.turn_frames
            settled, self._last, self._over = walk(data, self._back, self._position, self._last)
            # Behind the end that the table says it has, and of a row that is cut off, everything stays as it is.
            settled = len(data) if last or self._over else settled
        self._held, self._position = bytes(data[settled:]), self._position + settled
        return bytes(data[:settled])


def _walk(data: bytearray, back: bool, position: int, last: int) -> tuple[int, int, bool]:
    """The kernel's `turn_frames`, where there is none."""
    at = 0
    while at + 4 <= len(data):
        length = _word(data, at)
        if not 0 < length <= LONGEST_ROW:
            return at, last, True
        if at + 4 + length > len(data):
            break
        if length >= 16 and (common := _word(data, at + 4)):
            _put(data, at + 4, _turned(common, position + at + 5))
            here, told = position + at + 8, _word(data, at + 8)
            function = (told + (last if back else here)) & 0xFFFFFFFF
            _put(data, at + 8, function - (here if back else last))
            last = (function + _word(data, at + 12) + ALIGNED - 1) & 0xFFFFFFFF & -ALIGNED
        at += 4 + length
    return at, last, False


def _turned(distance: int, here: int) -> int:
    """Its own inverse. 0 means a row of another kind: neither becomes it, nor comes from it."""
    turned = (here - distance) & 0xFFFFFFFF
    return turned or distance


def _word(data: bytearray, at: int) -> int:
    return int.from_bytes(data[at : at + 4], "little")


def _put(data: bytearray, at: int, value: int) -> None:
    data[at : at + 4] = (value & 0xFFFFFFFF).to_bytes(4, "little")
