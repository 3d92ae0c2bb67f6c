"""Running over many pieces on a few threads, in order, with bounded memory."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")

WORKERS = max(2, min(8, os.cpu_count() or 2))


@contextmanager
def pool(workers: int = WORKERS) -> Iterator[ThreadPoolExecutor]:
    """Threads that are given up at once when the caller fails or is cancelled."""
    threads = ThreadPoolExecutor(max_workers=workers, thread_name_prefix="rampa")
    try:
        yield threads
    finally:
        threads.shutdown(wait=True, cancel_futures=True)


def in_order(
    threads: ThreadPoolExecutor, work: Callable[[T], R], items: Iterable[T], ahead: int = WORKERS + 2
) -> Iterator[R]:
    """`map`, with at most `ahead` pieces in flight: what is not consumed is not made."""
    waiting: deque[Future[R]] = deque()
    for item in items:
        waiting.append(threads.submit(work, item))
        # Waiting for the oldest first keeps the order, and bounds what is held: a slow piece stops the submitting.
        if len(waiting) >= ahead:
            yield waiting.popleft().result()
    while waiting:
        yield waiting.popleft().result()
