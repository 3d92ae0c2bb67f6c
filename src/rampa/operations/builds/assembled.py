"""A bundle that was sent as chunks, put together as one file: what reads it reads a file, in a process apart."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from rampa.core.errors import Damaged
from rampa.core.files import disk_error, must_fit
from rampa.operations.base import Services
from rampa.operations.content.stored_trees import stream_chunks
from rampa.schema.builds import builds as wire


def verify_bundle(services: Services, bundle: wire.BundleIn) -> None:
    """Reads what was sent once. Raises `Damaged` for other content than its digest says."""
    for _ in _verified(services, bundle):
        pass


@contextmanager
def assembled(services: Services, bundle: wire.BundleIn) -> Iterator[Path]:
    """A file of its own in a scratch folder of its own, verified as it is written; both go at the end."""
    try:
        with tempfile.TemporaryDirectory(prefix="rampa-bundle-") as folder:
            must_fit(Path(folder), bundle.size)
            file = Path(folder) / "bundle"
            with file.open("wb") as out:
                for piece in _verified(services, bundle):
                    out.write(piece)
            yield file
    except OSError as error:
        raise disk_error(error, Path(tempfile.gettempdir())) from error


def _verified(services: Services, bundle: wire.BundleIn) -> Iterator[bytes]:
    hasher, size = hashlib.sha256(), 0
    for piece in stream_chunks(services, (bytes.fromhex(c.digest) for c in bundle.chunks)):
        hasher.update(piece)
        size += len(piece)
        yield piece
    if size != bundle.size or hasher.hexdigest() != bundle.sha256:
        raise Damaged("bundle.digest", "the bundle's digest is not that of its content", where=bundle.name)
