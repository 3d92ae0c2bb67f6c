"""CRC-32 (the ZIP format's, polynomial 0xEDB88320 reflected) of joined pieces, from those of the pieces."""

from __future__ import annotations


def crc32_combine(first: int, second: int, length: int) -> int:
    """CRC-32 of A + B from those of A and B, `length` being B's: A's is multiplied by x^(8 length) modulo the polynomial."""
    return _times(_power(8 * length), first) ^ second if first else second


POLYNOMIAL = 0xEDB88320


def _times(a: int, b: int) -> int:
    """Product of two polynomials over GF(2) modulo the CRC's, in its reflected order of bits."""
    product, mask = 0, 1 << 31
    while a:
        if a & mask:
            product ^= b
            a ^= mask
        mask >>= 1
        b = (b >> 1) ^ POLYNOMIAL if b & 1 else b >> 1
    return product


def _power(exponent: int) -> int:
    """x^exponent modulo the polynomial."""
    known = _POWERS.get(exponent)
    if known is not None:
        return known
    result, base, left = 1 << 31, 1 << 30, exponent
    while left:
        if left & 1:
            result = _times(base, result)
        base = _times(base, base)
        left >>= 1
    if len(_POWERS) < 1024:
        _POWERS[exponent] = result
    return result


_POWERS: dict[int, int] = {}
