"""Limits that are tried by hand, since they take long: many files, much content, many devices at once.

    python -m bench.limits files 1000000 --scratch DIR      tiny files in a thousand folders, and an update of a thousandth
    python -m bench.limits large 60 --scratch DIR           so many GB, sparse on the disk, and an update in the middle
    python -m bench.limits devices 500 --scratch DIR        at once, through nginx in front of the packs of a running service
                                                            (RAMPA_ADDRESS, RAMPA_TOKEN, RAMPA_STORE; --title, --builds 1,6)

Each step is a process of its own and says its seconds and its peak of memory.
"""

from __future__ import annotations

import argparse
import json
import os
import resource
import shutil
import subprocess
import sys
import time
from pathlib import Path

from bench import ours
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.patch import locations as locations_format

FOLDERS = 1000
BLOCK = 256 * 1024


def make_files(root: Path, count: int) -> None:
    for i in range(count):
        folder = root / f"d{i % FOLDERS:03d}"
        if i < FOLDERS:
            folder.mkdir(parents=True)
        (folder / f"fog{i:07d}.json").write_text(f'{{"lantern": {i}, "bog": {i * 7919 % 1000003}}}\n')


def change_files(root: Path, count: int) -> None:
    for i in range(0, count, 1000):
        (root / f"d{i % FOLDERS:03d}" / f"fog{i:07d}.json").write_text(f'{{"lantern": {i}, "thaw": true}}\n')


def make_large(root: Path, gigabytes: int) -> None:
    """One archive of 2 GB in ten: a kilobyte of its own in each 256 KiB, the rest holes."""
    root.mkdir(parents=True)
    for n in range(-(-gigabytes // 2)):
        with (root / f"bog{n:02d}.arc").open("wb") as out:
            out.truncate(2_000_000_000)
            for at in range(0, 2_000_000_000 - BLOCK, BLOCK):
                out.seek(at)
                out.write(os.urandom(1024))


def change_large(root: Path, gigabytes: int) -> None:
    with (root / "bog00.arc").open("r+b") as out:
        out.seek(1_000_000_000)
        out.write(os.urandom(300_000))


def loaded(folder: Path) -> ours.Packed:
    """What another process packed."""
    encoded = (folder / "base.manifest").read_bytes()
    tree = manifest_format.decode(encoded).tree
    located = locations_format.decode((folder / "locations").read_bytes(), tree)
    return ours.Packed(folder, tree, encoded, located.chunks)


def step(name: str, scratch: Path) -> None:
    source, packs, device = scratch / "source", scratch / "packs", scratch / "device"
    if name == "pack":
        packed = ours.pack(source, packs, index=scratch / "index")
        (packs / "locations").write_bytes(packed.locations())
    elif name == "install":
        delivery = ours.Folder(packs)
        ours.installation(device).update(delivery.statement(), delivery)
    elif name == "pack-update":
        before = loaded(packs)
        shutil.copy(packs / "base.manifest", packs / "before.manifest")
        packed = ours.pack(source, packs, before=before, index=scratch / "index")
        (packs / "update.locations").write_bytes(packed.locations((), 1))
    elif name == "update":
        ours.installation(device).update(ours._statement((packs / "base.manifest").read_bytes(), 2), Update(packs))
    elif name == "verify":
        assert ours.installation(device).verify() == []


class Update(ours.Folder):
    """The second build of the folder, for a device that has the first."""

    def locations(self, depots: object = (), base: int = 0, base_depots: object = ()) -> bytes:
        return (self.folder / ("update.locations" if base else "locations")).read_bytes()


def run(what: str, count: int, scratch: Path) -> None:
    make, change = (make_files, change_files) if what == "files" else (make_large, change_large)
    make(scratch / "source", count)
    for name in ("pack", "install", "pack-update", "update", "verify"):
        if name == "pack-update":
            change(scratch / "source", count)
        done = subprocess.run(
            [sys.executable, "-m", "bench.limits", "step", name, "--scratch", str(scratch)],
            check=True, capture_output=True, text=True,
        )  # fmt: skip
        told = json.loads(done.stdout)
        print(f"{what} {count}: {name:<12} {told['seconds']:8.1f} s {told['peak']:7.0f} MB at the peak", flush=True)
    size = sum(p.stat().st_size for p in (scratch / "packs").glob("*.pack"))
    print(f"packs {size / 1e6:.1f} MB, manifest {(scratch / 'packs/base.manifest').stat().st_size / 1e6:.1f} MB")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("what", choices=("files", "large", "devices", "step"))
    parser.add_argument("count")
    parser.add_argument("--scratch", type=Path, required=True, help="a folder that is filled, and emptied afterwards")
    parser.add_argument("--title", default="peatlight")
    parser.add_argument("--builds", default="1,6", help="what the devices have, and what they update to")
    given = parser.parse_args()
    given.scratch.mkdir(parents=True, exist_ok=True)
    if given.what == "step":
        started = time.monotonic()
        step(given.count, given.scratch)
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3
        print(json.dumps({"seconds": time.monotonic() - started, "peak": peak}))
        return
    scratch = given.scratch / "limits"
    shutil.rmtree(scratch, ignore_errors=True)
    scratch.mkdir()
    try:
        if given.what == "devices":
            from bench.crowd import crowd

            crowd(int(given.count), scratch, given.title, [int(b) for b in given.builds.split(",")])
        else:
            run(given.what, int(given.count), scratch)
    finally:
        shutil.rmtree(scratch, ignore_errors=True)


if __name__ == "__main__":
    main()
