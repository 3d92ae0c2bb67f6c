"""Checking files as soon as they are made: beside the download, while processors are idle."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor

from rampa.core import parallel
from rampa.core.install.assembly import Assembly


class FileChecks:
    """Every file of an assembly is checked once: as it is made, or at the end."""

    def __init__(self, assembly: Assembly, beside: ThreadPoolExecutor) -> None:
        self._assembly, self._beside = assembly, beside
        self._begun: dict[int, Future[int]] = {}
        assembly.on_made = self._begin

    def _begin(self, number: int) -> None:
        self._begun[number] = self._beside.submit(self._assembly.finish, number)

    def finish(self, threads: ThreadPoolExecutor) -> Iterator[int]:
        """The size of each file, once it is checked. Raises `Damaged` for the first that is not what it should be."""
        yield from parallel.in_order(threads, self._finished, range(len(self._assembly.tree.files)), ahead=64)

    def _finished(self, number: int) -> int:
        begun = self._begun.get(number)
        return begun.result() if begun else self._assembly.finish(number)
