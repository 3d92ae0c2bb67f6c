"""Server-sent events (HTML Living Standard, section 9.2): a few a process, so that they never starve ordinary calls."""

from __future__ import annotations

import threading
import uuid
from collections import Counter
from collections.abc import Iterator

from flask import Response, request

from rampa.core.errors import Unavailable
from rampa.core.quantity import counted

EVENTS = "text/event-stream"
MOST, MINE = 60, 12
"""Streams of one process at once, and of one person in it; `rampa.local.service` starts it with more threads than that."""


class Streams:
    """Counts the streams that are open in this process, and whose they are."""

    def __init__(self, most: int = MOST, mine: int = MINE) -> None:
        self._free, self._mine = threading.BoundedSemaphore(most), mine
        self._by: Counter[uuid.UUID] = Counter()
        self._lock = threading.Lock()

    def open(self, whose: uuid.UUID, events: Iterator[tuple[str, int, str]]) -> Response:
        """(event, id, data) each; an empty event is a sign of life. Raises `Unavailable` when there are too many."""
        with self._lock:
            if self._by[whose] >= self._mine:
                raise Unavailable(
                    "streams.yours",
                    f"you are watching {counted(self._mine, 'thing')} already",
                    hint="Close some of the pages.",
                )
            if not self._free.acquire(blocking=False):
                raise Unavailable(
                    "streams.full", "too many are watching at once", hint="Ask again every few seconds instead."
                )
            self._by[whose] += 1
        response = Response(self._write(events), content_type=EVENTS)
        response.headers["Cache-Control"] = "no-store"
        response.headers["X-Accel-Buffering"] = "no"
        # Also when the watcher goes before the first event: then nothing of the generator ever ran.
        response.call_on_close(lambda: self._close(whose))
        return response

    def _close(self, whose: uuid.UUID) -> None:
        with self._lock:
            self._by[whose] -= 1
            if not self._by[whose]:
                del self._by[whose]
        self._free.release()

    @staticmethod
    def _write(events: Iterator[tuple[str, int, str]]) -> Iterator[bytes]:
        # Browsers wait three seconds by themselves, which is long while a log runs.
        yield b"retry: 1000\n\n"
        for event, number, data in events:
            yield f"event: {event}\nid: {number}\ndata: {data}\n\n".encode() if event else b": alive\n\n"


def last_seen(after: int) -> int:
    """The header that a browser sends when it connects again, else the query's."""
    sent = request.headers.get("Last-Event-ID", "")
    return int(sent) if sent.isascii() and sent.isdigit() and len(sent) < 16 else after
