"""What the operating system says of a disk, as a sentence."""

from __future__ import annotations

import ctypes
import errno
import os
import shutil
from pathlib import Path

from rampa.core.errors import Invalid, Unavailable
from rampa.core.libc import c_function


def disk_error(error: OSError, where: Path) -> Unavailable:
    """A sentence for what the operating system said."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        hint = "Free some space and run the command again: it goes on where it stopped."
        return Unavailable("disk.full", "the disk is full", where=str(where), hint=hint)
    return Unavailable("disk.error", f"the disk said: {error.strerror}", where=str(error.filename or where))


def must_fit(folder: Path, size: int) -> None:
    """Raises `Unavailable` when the disk of `folder` has less room than `size` bytes: better now than at the last file."""
    at = folder
    while not at.exists():
        at = at.parent
    free = shutil.disk_usage(at).free
    if free < size:
        raise Unavailable(
            "disk.full",
            f"this needs {size / 1e6:,.1f} MB more on the disk, and {free / 1e6:,.1f} MB are free",
            where=str(folder),
            hint="Nothing was changed. Make room, then run the command again: it goes on where it stopped.",
        )


BEGIN = 2
"""SYNC_FILE_RANGE_WRITE, sync_file_range(2)."""


def begin_writing(fd: int, offset: int, size: int) -> None:
    """Asks the system to begin putting these bytes on the disk, so that `sync` finds less to wait for. No promise."""
    begin = c_function("sync_file_range")
    if begin is not None:
        begin(fd, ctypes.c_int64(offset), ctypes.c_int64(size), BEGIN)


def sync(folder: Path) -> None:
    """Puts what was written on the disk (syncfs(2) where there is one)."""
    fd = os.open(folder, os.O_RDONLY)
    try:
        syncfs = c_function("syncfs")
        if syncfs is None:
            os.sync()
        elif syncfs(fd) != 0:
            raise Invalid("disk.sync", "the disk did not confirm what was written", where=str(folder))
    finally:
        os.close(fd)
