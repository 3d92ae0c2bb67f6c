"""The bench's own small generator: a game-like tree in two releases, the same bytes for a seed.

v2 edits small files, inserts an asset into the archive and rewrites its index, shifts words in binaries as a recompiler
does, adds, removes and moves files. The archive, not the text, has most of the bytes.
"""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np

WORDS = ("fog", "bog", "wagon", "lantern", "sluice", "kiln", "thaw", "loft", "siding", "points")


def generate(out: Path, size_mib: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    assets = [_asset(rng) for _ in range(size_mib * 4)]
    _write(out / "v1", assets, rng, seed, second=False)
    middle = len(assets) // 2
    grown = [*assets[:middle], rng.bytes(300_000), *assets[middle:]]
    _write(out / "v2", grown, rng, seed, second=True)


def _asset(rng: np.random.Generator) -> bytes:
    """About 128 KiB: a smooth field with noise, as textures and meshes are; every sixth does not compress."""
    if rng.random() < 0.17:
        return rng.bytes(int(rng.integers(60_000, 200_000)))
    count = int(rng.integers(8_000, 56_000))
    t = np.linspace(0, 40, count, dtype=np.float32)
    wave = np.sin(t * rng.uniform(0.5, 4)) * 900 + rng.standard_normal(count, dtype=np.float32) * rng.uniform(1, 30)
    return np.stack([wave.astype("<i2"), np.roll(wave, 7).astype("<i2")], 1).tobytes()


def _write(root: Path, assets: list[bytes], rng: np.random.Generator, seed: int, *, second: bool) -> None:
    packed, loose = assets[: len(assets) * 2 // 3], assets[len(assets) * 2 // 3 :]
    _put(root / "data/bog.arc", _archive(packed))
    for i, data in enumerate(loose):
        if second and i % 33 == 1:
            continue
        moved = "moved/" if second and i % 33 == 2 else ""
        _put(root / f"textures/{moved}set{i % 12:02d}/t{i:05d}.tex", data)
    if second:
        for i in range(max(1, len(loose) // 20)):
            _put(root / f"textures/new/n{i:04d}.tex", _asset(rng))
    texts = np.random.default_rng(seed + 1)
    for i in range(len(assets)):
        body = " ".join(WORDS[int(w)] for w in texts.integers(0, len(WORDS), 700))
        _put(
            root / f"locale/l{i % 14:02d}/{i:05d}.txt", (body + (" edited" if second and i % 25 == 0 else "")).encode()
        )
    code = np.random.default_rng(seed + 2)
    for i in range(max(2, len(assets) // 40)):
        words = code.integers(0, 4096, 150_000).astype("<u4")
        if second and i % 2 == 0:
            at = code.random(len(words)) < 0.02
            words[at] += np.uint32(0x40)
        else:
            code.random(len(words))
        _put(root / f"bin/part{i:02d}", struct.pack("<4sI", b"PART", i) + words.tobytes())


def _archive(items: list[bytes]) -> bytes:
    at, index = 16 + 16 * len(items), []
    for data in items:
        index.append(struct.pack("<QQ", at, len(data)))
        at += len(data)
    return struct.pack("<8sQ", b"BENCHARC", len(items)) + b"".join(index) + b"".join(items)


def _put(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
