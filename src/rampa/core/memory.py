"""Memory of small devices: what is freed goes back to the system."""

from __future__ import annotations

import ctypes

from rampa.core.libc import c_function

MMAP_THRESHOLD = -3
"""M_MMAP_THRESHOLD, mallopt(3)."""
BLOCK = 128 * 1024


def give_back_blocks() -> None:
    """From now on blocks of `BLOCK` bytes and more are given back as they are freed, for the whole process.

    glibc otherwise raises that bound with the first large block that is freed, and then keeps holes as large as the pieces of
    what is unpacked, in every thread's arena. Costs a device its time to take fresh pages; elsewhere than on glibc nothing.
    """
    mallopt = c_function("mallopt")
    if mallopt is not None:
        mallopt(ctypes.c_int(MMAP_THRESHOLD), ctypes.c_int(BLOCK))
