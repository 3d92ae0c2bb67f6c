"""What is asked for ahead of those who open it: the line is never idle while something is still to come."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor

from rampa.core.install.cheapest import Request

READ = Callable[[bytes, int, int], bytes]
"""(pack, offset, size) -> what came."""


class Line:
    """The parts of all requests, asked for in their order, a few ahead of what is taken.

    Who wants a part that was not asked for yet, while as many as may be wait, asks for that one: never more than one for each
    thread comes to what waits.
    """

    def __init__(self, requests: Sequence[Request], read: READ, threads: ThreadPoolExecutor, ahead: int) -> None:
        """`ahead`: parts that are asked for, or here, and not taken; each has a few MiB at most."""
        self._read, self._threads, self._ahead = read, threads, ahead
        self._todo = [deque(request.parts) for request in requests]
        self._packs = [request.pack for request in requests]
        self._coming: list[deque[Future[bytes]]] = [deque() for _ in requests]
        self._first, self._waiting = 0, 0
        self._lock = threading.Lock()

    def arriving(self, number: int, request: Request) -> Iterator[bytes]:
        """The request's parts, once."""
        for _ in request.parts:
            with self._lock:
                while self._waiting < self._ahead and (next_ := self._next()) is not None:
                    self._ask(next_)
                if not self._coming[number]:
                    self._ask(number)
                part = self._coming[number].popleft()
            data = part.result()
            with self._lock:
                self._waiting -= 1
            yield data

    def _next(self) -> int | None:
        """The first request of which not everything was asked for."""
        while self._first < len(self._todo) and not self._todo[self._first]:
            self._first += 1
        return self._first if self._first < len(self._todo) else None

    def _ask(self, number: int) -> None:
        self._coming[number].append(
            self._threads.submit(self._read, self._packs[number], *self._todo[number].popleft())
        )
        self._waiting += 1
