"""Bundles: writing beside `zip -6`, signing and verifying beside one SHA-256 pass, inspecting beside the standard library."""

from __future__ import annotations

import datetime as dt
import hashlib
import os
import resource
import subprocess
import sys
import time
import zipfile
from functools import lru_cache
from pathlib import Path

from bench import ours, peers
from bench.rows import Figure, Tree, median_of
from rampa.core.bundle.inspection import inspect_archive
from rampa.core.bundle.package_signature import key_of, sign_package, with_identity
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.verification import verify_package
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.bundle.zip_writer import Member, write_zip
from rampa.core.content.select.selection import select
from rampa.core.signing import identity
from rampa.core.signing.identity import Identity

ROUNDS, THREADS = 3, 2
SIGNED = 1_000_000_000
"""Bytes of the package that is signed; less with a smaller tree."""
ENTRIES = 70_000


def write(tree: Tree) -> list[Figure]:
    chosen = select(tree.v1, ours.ALL)
    members = [Member(f.path, chosen.root / f.disk, f.size, f.executable) for f in chosen.files]
    out, theirs = tree.scratch / "ours.zip", tree.scratch / "theirs.zip"

    def own() -> float:
        started = time.perf_counter()
        with out.open("w+b") as stream:
            write_zip(stream, members, THREADS)
        return time.perf_counter() - started

    note = peers.missing("zip")
    seconds = median_of(ROUNDS, own)
    peer = None if note else median_of(ROUNDS, lambda: peers.zip6(tree.v1, theirs))
    size = None if note else theirs.stat().st_size
    return [
        Figure("bundle-write-time-zip", seconds, peer, "s", 0.25, note),
        Figure("bundle-write-size-zip", out.stat().st_size, size, "bytes", 1.03, note),
    ]


@lru_cache(maxsize=1)
def _key() -> Identity:
    return identity.make("bench", "Quillback Works", "ec-p256", dt.datetime(2026, 1, 1, tzinfo=dt.UTC))


def package(folder: Path, size: int) -> Path:
    """A phone package of about `size` bytes, most of it one stored file."""
    from demo.lantern_export import manifests

    path = folder / f"package-{size}.apk"
    content = folder / "content.bin"
    block = os.urandom(1 << 24)
    with content.open("wb") as out:
        for n in range(-(-size // len(block))):
            out.write(n.to_bytes(8, "big") + block[8:])
        out.truncate(size)
    manifest = manifests.binary_xml(manifests.manifest("example.quillback.peatlight", 28, 35, False, ()))
    members = [
        Member("AndroidManifest.xml", manifest, len(manifest)),
        Member("assets/content.bin", content, size, method=0),
    ]
    with path.open("w+b") as out:
        write_zip(out, members, THREADS)
    content.unlink()
    return path


def sign(plain: Path, signed: Path) -> float:
    signed.unlink(missing_ok=True)
    started = time.perf_counter()
    with FileBytes(plain) as source:
        sign_package(source, signed, with_identity(_key()), key_of(_key()), ["v2", "v3"], workers=THREADS)
    return time.perf_counter() - started


def verify(signed: Path) -> float:
    started = time.perf_counter()
    with FileBytes(signed) as source:
        assert verify_package(source, THREADS).holds
    return time.perf_counter() - started


def sign_and_verify(tree: Tree) -> list[Figure]:
    size = min(SIGNED, 4 * sum(f.stat().st_size for f in tree.v1.rglob("*") if f.is_file()))
    plain, signed = package(tree.scratch, size), tree.scratch / "signed.apk"

    def plain_pass() -> float:
        started = time.perf_counter()
        with plain.open("rb") as stream:
            hashlib.file_digest(stream, "sha256")
        return time.perf_counter() - started

    one = median_of(ROUNDS, plain_pass)
    rows = [
        Figure("bundle-sign-time-sha256", median_of(ROUNDS, lambda: sign(plain, signed)), one, "s", 0.6),
        Figure("bundle-verify-time-sha256", median_of(ROUNDS, lambda: verify(signed)), one, "s", 0.6),
    ]
    for path in (plain, signed):
        path.unlink()
    return rows


def inspect(tree: Tree) -> list[Figure]:
    path = tree.scratch / "many.zip"
    with path.open("w+b") as out:
        write_zip(
            out, (Member(f"data/{i % 300:03d}/{i:05d}.json", b"fog %d" % i, len(b"fog %d" % i)) for i in range(ENTRIES))
        )

    def own() -> float:
        started = time.perf_counter()
        with FileBytes(path) as source:
            assert inspect_archive(read_zip(source)).files == ENTRIES
        return time.perf_counter() - started

    def theirs() -> float:
        started = time.perf_counter()
        with zipfile.ZipFile(path) as bundle:
            assert len(bundle.infolist()) == ENTRIES
        return time.perf_counter() - started

    return [Figure("bundle-inspect-time-zipfile", median_of(ROUNDS, own), median_of(ROUNDS, theirs), "s", 5)]


def memory(tree: Tree) -> list[Figure]:
    """Peak memory in MB of signing 4 GB and verifying it, in a process of its own."""
    command = [sys.executable, "-m", "bench.bundles", str(tree.scratch), "4000000000"]
    done = subprocess.run(command, capture_output=True, text=True, check=True, cwd=Path(__file__).parents[1])
    return [Figure("bundle-sign-memory-4g", float(done.stdout), 300.0, "MB", 1.0, "theirs is the limit")]


def main(scratch: Path, size: int) -> None:
    make = "import sys; from pathlib import Path; from bench.bundles import package; "
    make += "print(package(Path(sys.argv[1]), int(sys.argv[2])))"
    words = [sys.executable, "-c", make, str(scratch), str(size)]
    plain = Path(subprocess.run(words, capture_output=True, text=True, check=True).stdout.strip())
    signed = scratch / "signed-4g.apk"
    sign(plain, signed)
    verify(signed)
    plain.unlink()
    signed.unlink()
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000)


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
