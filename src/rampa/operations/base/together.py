"""One making for all who ask at the same time: what is costly, and the same for everybody, is worked out once."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


class Together(Generic[T]):
    """Nobody is given what was begun before they asked: it is as new as if they were alone, and nothing is kept for later."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._begun = 0
        self._making = False
        self._newest: tuple[int, T] | None = None

    def get(self, make: Callable[[], T]) -> T:
        """What `make` returns, by this caller or by one beside it. An error is the maker's own: the others make it themselves."""
        with self._changed:
            wanted = self._begun + 1
            while self._making and not self._there(wanted):
                self._changed.wait()
            if self._newest and self._there(wanted):
                return self._newest[1]
            self._begun += 1
            number, self._making = self._begun, True
        try:
            made = make()
        except BaseException:
            self._end(None)
            raise
        self._end((number, made))
        return made

    def _there(self, wanted: int) -> bool:
        return self._newest is not None and self._newest[0] >= wanted

    def _end(self, made: tuple[int, T] | None) -> None:
        with self._changed:
            self._making = False
            self._newest = made or self._newest
            self._changed.notify_all()
