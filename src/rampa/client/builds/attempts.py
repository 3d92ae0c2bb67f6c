"""Remembering an attempt to make a build, so that the same command after a kill goes on with the same build."""

from __future__ import annotations

import fcntl
import hashlib
import os
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def attempt(folder: Path, *what: str) -> Iterator[tuple[str, Path | None]]:
    """(Idempotency-Key, file to remove once the build is complete). `what` tells attempts apart.

    While another process works on the same attempt, this one gets a key of its own: two builds at once are two builds.
    """
    folder.mkdir(parents=True, exist_ok=True)
    name = hashlib.sha256("\n".join(what).encode()).hexdigest()[:32]
    file = folder / f"{name}.attempt"
    fd = os.open(file, os.O_RDWR | os.O_CREAT, 0o600)
    try:
        try:
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            yield uuid.uuid4().hex, None
            return
        key = os.pread(fd, 64, 0).decode("ascii", "replace")
        if len(key) != 32:
            key = uuid.uuid4().hex
            os.ftruncate(fd, 0)
            os.pwrite(fd, key.encode(), 0)
        yield key, file
    finally:
        os.close(fd)
