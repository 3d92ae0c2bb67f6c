"""The content store as a folder.

packs/ab/<digest>.pack   manifests/ab/<digest>.manifest   incoming/   what is being written
offered/ab/<digest>.pack   second names of packs that are offered: this folder alone may lie on a public server
mirrors/   bare mirrors of repositories, which can always be fetched again
"""

from __future__ import annotations

import contextlib
import errno
import os
import tempfile
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from blake3 import blake3

from rampa.core.errors import Damaged, Invalid, NotFound, Unavailable
from rampa.core.files import sync_folder
from rampa.store.port import Stored


class FolderStore:
    """A `ContentStore` below `root`."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.mirrors = root / "mirrors"
        for name in ("packs", "manifests", "incoming"):
            (root / name).mkdir(parents=True, exist_ok=True)

    def sweep(self) -> int:
        """Removes what a killed process left half-written; call it before any writer starts. Returns the count."""
        left = list((self.root / "incoming").iterdir())
        for path in left:
            path.unlink(missing_ok=True)
        return len(left)

    def put_pack(self, digest: bytes, pieces: Iterable[bytes], limit: int, check: Callable[[Path, int], None]) -> int:
        target = self._place("packs", digest, ".pack")
        with self._beside() as (fd, path):
            hasher, size = blake3(), 0
            for piece in pieces:
                size += len(piece)
                if size > limit:
                    raise Invalid("pack.too-large", f"a pack has at most {limit} bytes", where=digest.hex()[:12])
                hasher.update(piece)
                _write(fd, piece)
            if hasher.digest() != digest:
                raise Damaged(
                    "pack.damaged",
                    "the pack that arrived is not the one that was announced",
                    where=digest.hex()[:12],
                    hint="Send it again.",
                )
            # Checked while it is still beside: what has its name is right.
            check(path, size)
            _settle(fd, path, target)
        return size

    def read_pack(self, digest: bytes, offset: int, size: int) -> bytes:
        with self.pack_file(digest).open("rb", buffering=0) as stream:
            return os.pread(stream.fileno(), size, offset)

    def pack_file(self, digest: bytes) -> Path:
        return self._existing("packs", digest, ".pack")

    def pack_address(self, digest: bytes, span: str) -> str:
        return ""

    def offer_pack(self, digest: bytes) -> None:
        there = self._place("offered", digest, ".pack")
        there.parent.mkdir(parents=True, exist_ok=True)
        # A second name of the same file: it takes no room.
        with contextlib.suppress(FileExistsError, FileNotFoundError):
            os.link(self._place("packs", digest, ".pack"), there)

    def withdraw_pack(self, digest: bytes) -> None:
        self._place("offered", digest, ".pack").unlink(missing_ok=True)

    def packs(self) -> Iterator[Stored]:
        return self._listed("packs", ".pack")

    def manifests(self) -> Iterator[Stored]:
        return self._listed("manifests", ".manifest")

    def remove_manifest(self, digest: bytes) -> None:
        self._place("manifests", digest, ".manifest").unlink(missing_ok=True)

    def remove_pack(self, digest: bytes) -> None:
        self.withdraw_pack(digest)
        self._place("packs", digest, ".pack").unlink(missing_ok=True)

    def put_manifest(self, digest: bytes, data: bytes) -> None:
        with self._beside() as (fd, path):
            _write(fd, data)
            _settle(fd, path, self._place("manifests", digest, ".manifest"))

    def manifest(self, digest: bytes) -> bytes:
        return self._existing("manifests", digest, ".manifest").read_bytes()

    def _listed(self, kind: str, ending: str) -> Iterator[Stored]:
        for path in sorted((self.root / kind).glob(f"??/*{ending}")):
            try:
                info = path.stat()
                yield Stored(bytes.fromhex(path.stem), info.st_size, info.st_mtime)
            except (OSError, ValueError):
                continue  # gone meanwhile, or not ours

    def _place(self, kind: str, digest: bytes, ending: str) -> Path:
        name = digest.hex()
        return self.root / kind / name[:2] / (name + ending)

    def _existing(self, kind: str, digest: bytes, ending: str) -> Path:
        path = self._place(kind, digest, ending)
        if not path.is_file():
            raise NotFound("content.unknown", f"there is no such content: {digest.hex()[:12]}{ending}")
        return path

    @contextlib.contextmanager
    def _beside(self) -> Iterator[tuple[int, Path]]:
        """A file to write to; whatever goes wrong, nothing of it stays."""
        path: Path | None = None
        try:
            fd, name = tempfile.mkstemp(dir=self.root / "incoming")
            path = Path(name)
            try:
                yield fd, path
            finally:
                os.close(fd)
        except OSError as error:
            full = error.errno in (errno.ENOSPC, errno.EDQUOT)
            raise Unavailable(
                "store.full" if full else "store.error",
                "the service's content store is full" if full else f"the content store failed: {error.strerror}",
                hint="Nothing half-written was kept. When there is room again, run the command again: it goes on.",
            ) from error
        finally:
            if path is not None:
                path.unlink(missing_ok=True)


def _write(fd: int, data: bytes) -> None:
    view = memoryview(data)
    while view:
        view = view[os.write(fd, view) :]


def _settle(fd: int, path: Path, target: Path) -> None:
    """Synced, renamed, and the folder synced: after this the bytes survive a power cut."""
    os.fsync(fd)
    os.fchmod(fd, 0o644)
    target.parent.mkdir(exist_ok=True)
    path.replace(target)
    sync_folder(target.parent)
