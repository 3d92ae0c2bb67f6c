"""Reversible filters: a frame's bytes in an order that packs smaller, and back to exactly what they were.

sound    16-bit PCM: differences from the sample before, the second channel of two from the first; low and high bytes apart
blocks   textures of colour blocks (BC1, BC3): end points and indices of all blocks apart
code     programs: calls name where they go, in place of how far (code_filter.py), and tables the other way (program_tables.py)

    stored := u32 0x184D2A5F | u32 length | u8 kind | u8 parameter | u16 runs | run * runs | zstd frame
    run    := u32 bytes | u8 bytes before its first whole record            a zstd skippable frame (RFC 8878, 3.1.2)

Runs are stretches of one file: what they begin and end with beside whole records stays as it is. A run of code that is not
turned at all has as many bytes before its first record as a record has; one of a table has the table's mark.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from rampa.core.content.pack import program_tables
from rampa.core.content.pack.code_filter import CodeStream, turn_arm64, turn_x86
from rampa.core.content.pack.source import Source
from rampa.core.errors import Damaged

SKIPPABLE = 0x184D2A5F
SOUND, BLOCKS, CODE = 1, 2, 3
X86_64, ARM64 = 1, 4
"""Parameters of code: bytes of the smallest instruction."""
CHANNELS = 8
LAYOUTS = {8: (2, 2, 4), 16: (1, 1, 6, 2, 2, 4)}
"""Bytes of a block -> the widths of its fields, which are kept apart."""
HEAD = struct.Struct("<IIBBH")
RUN = struct.Struct("<IB")
MOST_RUNS = 0xFFFF


@dataclass(frozen=True, slots=True)
class Filter:
    """`parameter`: channels of sound, bytes of a block, of an instruction."""

    kind: int
    parameter: int

    def __post_init__(self) -> None:
        known = {SOUND: range(1, CHANNELS + 1), BLOCKS: LAYOUTS, CODE: (X86_64, ARM64)}
        if self.parameter not in known.get(self.kind, ()):
            raise Damaged("pack.damaged", f"a frame names a filter that is not known: {self.kind}, {self.parameter}")

    @property
    def record(self) -> int:
        """Bytes of what repeats."""
        return 2 * self.parameter if self.kind == SOUND else self.parameter

    def allows(self, skip: int) -> bool:
        """As what a run says. Of code the whole of a run can be left as it is, or be a table."""
        return skip < self.record or (self.kind == CODE and (skip == self.record or program_tables.is_mark(skip)))


Turn = Callable[[np.ndarray, int], np.ndarray]
Run = tuple[int, int]
"""(bytes, how many of them come before the first whole record)."""


def apply(data: bytes | memoryview, chosen: Filter, runs: Sequence[Run]) -> bytes:
    """As many bytes as there were. The runs' sizes sum up to them."""
    return _through(data, chosen, runs, back=False)


def undo(data: bytes | memoryview, chosen: Filter, runs: Sequence[Run]) -> bytes:
    """What `apply` was given."""
    return _through(data, chosen, runs, back=True)


def undo_pieces(pieces: Iterable[bytes], chosen: Filter, runs: Sequence[Run]) -> Iterator[bytes]:
    """The same for what comes in pieces. Of code only a piece is held, of anything else a run."""
    rest, left = iter(pieces), memoryview(b"")
    for size, skip in runs:
        code = _stream_of(chosen, skip)
        plain = chosen.kind == CODE and skip == chosen.record
        waiting, held = [], 0
        while held < size:
            left = left or memoryview(next(rest, b""))
            if not left:
                raise Damaged("pack.damaged", "a filtered frame is shorter than its runs")
            piece, left = left[: size - held], left[size - held :]
            first, held = held, held + len(piece)
            if plain:
                yield bytes(piece)
            elif code is None:
                waiting.append(piece)
            else:
                # What comes before the first whole record stays as it is.
                ahead = max(0, min(skip - first, len(piece))) if skip < chosen.record else 0
                yield bytes(piece[:ahead]) + code.feed(piece[ahead:], last=held == size)
        if waiting:
            yield undo(b"".join(waiting), chosen, [(size, skip)])


def _stream_of(chosen: Filter, skip: int) -> CodeStream | program_tables.FrameRows | None:
    """What turns a run back as it comes, where there is such a thing."""
    if chosen.kind != CODE:
        return None
    if skip == program_tables.mark(program_tables.FRAMES):
        return program_tables.FrameRows(back=True)
    return CodeStream(chosen.parameter) if skip < chosen.record else None


def wrap(frame: bytes, chosen: Filter, runs: Sequence[Run]) -> bytes:
    """`frame` has the filtered bytes, compressed."""
    told = b"".join(RUN.pack(*run) for run in runs)
    length = HEAD.size - 8 + len(told) + len(frame)
    return HEAD.pack(SKIPPABLE, length, chosen.kind, chosen.parameter, len(runs)) + told + frame


def unwrap(stored: Source, raw: int) -> tuple[Filter, list[Run]] | None:
    """(the filter, its runs), or None for a frame that is not filtered; the compressed frame is what is left of `stored`.

    Raises `Damaged`.
    """
    head = stored.peek(HEAD.size)
    if len(head) < HEAD.size:
        return None
    magic, length, kind, parameter, count = HEAD.unpack_from(head)
    # A skippable frame of this number can come from nobody else: packs, encrypted frames and these have one each.
    if magic != SKIPPABLE:
        return None
    chosen = Filter(kind, parameter)
    if length != stored.left - 8 or HEAD.size + count * RUN.size > stored.left:
        raise Damaged("pack.damaged", "a filtered frame does not look like one")
    stored.read(HEAD.size)
    runs = list(RUN.iter_unpack(stored.read(count * RUN.size)))
    if sum(size for size, _ in runs) != raw or not all(chosen.allows(skip) for _, skip in runs):
        raise Damaged("pack.damaged", "the runs of a filtered frame do not fill it")
    return chosen, runs


def _through(data: bytes | memoryview, chosen: Filter, runs: Sequence[Run], back: bool) -> bytes:
    view, at, out = memoryview(data), 0, list[bytes | memoryview]()
    turn = (UNDO if back else APPLY)[chosen.kind]
    for size, skip in runs:
        if chosen.kind == CODE and skip > chosen.record:
            out.append(program_tables.turn(view[at : at + size], skip, back))
            at += size
            continue
        # A run may be shorter than what it should skip: a chunk can end within a header.
        first = at + (size if chosen.kind == CODE and skip == chosen.record else min(skip, size))
        last = first + (at + size - first) // chosen.record * chosen.record
        records = np.frombuffer(view[first:last], np.uint8)
        out += [view[at:first], turn(records, chosen.parameter).data, view[last : at + size]]
        at += size
    return b"".join(out)


def _split_sound(data: np.ndarray, channels: int) -> np.ndarray:
    samples = data.view("<u2").reshape(-1, channels).copy()
    if channels == 2:
        samples[:, 1] -= samples[:, 0]
    # Differences are taken modulo 2**16, so the last sample and the first may be as far apart as they like.
    samples[1:] -= samples[:-1].copy()
    signed = samples.view(np.int16)
    # Small differences of either sign become small numbers: 0, -1, 1, -2 are 0, 1, 2, 3. High bytes are then nearly
    # all 0.
    folded = ((signed << 1) ^ (signed >> 15)).view(np.uint16)
    return np.ascontiguousarray(folded.T).view(np.uint8).reshape(channels, -1, 2).transpose(0, 2, 1).reshape(-1)


def _join_sound(data: np.ndarray, channels: int) -> np.ndarray:
    planes = data.reshape(channels, 2, -1)
    folded = np.ascontiguousarray(planes.transpose(2, 0, 1)).view("<u2").reshape(-1, channels)
    samples = (folded >> 1) ^ (0 - (folded & 1))
    np.cumsum(samples, axis=0, dtype=np.uint16, out=samples)
    if channels == 2:
        samples[:, 1] += samples[:, 0]
    return samples.astype("<u2", copy=False).view(np.uint8).reshape(-1)


def _split_blocks(data: np.ndarray, size: int) -> np.ndarray:
    blocks, at, fields = data.reshape(-1, size), 0, []
    for width in LAYOUTS[size]:
        fields.append(blocks[:, at : at + width].reshape(-1))
        at += width
    return np.concatenate(fields)


def _join_blocks(data: np.ndarray, size: int) -> np.ndarray:
    count = len(data) // size
    blocks, at, start = np.empty((count, size), np.uint8), 0, 0
    for width in LAYOUTS[size]:
        blocks[:, at : at + width] = data[start : start + count * width].reshape(count, width)
        at, start = at + width, start + count * width
    return blocks.reshape(-1)


def _absolute(data: np.ndarray, processor: int) -> np.ndarray:
    return turn_x86(data, back=False) if processor == X86_64 else turn_arm64(data, back=False)


def _relative(data: np.ndarray, processor: int) -> np.ndarray:
    return turn_x86(data, back=True) if processor == X86_64 else turn_arm64(data, back=True)


APPLY: dict[int, Turn] = {SOUND: _split_sound, BLOCKS: _split_blocks, CODE: _absolute}
UNDO: dict[int, Turn] = {SOUND: _join_sound, BLOCKS: _join_blocks, CODE: _relative}
