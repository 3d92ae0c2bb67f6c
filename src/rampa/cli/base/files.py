"""Files that a command is given, and files that hold keys: readable by their owner alone, and never written over."""

from __future__ import annotations

import os
from pathlib import Path

from rampa.core.errors import Invalid, NotFound


def read_file(path: Path, what: str = "file") -> bytes:
    """All of a small file. Raises `NotFound` with the system's reason, also for a folder."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise NotFound("file.missing", f"the {what} cannot be read ({error.strerror})", where=str(path)) from error


def write_private(target: Path, data: bytes) -> None:
    try:
        # Only where there is nothing: a key that is written over is gone.
        fd = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except OSError as error:
        raise Invalid(
            "file.unwritable", f"this file cannot be written ({error.strerror})", where=str(target)
        ) from error
    with os.fdopen(fd, "wb") as stream:
        stream.write(data)
        stream.flush()
        os.fsync(stream.fileno())
