"""Hearing of changes: one connection a process listens, any number of threads wait."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Iterable

import psycopg

from rampa.db.queue import CHANGES

SAFETY = 5.0
"""Seconds after which a waiting thread looks by itself: while the connection is broken, nothing is heard."""


class Listener:
    """Counts what was heard. `mark` before looking, then `wait` for something new since the mark."""

    def __init__(self, url: str) -> None:
        self._url = url.replace("postgresql+psycopg://", "postgresql://")
        self._changed = threading.Condition()
        self._heard: dict[str, int] = {}
        self._count = 0
        self._process = 0
        self._ready = threading.Event()

    def mark(self) -> int:
        self._start()
        with self._changed:
            return self._count

    def wait(self, what: Iterable[str], mark: int, seconds: float) -> bool:
        """True when one of `what` was heard of after the mark; False after `seconds`, or SAFETY if that is less."""
        names = list(what)
        end = time.monotonic() + min(seconds, SAFETY)
        with self._changed:
            while not any(self._heard.get(n, 0) > mark for n in names):
                left = end - time.monotonic()
                if left <= 0:
                    return False
                self._changed.wait(left)
        return True

    def _start(self) -> None:
        """In the process that uses it: threads do not live on in forks."""
        with self._changed:
            if self._process == os.getpid():
                return
            self._process = os.getpid()
            self._ready.clear()
            threading.Thread(target=self._listen, args=(os.getpid(),), daemon=True, name="listener").start()
        self._ready.wait(5)

    def _listen(self, process: int) -> None:
        while self._process == process:
            try:
                with psycopg.connect(self._url, autocommit=True, connect_timeout=5) as connection:
                    connection.execute(f"listen {CHANGES}")
                    self._ready.set()
                    # What was said while nothing listened is unknown: everybody looks once.
                    self._hear("")
                    for heard in connection.notifies():
                        self._hear(heard.payload)
            except psycopg.Error:
                self._ready.set()
                time.sleep(1)

    def _hear(self, what: str) -> None:
        with self._changed:
            self._count += 1
            self._heard[what] = self._count
            # Marks of things that are long over; a waiter whose name is dropped looks again by itself after SAFETY.
            if len(self._heard) > 20_000:
                oldest = sorted(self._heard, key=lambda n: self._heard[n])[:10_000]
                for name in oldest:
                    del self._heard[name]
            self._changed.notify_all()
