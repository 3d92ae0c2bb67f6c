"""Files that are written beside, synced, and take their place whole."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO


@contextmanager
def replacing(path: Path) -> Iterator[BinaryIO]:
    """A file that is written beside `path` and takes its place when all went well."""
    path.parent.mkdir(parents=True, exist_ok=True)
    beside = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with beside.open("w+b") as out:
            yield out
            out.flush()
            os.fsync(out.fileno())
        beside.replace(path)
    finally:
        beside.unlink(missing_ok=True)
