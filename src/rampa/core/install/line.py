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
    """The parts of all requests, asked for in their order, a few ahead of what is taken."""

    def __init__(self, requests: Sequence[Request], read: READ, threads: ThreadPoolExecutor, ahead: int) -> None:
        """`ahead`: parts that are asked for, or here, and not taken; each has a few MiB at most."""
        self._read, self._threads, self._ahead = read, threads, ahead
        self._todo = deque((number, request, part) for number, request in enumerate(requests) for part in request.parts)
        self._coming: list[deque[Future[bytes]]] = [deque() for _ in requests]
        self._waiting = 0
        self._lock = threading.Lock()

    def arriving(self, number: int, request: Request) -> Iterator[bytes]:
        """The request's parts, once."""
        for _ in request.parts:
            with self._lock:
                # Parts are asked for in order: what is wanted first never waits behind what nobody opens yet.
                while self._todo and (self._waiting < self._ahead or not self._coming[number]):
                    self._ask()
                part = self._coming[number].popleft()
            data = part.result()
            with self._lock:
                self._waiting -= 1
            yield data

    def _ask(self) -> None:
        number, request, part = self._todo.popleft()
        self._coming[number].append(self._threads.submit(self._read, request.pack, *part))
        self._waiting += 1
