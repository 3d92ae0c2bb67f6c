"""Files: written beside, synced, renamed, in this one way; and what the operating system says of a disk, as a sentence."""

from __future__ import annotations

import ctypes
import errno
import hashlib
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from rampa.core.errors import Invalid, Unavailable
from rampa.core.libc import c_function


def sha256_of(path: Path) -> str:
    """Of its content, hexadecimal."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


@contextmanager
def replacing(path: Path, mode: int = 0o644, *, settle: bool = True) -> Iterator[BinaryIO]:
    """A file that is written beside `path` and takes its place when all went well; else nothing of it stays.

    Readers see the old one whole or the new one whole, also after a power cut. `settle` False leaves out the sync: for what can
    be made again.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    beside = path.with_name(f".{path.name}.{os.getpid()}.part")
    beside.unlink(missing_ok=True)
    try:
        # The mode holds from the first byte on: a secret is never readable by others for a moment.
        with open(beside, "x+b", opener=lambda path, flags: os.open(path, flags, mode)) as out:
            yield out
            out.flush()
            if settle:
                os.fsync(out.fileno())
        beside.replace(path)
        if settle:
            sync_folder(path.parent)
    finally:
        beside.unlink(missing_ok=True)


def replace_file(path: Path, data: bytes, mode: int = 0o644) -> None:
    with replacing(path, mode) as out:
        out.write(data)


def sync_folder(folder: Path) -> None:
    """A rename is on the disk when the folder is."""
    fd = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(fd)
    finally:
        os.close(fd)


def disk_error(error: OSError, where: Path) -> Unavailable:
    """A sentence for what the operating system said."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        hint = "Free some space and run the command again: it goes on where it stopped."
        return Unavailable("disk.full", "the disk is full", where=str(where), hint=hint)
    return Unavailable("disk.error", f"the disk said: {error.strerror}", where=str(error.filename or where))


def must_fit(folder: Path, size: int, room: int | None = None) -> None:
    """Raises `Unavailable` when the disk of `folder` has less room than `size` bytes: better now than at the last file. `room`:
    bytes that a simulated disk has."""
    at = folder
    # What is not made yet will lie on its nearest parent's disk.
    while not at.exists():
        at = at.parent
    free = shutil.disk_usage(at).free if room is None else room
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
