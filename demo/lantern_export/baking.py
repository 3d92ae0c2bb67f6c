"""Baking content: pictures to mip-mapped textures in KTX 2.0 (Khronos), notes to WAV (RIFF), texts to JSON, places to heights."""

from __future__ import annotations

import io
import json
import struct
import tomllib
import wave

import numpy as np
from PIL import Image, UnidentifiedImageError

RATE = 22_050
KTX2 = b"\xabKTX 20\xbb\r\n\x1a\n"
RGBA8 = 37  # VK_FORMAT_R8G8B8A8_UNORM


class BakeError(Exception):
    """A source that cannot be baked."""


def texture(data: bytes, size: int) -> tuple[bytes, str]:
    """(KTX 2.0 file with all mip levels, a warning or nothing). The longer side gets `size` pixels at most."""
    try:
        picture = Image.open(io.BytesIO(data)).convert("RGBA")
    except (UnidentifiedImageError, OSError) as error:
        raise BakeError(f"a picture cannot be read: {error}") from error
    said = (
        "" if all(n & (n - 1) == 0 for n in picture.size) else f"{picture.width} x {picture.height} is no power of two"
    )
    picture.thumbnail((size, size))
    levels = [picture]
    while max(levels[-1].size) > 1:
        w, h = levels[-1].size
        levels.append(levels[-1].resize((max(1, w // 2), max(1, h // 2)), Image.Resampling.BOX))
    return _ktx2(levels), said


def _ktx2(levels: list[Image.Image]) -> bytes:
    """KTX 2.0 specification, section 3: header, index, level index, data format descriptor, levels from small to large."""
    descriptor = _descriptor()
    index_at = 12 + 9 * 4 + 4 * 4 + 2 * 8
    descriptor_at = index_at + 24 * len(levels)
    at = descriptor_at + len(descriptor)
    at += -at % 4
    rows, body = [b""] * len(levels), b""
    for number in reversed(range(len(levels))):
        pixels = levels[number].tobytes()
        rows[number] = struct.pack("<QQQ", at + len(body), len(pixels), len(pixels))
        body += pixels
    header = struct.pack("<9I", RGBA8, 1, *levels[0].size, 0, 0, 1, len(levels), 0)
    index = struct.pack("<4I2Q", descriptor_at, len(descriptor), 0, 0, 0, 0)
    head = KTX2 + header + index + b"".join(rows) + descriptor
    return head.ljust(at, b"\0") + body


def _descriptor() -> bytes:
    """Khronos Data Format: one basic block, four channels of eight bits."""
    samples = b"".join(struct.pack("<HBBIII", n * 8, 7, channel, 0, 0, 255) for n, channel in enumerate((0, 1, 2, 15)))
    block = struct.pack("<HHHH", 0, 0, 2, 24 + len(samples)) + bytes([1, 1, 1, 0, 0, 0, 0, 0, 4]) + bytes(7) + samples
    return struct.pack("<I", 4 + len(block)) + block


def sound(notes: str) -> bytes:
    """Lines of `frequency seconds` as a mono WAV file."""
    pieces = []
    for line in notes.splitlines():
        words = line.split()
        if len(words) == 2:
            pitch, seconds = float(words[0]), float(words[1])
            t = np.arange(int(RATE * seconds)) / RATE
            pieces.append(np.sin(2 * np.pi * pitch * t) * np.exp(-2 * t))
    samples = (np.concatenate(pieces) * 20_000).astype("<i2") if pieces else np.zeros(1, "<i2")
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes(samples.tobytes())
    return out.getvalue()


def texts(own: str, english: str) -> tuple[bytes, list[str]]:
    """(JSON, keys that only English has)."""
    base, said = tomllib.loads(english), tomllib.loads(own)
    missing = [key for key in base if key not in said]
    return json.dumps({**base, **said}, ensure_ascii=False, indent=1).encode(), missing


def heights(places: str) -> bytes:
    """A 256 x 256 field of 16-bit heights with a hill at each `x y height` line."""
    grid = np.zeros((256, 256))
    y, x = np.mgrid[0:256, 0:256]
    for line in places.splitlines():
        words = line.split()
        if len(words) == 3:
            px, py, height = map(float, words)
            grid += height * np.exp(-((x - px) ** 2 + (y - py) ** 2) / 900)
    return grid.clip(0, 65535).astype("<u2").tobytes()
