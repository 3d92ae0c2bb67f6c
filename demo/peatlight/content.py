"""Peatlight's content, generated: pictures, sounds, maps, texts. The same seed gives the same bytes."""

from __future__ import annotations

import io
import json
import struct

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

PLACES = ("Alder Halt", "Sluice Junction", "Marrow Bend", "Kiln Yard", "Signal Loft")
FOG, PEAT, LANTERN = (70, 82, 92), (28, 22, 18), (255, 190, 90)


def slug(place: str) -> str:
    return place.lower().replace(" ", "-")


def picture(place: str, rng: np.random.Generator, width: int = 1920, height: int = 1080) -> Image.Image:
    """A bog at night: fog in layers, a narrow track, a lantern wagon."""
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    x = np.linspace(0, 1, width, dtype=np.float32)[None, :]
    haze = np.zeros((height, width), np.float32)
    for octave in range(1, 6):
        fx, fy, ph = rng.uniform(1, 3) * octave, rng.uniform(2, 5) * octave, rng.uniform(0, 6.28)
        haze += np.sin(x * fx * 3 + ph + 2 * np.sin(y * fy + ph)) / octave
    haze = (haze - haze.min()) / np.ptp(haze)
    shade = np.clip(1.1 - y * 0.9, 0, 1) * (0.55 + 0.45 * haze)
    rgb = np.stack([p + (f - p) * shade for f, p in zip(FOG, PEAT, strict=True)], -1)
    rgb += rng.normal(0, 2.0, rgb.shape).astype(np.float32)
    image = Image.fromarray(np.clip(rgb, 0, 255).astype(np.uint8))
    return _wagon(image, rng)


def _wagon(image: Image.Image, rng: np.random.Generator) -> Image.Image:
    width, height = image.size
    base, x = int(height * 0.78), int(width * rng.uniform(0.3, 0.65))
    glow = Image.new("RGB", image.size)
    ImageDraw.Draw(glow).ellipse((x - 190, base - 300, x + 290, base + 100), fill=LANTERN)
    glow = glow.filter(ImageFilter.GaussianBlur(110))
    image = Image.blend(image, Image.fromarray(np.maximum(np.asarray(image), np.asarray(glow))), 0.75)
    draw = ImageDraw.Draw(image)
    for sleeper in range(0, width, 46):
        draw.rectangle((sleeper, base + 26, sleeper + 22, base + 34), fill=(18, 14, 12))
    draw.line((0, base + 24, width, base + 18), fill=(92, 84, 78), width=4)
    draw.rectangle((x, base - 66, x + 150, base - 8), fill=(36, 30, 28), outline=(64, 54, 48), width=3)
    for wheel in (x + 30, x + 120):
        draw.ellipse((wheel - 20, base - 18, wheel + 20, base + 22), fill=(14, 12, 12), outline=(80, 70, 62), width=3)
    draw.rectangle((x + 62, base - 120, x + 88, base - 66), fill=LANTERN, outline=(255, 232, 180), width=2)
    return image


def icon(size: int = 1024) -> Image.Image:
    """A lantern over a length of track, on a round ground with clear corners; drawn twice as large, then made smaller."""
    s = size * 2
    image = Image.new("RGBA", (s, s), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    draw.rounded_rectangle((0, 0, s - 1, s - 1), s * 0.22, fill=(31, 27, 24, 255))
    for i in range(5):
        left = s * (0.16 + i * 0.15)
        draw.rectangle((left, s * 0.80, left + s * 0.06, s * 0.88), fill=(93, 84, 75, 255))
    draw.rectangle((s * 0.10, s * 0.78, s * 0.90, s * 0.81), fill=(170, 159, 145, 255))
    glow = Image.new("RGBA", (s, s), (0, 0, 0, 0))
    ImageDraw.Draw(glow).ellipse((s * 0.2, s * 0.12, s * 0.8, s * 0.72), fill=(235, 165, 47, 130))
    image = Image.alpha_composite(image, glow.filter(ImageFilter.GaussianBlur(s * 0.07)))
    draw = ImageDraw.Draw(image)
    draw.arc((s * 0.40, s * 0.10, s * 0.60, s * 0.32), 180, 360, fill=(207, 197, 183, 255), width=int(s * 0.03))
    draw.rounded_rectangle((s * 0.33, s * 0.21, s * 0.67, s * 0.30), s * 0.03, fill=(207, 197, 183, 255))
    draw.rounded_rectangle((s * 0.36, s * 0.30, s * 0.64, s * 0.64), s * 0.04, fill=(247, 208, 143, 255))
    draw.ellipse((s * 0.44, s * 0.38, s * 0.56, s * 0.60), fill=(255, 245, 226, 255))
    draw.rounded_rectangle((s * 0.33, s * 0.64, s * 0.67, s * 0.72), s * 0.03, fill=(207, 197, 183, 255))
    return image.resize((size, size), Image.Resampling.LANCZOS)


def png(image: Image.Image) -> bytes:
    out = io.BytesIO()
    image.save(out, "PNG", compress_level=4)
    return out.getvalue()


def texture(image: Image.Image, size: int) -> bytes:
    """Block-compressed, four by four pixels in eight bytes, with smaller copies after it; a header of 16 bytes."""
    parts = [struct.pack("<4sIII", b"PLTX", size, size, 1)]
    while size >= 4:
        a = np.asarray(image.resize((size, size)), np.uint16)
        blocks = a.reshape(size // 4, 4, size // 4, 4, 3).transpose(0, 2, 1, 3, 4).reshape(-1, 16, 3)
        low, high = blocks.min(1), blocks.max(1)
        grey = blocks.sum(2).astype(np.uint32)
        span = np.maximum(1, np.ptp(grey, axis=1))[:, None]
        level = ((grey - grey.min(1)[:, None]) * 3 // span).astype(np.uint32)
        index = (level << (2 * np.arange(16, dtype=np.uint32))).sum(1, dtype=np.uint32)
        out = np.empty(len(blocks), dtype=[("a", "<u2"), ("b", "<u2"), ("i", "<u4")])
        out["a"], out["b"], out["i"] = _565(high), _565(low), index
        parts.append(out.tobytes())
        size //= 2
    return b"".join(parts)


def _565(colour: np.ndarray) -> np.ndarray:
    return ((colour[:, 0] >> 3) << 11) | ((colour[:, 1] >> 2) << 5) | (colour[:, 2] >> 3)


def sound(rng: np.random.Generator, seconds: float, pitch: float) -> bytes:
    """WAV, 16 bit, stereo: an axle's rhythm under wind."""
    count = int(44100 * seconds)
    t = np.arange(count, dtype=np.float32) / 44100
    wind = np.cumsum(rng.standard_normal(count, dtype=np.float32)) / 60
    sums = np.cumsum(np.pad(wind, (1000, 1000), mode="edge"), dtype=np.float64)
    wind -= ((sums[2000:] - sums[:-2000]) / 2000).astype(np.float32)
    clack = np.sin(2 * np.pi * pitch * t) * np.exp(-((t * 2.2) % 1.0) * 14)
    mono = np.clip(wind * 5200 + clack * 9000, -30000, 30000)
    stereo = np.stack([mono, np.roll(mono, 180)], 1).astype("<i2").tobytes()
    head = struct.pack("<4sI4s4sIHHIIHH", b"RIFF", 36 + len(stereo), b"WAVE", b"fmt ", 16, 1, 2, 44100, 176400, 4, 16)
    return head + struct.pack("<4sI", b"data", len(stereo)) + stereo


def heights(rng: np.random.Generator, size: int) -> bytes:
    """A map's ground: 16-bit heights in millimetres, row by row."""
    ground = np.zeros((size, size), np.float32)
    for octave in range(1, 7):
        y, x = np.mgrid[0:size, 0:size].astype(np.float32) / size * octave * 3
        ground += np.sin(x + rng.uniform(0, 6)) * np.cos(y + rng.uniform(0, 6)) / octave
    ground += rng.normal(0, 0.002, ground.shape)
    return bytes(((ground - ground.min()) * 4000).astype("<u2").tobytes())


def network(rng: np.random.Generator) -> bytes:
    """The narrow-gauge network: places, tracks between them, minutes and fog."""
    tracks = [(a, b) for i, a in enumerate(PLACES) for b in PLACES[i + 1 :] if rng.random() < 0.7 or b == PLACES[i + 1]]
    body = {
        "places": [{"id": slug(p), "name": p} for p in PLACES],
        "tracks": [
            {"from": slug(a), "to": slug(b), "minutes": int(rng.integers(6, 25)), "fog": round(float(rng.random()), 2)}
            for a, b in tracks
        ],
    }
    return json.dumps(body, indent=1).encode()


def asset(rng: np.random.Generator, number: int) -> tuple[str, bytes]:
    """One asset of the large archive: a mesh, or a strip of terrain shading."""
    if number % 3 == 0:
        count = int(rng.integers(9000, 21000))
        t = np.linspace(0, 60, count, dtype=np.float32)
        mesh = np.stack([np.cos(t) * t, np.sin(t) * t, t * 0.2, np.cos(t), np.sin(t), t % 1], 1)
        mesh += rng.normal(0, 0.004, mesh.shape).astype(np.float32)
        return f"mesh/{number:04d}.mesh", mesh.astype("<f4").tobytes()
    size = int(rng.integers(260, 620))
    y, x = np.mgrid[0:size, 0:size].astype(np.float32) / size
    base = 120 + 60 * np.sin(x * rng.uniform(2, 20)) * np.cos(y * rng.uniform(2, 20))
    shade = np.clip(base + rng.normal(0, 3, base.shape), 0, 255).astype(np.uint8)
    return f"shade/{number:04d}.shade", shade.tobytes()


def archive(items: list[tuple[str, bytes]]) -> bytes:
    """The title's own archive: an index of absolute offsets in front, so that an insertion rewrites all of it."""
    record = struct.Struct("<32sQQ")
    at = 16 + record.size * len(items)
    index, bodies = [], []
    for name, data in items:
        index.append(record.pack(name.encode(), at, len(data)))
        bodies.append(data)
        at += len(data)
    return struct.pack("<8sQ", b"PEATARC1", len(items)) + b"".join(index) + b"".join(bodies)
