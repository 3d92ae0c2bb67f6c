"""A few results that never change, kept by key."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import TypeVar

T = TypeVar("T")


class ResultCache:
    """A few results that never change, by key: manifests and locations are immutable, decoding them is not free."""

    def __init__(self, size: int) -> None:
        self._size = size
        self._lock = threading.Lock()
        self._kept: OrderedDict[Hashable, object] = OrderedDict()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]  # type: ignore[return-value]
        made = make()
        with self._lock:
            self._kept[key] = made
            while len(self._kept) > self._size:
                self._kept.popitem(last=False)
        return made
