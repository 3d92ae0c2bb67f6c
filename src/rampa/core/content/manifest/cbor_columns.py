"""Deterministic CBOR (RFC 8949, section 4.2.1) of long columns, without an object for each number or text."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import cbor2
import numpy as np

from rampa.core.content.tree.columns import Numbers, Texts

UNSIGNED, NEGATIVE, TEXT, ARRAY, MAP = 0x00, 0x20, 0x60, 0x80, 0xA0
STEPS = ((24, 1), (1 << 8, 2), (1 << 16, 3), (1 << 32, 5), (1 << 64, 9))
"""(numbers below this, the bytes that they take with their head)."""
HEADS = {2: (24, ">u1"), 3: (25, ">u2"), 5: (26, ">u4"), 9: (27, ">u8")}
"""Bytes of an item -> what its head says, and the form of its number."""
AT_ONCE = 1 << 16


class Column(bytes):
    """A value that is encoded already."""


def head(kind: int, number: int) -> bytes:
    """The head of an item: its kind and its number, in the fewest bytes."""
    size = next(size for limit, size in STEPS if number < limit)
    if size == 1:
        return bytes([kind | number])
    code, _ = HEADS[size]
    return bytes([kind | code]) + number.to_bytes(size - 1)


def numbers(values: Numbers) -> Column:
    """An array of integers (of numpy, signed or not)."""
    out = bytearray(head(ARRAY, len(values)))
    for at in range(0, len(values), AT_ONCE):
        out += _numbers(values[at : at + AT_ONCE])
    return Column(out)


def _numbers(values: Numbers) -> bytes:
    if values.dtype.kind == "u":
        size, kind = values.astype(np.uint64), np.full(len(values), UNSIGNED, dtype=np.uint8)
    else:
        signed = values.astype(np.int64)
        size = (signed ^ (signed >> 63)).view(np.uint64)  # -1 - n for a negative n
        kind = np.where(signed < 0, NEGATIVE, UNSIGNED).astype(np.uint8)
    # By width, all numbers of one width at once: five passes in place of a call for every number.
    width = np.full(len(size), 9, dtype=np.int64)
    for limit, bytes_ in reversed(STEPS[:-1]):
        width[size < np.uint64(limit)] = bytes_
    ends = np.cumsum(width)
    out, starts = np.empty(int(ends[-1]), dtype=np.uint8), ends - width
    small = width == 1
    out[starts[small]] = kind[small] | size[small].astype(np.uint8)
    for bytes_, (code, form) in HEADS.items():
        alike = width == bytes_
        if alike.any():
            at = starts[alike]
            out[at] = kind[alike] | code
            body = size[alike].astype(form).view(np.uint8).reshape(-1, bytes_ - 1)
            out[at[:, None] + np.arange(1, bytes_)] = body
    return out.tobytes()


def texts(values: Texts) -> Column:
    """An array of texts."""
    out = bytearray(head(ARRAY, len(values)))
    for i in range(len(values)):
        raw = values.raw(i)
        out += head(TEXT, len(raw))
        out += raw
    return Column(out)


def dumps(value: Mapping[str, Any]) -> bytearray:
    """As `cbor2.dumps(value, canonical=True)`; columns go in as they are."""
    out = bytearray()
    _put(out, value)
    return out


def _put(out: bytearray, value: object) -> None:
    if isinstance(value, Column):
        out += value
    elif isinstance(value, Mapping):
        out += head(MAP, len(value))
        # Keys by length, then by bytes: RFC 8949's older canonical order (section 4.2.3), which the library writes,
        # too.
        for key in sorted(value, key=lambda k: (len(k.encode()), k.encode())):
            out += cbor2.dumps(key)
            _put(out, value[key])
    else:
        out += cbor2.dumps(value, canonical=True)
