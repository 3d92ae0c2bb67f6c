"""A second reader of differences, written from docs/formats.md alone, slow and plain. x86-64 and data; no frame tables."""

from __future__ import annotations

import bisect
import lzma
import struct

import zstandard

MASK = 0xFFFFFFFF


def number(data: bytes, at: int) -> tuple[int, int]:
    value = shift = 0
    while True:
        byte = data[at]
        value |= (byte & 0x7F) << shift
        at, shift = at + 1, shift + 7
        if byte < 0x80:
            return value, at


def numbers(data: bytes) -> list[int]:
    out, at = [], 0
    while at < len(data):
        value, at = number(data, at)
        out.append(value)
    return out


def unpacked(data: bytes, raw: int) -> bytes:
    if data[:4] != struct.pack("<I", 0x184D2A5B):
        return zstandard.ZstdDecompressor().decompress(data, max_output_size=raw)
    size = (2 | data[8] & 1) << (data[8] // 2 + 11)
    return lzma.decompress(data[9:], lzma.FORMAT_RAW, filters=[{"id": lzma.FILTER_LZMA2, "dict_size": size}])


def read_difference(made: bytes, old: bytes) -> bytes:
    assert made[:2] in (b"\xd5\x01", b"\xd5\x02")
    at, streams = 2, []
    for _ in range(7):
        raw, at = number(made, at)
        stored, at = number(made, at)
        data = made[at : at + stored]
        streams.append(data if stored == raw else unpacked(data, raw))
        at += stored
    header, copies, extras, seeks = (numbers(s) for s in streams[:4])
    mask = header[2]
    rows, end = [], 0
    for copy, extra, seek in zip(copies, extras, seeks, strict=True):
        start = end + ((seek >> 1) ^ -(seek & 1))
        rows.append((copy, extra, start))
        end = start + copy
    out, literal = bytearray(), 0
    for copy, extra, start in rows:
        out += old[start : start + copy] if copy else b""
        out += streams[6][literal : literal + extra]
        literal += extra
    if mask:
        Predicting(header[3:], rows, old, mask).into(out)
    correct(out, streams[4], streams[5])
    assert len(out) == header[1]
    return bytes(out)


def correct(out: bytearray, gaps: bytes, tokens: bytes) -> None:
    recent, at, t = [0] * 250, 0, 0
    for gap in numbers(gaps):
        at += gap
        if at + 4 > len(out):
            out[at] = (out[at] + tokens[t]) & 0xFF
            at, t = at + 1, t + 1
            continue
        token, t = tokens[t], t + 1
        if token:
            by = recent.pop(token - 1)
        else:
            (by,) = struct.unpack_from("<I", tokens, t)
            t += 4
            recent.pop()
        recent.insert(0, by)
        (value,) = struct.unpack_from("<I", out, at)
        struct.pack_into("<I", out, at, (value + by) & MASK)
        at += 4


class Image:
    def __init__(self, words: list[int], size: int) -> None:
        self.start, self.machine, self.low, self.high, self.base, self.frames, count = words[:7]
        self.used = 7 + 4 * count
        self.parts = []
        for i in range(count):
            offset, length, address, kind = words[7 + 4 * i : 11 + 4 * i]
            a, b = max(offset, self.start), min(offset + length, self.start + size)
            if a < b:
                self.parts.append((a - self.start, b - self.start, address + a - offset, kind))

    def address(self, at: int) -> int | None:
        return next((va + at - a for a, b, va, _ in self.parts if a <= at < b), None)


class Predicting:
    """Address fields of x86-64, and pointers; what frame tables hold is left to real programs' own test."""

    def __init__(self, words: list[int], rows: list[tuple[int, int, int]], old: bytes, mask: int) -> None:
        new_size = sum(c + e for c, e, _ in rows)
        self.old, self.mask, self.rows = old, mask, rows
        self.was = Image(words, len(old))
        self.will = Image(words[self.was.used :], new_size)
        self.fields = frame_fields(old, self.was) if mask & 56 else []
        entries: list[tuple[int, int, int]] = []
        at = 0
        for copy, extra, start in rows:
            if copy >= 256:
                done = 0
                while done < copy:
                    here = self._part(self.was, start + done), self._part(self.will, at + done)
                    if not here[0] or not here[1]:
                        done += 16
                        continue
                    (a, b, va, _), (c, d, to, _) = here  # type: ignore[misc]
                    first, moved = va + start + done - a, to + at + done - c
                    entries.append((first, len(entries), moved - first))
                    done += min(b - start - done, d - at - done)
            at += copy + extra
        entries.sort()
        self.starts = [e[0] for e in entries]
        self.shifts = [e[2] for e in entries]

    @staticmethod
    def _part(image: Image, at: int) -> tuple[int, int, int, int] | None:
        return next((p for p in image.parts if p[0] <= at < p[1]), None)

    def shift(self, address: int) -> int:
        if not self.starts:
            return 0
        return self.shifts[max(0, bisect.bisect_right(self.starts, address) - 1)]

    def inside(self, address: int) -> bool:
        return self.was.low <= address < self.was.high

    def into(self, out: bytearray) -> None:
        at = 0
        for copy, extra, start in self.rows:
            for a, b, va, kind in self.was.parts:
                low, high = max(a, start), min(b, start + copy)
                to = self.will.address(at + low - start)
                if low < high and to is not None:
                    own = to - (va + low - a)
                    self._stretch(out, low, at + low - start, high - low, va + low - a, own, kind)
            at += copy + extra

    def _stretch(self, out: bytearray, start: int, at: int, size: int, va: int, own: int, kind: int) -> None:
        if kind == 1:
            self._code(out, start, at, size, va, own)
        elif self.mask & 64:
            for i in range(-va % 8, size - 7, 8):
                (target,) = struct.unpack_from("<Q", self.old, start + i)
                if self.inside(target):
                    struct.pack_into("<Q", out, at + i, target + self.shift(target))
        for place, base, pattern in self.fields:
            if start <= place and place + 4 <= start + size and pattern & self.mask:
                self._frame(out, place, at + place - start, base, pattern, own)

    def _code(self, out: bytearray, start: int, at: int, size: int, va: int, own: int) -> None:
        i = 0
        while i + 5 <= size:
            byte, skip, pattern = self.old[start + i], 1, 0
            if byte in (0xE8, 0xE9):
                pattern = 1
            elif byte == 0x0F and self.old[start + i + 1] & 0xF0 == 0x80:
                pattern, skip = 2, 2
            elif byte & 0xC7 == 5:
                pattern = 4
            if pattern & self.mask and i + skip + 4 <= size:
                after = va + i + skip + 4
                if self._relative(out, start + i + skip, at + i + skip, after, own):
                    i += skip + 4
                    continue
            i += 1

    def _relative(self, out: bytearray, start: int, at: int, base: int, own: int) -> bool:
        (value,) = struct.unpack_from("<i", self.old, start)
        target = base + value
        if not self.inside(target):
            return False
        struct.pack_into("<I", out, at, (target + self.shift(target) - base - own) & MASK)
        return True

    def _frame(self, out: bytearray, place: int, at: int, base: int, pattern: int, own: int) -> None:
        if pattern == 32:
            self._relative(out, place, at, base, self.shift(base))
        elif pattern == 16:
            target = base - struct.unpack_from("<i", self.old, place)[0]
            struct.pack_into("<I", out, at, (base + own - target - self.shift(target)) & MASK)
        else:
            self._relative(out, place, at, base, own)


def frame_fields(old: bytes, image: Image) -> list[tuple[int, int, int]]:
    """(place, address that it counts from, pattern) out of .eh_frame_hdr and .eh_frame."""
    at = image.frames - 1 - image.start
    base = image.address(at) if at >= 0 else None
    if base is None or at + 12 > len(old) or old[at : at + 2] != b"\x01\x1b":
        return []
    out = [(at + 4, base + 4, 8)]
    if old[at + 2 : at + 4] == b"\x03\x3b":
        rows = min(struct.unpack_from("<I", old, at + 8)[0], (len(old) - at - 12) // 8)
        out += [(at + 12 + 4 * i, base, 32) for i in range(2 * rows)]
    target = base + 4 + struct.unpack_from("<i", old, at + 4)[0]
    at = next((a + target - va for a, b, va, _ in image.parts if va <= target < va + b - a), len(old))
    last = (-1, False, False)
    while at + 8 <= len(old):
        length, back = struct.unpack_from("<II", old, at)
        end, here = at + 4 + length, image.address(at + 4)
        if length < 4 or length == MASK or end > len(old) or here is None:
            break
        if back and length >= 13:
            cie = at + 4 - back
            if cie < 0 or cie + 13 > len(old):
                break
            if cie != last[0]:
                last = (cie, *describe(old, cie))
            out.append((at + 4, here, 16))
            if last[1]:
                out.append((at + 8, here + 4, 8))
                if last[2] and length >= 17 and old[at + 16] >= 4 and old[at + 17 : at + 21] != bytes(4):
                    out.append((at + 17, here + 13, 8))
        at = end
    return out


def describe(old: bytes, at: int) -> tuple[bool, bool]:
    """Whether starts are relative to themselves, and whether language data is there and written so."""
    end = min(at + 4 + struct.unpack_from("<I", old, at)[0], len(old))
    words = old[at + 9 : old.index(b"\0", at + 9)]
    if not words.startswith(b"z"):
        return False, False
    p = at + 9 + len(words) + 1
    for _ in range(4):
        while old[p] & 0x80:
            p += 1
        p += 1
    relative = language = False
    for letter in words[1:].decode():
        if p >= end:
            break
        if letter == "R":
            relative, p = old[p] == 0x1B, p + 1
        elif letter == "L":
            language, p = old[p] == 0x1B, p + 1
        elif letter == "P":
            if old[p] & 0x0F not in (0x0B, 0x03):
                break
            p += 5
        elif letter not in "SB":
            break
    return relative, language
