"""Functions of the C library that Python does not offer; None on systems that lack them."""

from __future__ import annotations

import ctypes
from functools import lru_cache
from typing import Any


@lru_cache(maxsize=8)
def c_function(name: str) -> Any:
    try:
        return getattr(ctypes.CDLL(None), name, None)
    except (OSError, TypeError):  # not a POSIX system
        return None
