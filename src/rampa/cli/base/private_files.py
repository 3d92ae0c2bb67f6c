"""Files that hold keys: readable by their owner alone, and never written over."""

from __future__ import annotations

import os
from pathlib import Path

from rampa.core.errors import Invalid


def write_private(target: Path, data: bytes) -> None:
    try:
        fd = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except OSError as error:
        raise Invalid(
            "file.unwritable", f"this file cannot be written ({error.strerror})", where=str(target)
        ) from error
    with os.fdopen(fd, "wb") as stream:
        stream.write(data)
        stream.flush()
        os.fsync(stream.fileno())
