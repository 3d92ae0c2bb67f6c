"""A series of releases: DIR/v1 to DIR/vN of a tree that is handed over, else twelve that are made of the generated one."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from blake3 import blake3

from bench import ours, peers
from bench.rows import Tree
from rampa.core.content.layout.past import make_past, order_past
from rampa.core.content.pack.pack import decompress
from rampa.core.content.pack.places import FramePlace
from rampa.core.content.tree import tree as content
from rampa.core.content.tree.tree import Chunk

RELEASES = 12


@dataclass(frozen=True)
class Releases:
    """All of them packed one behind the other, each with what was new in it; the folders of the first and the newest. `union` has
    every file that there ever was once, versions of one side by side."""

    count: int
    trees: tuple[content.Tree, ...]
    union: Path
    first: ours.Packed
    newest: ours.Packed
    first_folder: Path
    newest_folder: Path


@lru_cache(maxsize=1)
def releases(tree: Tree) -> Releases:
    store, union, seen = tree.scratch / "series", tree.scratch / "union", set[bytes]()
    given = sorted((p for p in tree.v1.parent.glob("v[0-9]*") if p.is_dir()), key=lambda p: int(p.name[1:]))
    if len(given) > 2:
        packed = [ours.pack(given[0], store)]
        for folder in given[1:]:
            packed.append(ours.pack(folder, store, before=packed[-1]))
        trees = tuple(p.tree for p in packed)
        for number, folder in enumerate(given):
            _keep(folder, number, union, seen)
        return Releases(len(given), trees, union, packed[0], packed[-1], given[0], given[-1])
    changing = tree.scratch / "changing"
    shutil.rmtree(changing, ignore_errors=True)
    shutil.copytree(tree.v1, changing, symlinks=True)
    first = newest = ours.pack(changing, store)
    every = [first.tree]
    _keep(changing, 0, union, seen)
    for number in range(1, RELEASES):
        change(changing, number)
        newest = ours.pack(changing, store, before=newest)
        every.append(newest.tree)
        _keep(changing, number, union, seen)
    return Releases(RELEASES, tuple(every), union, first, newest, tree.v1, changing)


def _keep(folder: Path, number: int, union: Path, seen: set[bytes]) -> None:
    for path in sorted(p for p in folder.rglob("*") if p.is_file() and not p.is_symlink()):
        data = path.read_bytes()
        digest = blake3(data).digest()
        if digest not in seen:
            seen.add(digest)
            kept = union / path.relative_to(folder).with_name(f"{path.name}.r{number:02d}")
            kept.parent.mkdir(parents=True, exist_ok=True)
            kept.write_bytes(data)


def change(root: Path, seed: int) -> None:
    """What a release changes: words of programs, an edit in every twentieth other file, one file in eighty new, one gone."""
    rng = np.random.default_rng(seed)
    files = sorted(p for p in root.rglob("*") if p.is_file() and not p.is_symlink())
    for number, path in enumerate(files):
        if path.parent.name == "bin":
            _shift(path, rng)
        elif number % 20 == seed % 20:
            _edit(path, rng)
        if number % 80 == seed % 80:
            (path.parent / f"r{seed:02d}-{path.name}").write_bytes(path.read_bytes()[::-1])
        elif number % 80 == (seed + 40) % 80:
            path.unlink()


def _shift(path: Path, rng: np.random.Generator) -> None:
    data = path.read_bytes()
    words = np.frombuffer(data[: len(data) // 4 * 4], "<u4").copy()
    words[rng.random(len(words)) < 0.01] += np.uint32(0x40)
    path.write_bytes(words.tobytes() + data[len(words) * 4 :])


def _edit(path: Path, rng: np.random.Generator) -> None:
    data = path.read_bytes()
    at = int(rng.integers(0, len(data) + 1))
    path.write_bytes(data[:at] + rng.bytes(200) + data[at:])


def past_bytes(made: Releases) -> int:
    """What only earlier releases have, packed again as the service does it."""
    newest = made.newest
    past = {d for tree in made.trees for d in tree.chunks.digests} - set(newest.tree.chunks.digests)

    @lru_cache(maxsize=12)
    def opened(frame: FramePlace) -> bytes:
        return decompress(newest.read(frame.pack, frame.offset, frame.stored), frame.raw)

    def read(chunk: Chunk) -> bytes:
        frame, at = newest.where[chunk.digest]
        return opened(frame)[at : at + chunk.size]

    return sum(len(f.stored) for f in make_past(order_past(made.trees, past), read))


def small_bytes(made: Releases) -> int:
    """Of the frames of uploads what the newest release needs."""
    where = made.newest.where
    return sum(where[c.digest][0].share(c.size) for c in made.newest.tree.chunks)


def patch_from_bytes(made: Releases, scratch: Path) -> int:
    """The best general-purpose difference of two archives."""
    out = scratch / "skip.zst"
    for name, folder in (("old", made.first_folder), ("new", made.newest_folder)):
        peers.shell(f"tar c --sort=name --mtime=@0 -C '{folder}' . > '{scratch}/{name}.tar'")
    peers.shell(f"zstd -19 --long=31 -T2 -q -f --patch-from='{scratch}/old.tar' '{scratch}/new.tar' -o '{out}'")
    for name in ("old", "new"):
        (scratch / f"{name}.tar").unlink()
    return out.stat().st_size


def union_bytes(made: Releases, scratch: Path) -> int:
    """The best general-purpose archive of all files that there ever were."""
    out, tar = scratch / "union.tar.z", f"tar c --sort=name --mtime=@0 -C '{made.union}' ."
    sizes = []
    for how in ("zstd -19 --long=31 -T2 -q -c", "xz -9e -T2 -c"):
        peers.shell(f"{tar} | {how} > '{out}'")
        sizes.append(out.stat().st_size)
    return min(sizes)
