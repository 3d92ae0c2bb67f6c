"""Reading what strangers wrote in processes apart, which can be ended: a reader that is slow, takes the memory, or falls over in
a library, takes nothing of the service's with it.

Readers are plain functions of `rampa.core`, given bytes or a path. A pool's processes are forked from one that has none of the
service's threads and connections, and are started again by themselves.
"""

from __future__ import annotations

import multiprocessing
import resource
import threading
from collections.abc import Callable
from concurrent.futures import TimeoutError
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, ParamSpec, TypeVar

from rampa.core.errors import Invalid

if TYPE_CHECKING:
    from pebble import ProcessPool

P = ParamSpec("P")
T = TypeVar("T")
PRELOADED = [
    "rampa.core.binaries.lines",
    "rampa.core.check.bundle",
    "rampa.core.signing.key_file",
    "rampa.core.picture.photo",
    "rampa.core.picture.picture_file",
    "rampa.core.picture.shape",
]


@dataclass
class Readers:
    """So many processes, each with so much memory (bytes) and time (seconds) for one call. Made when first used."""

    count: int
    seconds: float
    memory: int
    _pool: ProcessPool | None = None
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def read(self, reader: Callable[P, T], /, *args: P.args, **kwargs: P.kwargs) -> T:
        """What the reader answers, or its own error. Raises `Invalid` for input that takes more than there is for it."""
        from pebble import ProcessExpired

        future = self._made().submit(reader, self.seconds, *args, **kwargs)
        hint = "Such a file is damaged, or made to stop its reader."
        try:
            answer: T = future.result()
        except TimeoutError as error:
            message = f"reading it took more than {self.seconds:.0f} s, and was ended"
            raise Invalid("reader.too-slow", message, hint=hint) from error
        except MemoryError as error:
            message = f"reading it takes more than {self.memory >> 20:,} MiB"
            raise Invalid("reader.too-large", message, hint=hint) from error
        except ProcessExpired as error:
            raise Invalid("reader.ended", "its reader fell over", hint=hint) from error
        return answer

    def close(self) -> None:
        """Ends its processes, whatever they read."""
        with self._lock:
            pool, self._pool = self._pool, None
        if pool is not None:
            pool.stop()  # type: ignore[no-untyped-call]
            pool.join()

    def _made(self) -> ProcessPool:
        from pebble import ProcessPool

        with self._lock:
            if self._pool is None:
                # A child of this very process would have its locks as they are at that moment, held by threads that it lacks.
                context = multiprocessing.get_context("forkserver")
                context.set_forkserver_preload(PRELOADED)
                self._pool = ProcessPool(self.count, context=context, initializer=_bounded, initargs=[self.memory])
            return self._pool


def _bounded(memory: int) -> None:
    resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


QUICK = Readers(2, 20, 1 << 30)
"""For what a person waits for: key files, pictures."""
LONG = Readers(2, 900, 2 << 30)
"""For bundles, which can be gigabytes."""
