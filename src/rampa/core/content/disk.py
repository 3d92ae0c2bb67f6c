"""What the operating system says of a disk, as a sentence."""

from __future__ import annotations

import errno
from pathlib import Path

from rampa.core.errors import Unavailable


def disk_error(error: OSError, where: Path) -> Unavailable:
    """A sentence for what the operating system said."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        hint = "Free some space and run the command again: it goes on where it stopped."
        return Unavailable("disk.full", "the disk is full", where=str(where), hint=hint)
    return Unavailable("disk.error", f"the disk said: {error.strerror}", where=str(error.filename or where))
