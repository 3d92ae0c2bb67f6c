"""Server-sent events (HTML Living Standard, section 9.2): a few a process, so that they never starve ordinary calls."""

from __future__ import annotations

import threading
from collections.abc import Iterator

from flask import Response, request

from rampa.core.errors import Unavailable

EVENTS = "text/event-stream"
MOST = 60
"""Streams of one process at once; `rampa.local.service` starts it with more threads than that."""


class Streams:
    """Counts the streams that are open in this process."""

    def __init__(self, most: int = MOST) -> None:
        self._free = threading.BoundedSemaphore(most)

    def open(self, events: Iterator[tuple[str, int, str]]) -> Response:
        """(event, id, data) each; an empty event is a sign of life. Raises `Unavailable` when there are too many."""
        if not self._free.acquire(blocking=False):
            raise Unavailable(
                "streams.full", "too many are watching at once", hint="Ask again every few seconds instead."
            )
        response = Response(self._write(events), content_type=EVENTS)
        response.headers["Cache-Control"] = "no-store"
        response.headers["X-Accel-Buffering"] = "no"
        # Also when the watcher goes before the first event: then nothing of the generator ever ran.
        response.call_on_close(self._free.release)
        return response

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
