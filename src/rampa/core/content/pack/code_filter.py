"""Programs: calls name where they go, in place of how far; the same function called twice is then the same bytes.

x86-64   behind each E8 and E9 (call, jmp: Intel SDM, volume 2) a distance of four bytes, counted from behind it
ARM64    BL: 26 bits of words; ADRP: 21 bits of pages of 4 KiB (Arm ARM DDI 0487, C6.2), counted from the instruction itself

Positions count from the start of a run. Both are exactly reversible whatever the bytes are: what says where an instruction is
is never changed, and what is changed stays within what says that it is one.
"""

from __future__ import annotations

import sys

import numpy as np

from rampa.core.content.pack import code_kernel

_kernel = code_kernel.kernel

CALL, JUMP, LENGTH = 0xE8, 0xE9, 5
BITS = 25
"""Of a distance: further than 16 MiB a call hardly goes, and bytes that look like one are then mostly data."""
HALF, MASK = 1 << (BITS - 1), (1 << BITS) - 1
BL, BL_MASK, WORDS = 0x94000000, 0xFC000000, 0x03FFFFFF
ADRP, ADRP_MASK, PAGES = 0x90000000, 0x9F000000, 0x001FFFFF


def turn_x86(data: np.ndarray, back: bool) -> np.ndarray:
    """As many bytes; `back` gives what `turn_x86` was given."""
    return _turn_calls(data, back, 0, 0)[0]


def _turn_calls(data: np.ndarray, back: bool, position: int, free: int) -> tuple[np.ndarray, int]:
    """`position` is where `data` begins in its run, `free` the first byte that is looked at. Gives what became of it, and the
    first byte that would be looked at behind it."""
    if _kernel is None:
        return turn_calls_numpy(data, back, position, free)
    out = data.copy()
    return out, _kernel.turn_x86(out, back, position, free)


def turn_calls_numpy(data: np.ndarray, back: bool, position: int, free: int) -> tuple[np.ndarray, int]:
    """The same where no kernel was built."""
    out = data.copy()
    at = _calls(data, free)
    if not len(at):
        return out, free
    free = int(at[-1]) + LENGTH - 1
    # Four gathers of bytes: the distances lie at any position.
    said = sum(out[at + n].astype(np.uint32) << np.uint32(8 * n) for n in range(4))
    near = (said + np.uint32(HALF)) <= MASK
    at, said = at[near], said[near]
    ends = (at + (position + 4)).astype(np.uint32)
    turned = (said - ends if back else said + ends) & np.uint32(MASK)
    # The sign goes on to the top, as in what was there: whoever turns back finds the same calls.
    turned = np.where(turned & np.uint32(HALF), turned | np.uint32(0xFFFFFFFF ^ MASK), turned)
    for n in range(4):
        out[at + n] = (turned >> np.uint32(8 * n)).astype(np.uint8)
    return out, free


def _calls(data: np.ndarray, free: int) -> np.ndarray:
    """Where distances begin. From one opcode to the next that lies behind its distance, whether it was turned or not: a distance
    then never changes what is looked at for another."""
    found = np.flatnonzero((data == CALL) | (data == JUMP))
    found = found[np.searchsorted(found, free) : np.searchsorted(found, len(data) - LENGTH, "right")]
    if not len(found) or np.all(np.diff(found) >= LENGTH):
        return found + 1
    following, chosen, at = np.searchsorted(found, found + LENGTH).tolist(), [], 0
    while at < len(found):
        chosen.append(at)
        at = following[at]
    return found[chosen] + 1


def turn_arm64(data: np.ndarray, back: bool, position: int = 0) -> np.ndarray:
    """Of whole words, the first of them `position` bytes behind the run's start. As many bytes; `back` gives what
    `turn_arm64` was given."""
    words = data.view("<u4").copy()
    if _kernel is not None and sys.byteorder == "little":
        _kernel.turn_arm64(words, back, position // 4)
        return words.view(np.uint8)
    return _turn_words_numpy(words, back, position)


def _turn_words_numpy(words: np.ndarray, back: bool, position: int) -> np.ndarray:
    """The same where no kernel was built; changes `words`."""
    places = np.arange(position // 4, position // 4 + len(words), dtype=np.uint32)
    calls, pages = (words & np.uint32(BL_MASK)) == BL, (words & np.uint32(ADRP_MASK)) == ADRP
    far = words[calls] & np.uint32(WORDS)
    turned = far - places[calls] if back else far + places[calls]
    words[calls] = np.uint32(BL) | (turned & np.uint32(WORDS))
    word = words[pages]
    page = (word >> np.uint32(5) & np.uint32(0x7FFFF)) << np.uint32(2) | word >> np.uint32(29) & np.uint32(3)
    here = places[pages] >> np.uint32(10)
    turned = (page - here if back else page + here) & np.uint32(PAGES)
    kept = word & np.uint32(ADRP_MASK | 0x1F)
    words[pages] = kept | (turned >> np.uint32(2)) << np.uint32(5) | (turned & np.uint32(3)) << np.uint32(29)
    return words.view(np.uint8)


class CodeStream:
    """A run that comes in pieces, turned back as it comes: what the whole run would give."""

    def __init__(self, small: int) -> None:
        """`small`: bytes of the smallest instruction, 1 for x86-64, 4 for ARM64."""
        self._small, self._held, self._position, self._free = small, b"", 0, 0

    def feed(self, piece: bytes | memoryview, last: bool) -> bytes:
        """What is settled by now; all that is left with the last piece."""
        data = np.frombuffer(b"".join((self._held, piece)), np.uint8)
        if self._small == 1:
            out, self._free = _turn_calls(data, True, self._position, self._free)
            # An opcode with less than four bytes behind it is looked at again with what follows.
            settled = len(data) if last else min(len(data), max(self._free, len(data) - LENGTH + 1))
        else:
            settled = len(data) // 4 * 4
            out = np.concatenate((turn_arm64(data[:settled], True, self._position), data[settled:]))
        settled = len(data) if last else settled
        self._held, self._position = data[settled:].tobytes(), self._position + settled
        self._free = max(0, self._free - settled)
        return out[:settled].tobytes()
