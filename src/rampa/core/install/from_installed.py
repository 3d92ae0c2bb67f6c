"""What the installed build already has of a new one: whole files, which are linked, and chunks, which are copied."""

from __future__ import annotations

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from blake3 import blake3

from rampa.core import parallel
from rampa.core.content.tree.columns import view
from rampa.core.content.tree.regions import LocalContent
from rampa.core.content.tree.tree import FileEntry
from rampa.core.install.assembly import Assembly, file_holds, read_region
from rampa.core.install.reuse import Reused, runs


class FromInstalled:
    """`root` is what the device has, and `content` what should be in it; everything is checked before it is taken."""

    def __init__(self, root: Path | None, content: LocalContent) -> None:
        self._root, self._content = root, content

    def take_whole(self, file: FileEntry, target: Path) -> bool:
        """A file that is already made, or that the device has as a whole under any path."""
        mode = 0o755 if file.executable else 0o644
        if target.exists():
            if file_holds(target, file.size, file.digest):
                if target.stat().st_mode & 0o777 != mode:
                    target.chmod(mode)
                return True
            # It may be linked to the old build's file: a new one is made, the old one is not written to.
            if target.stat().st_nlink > 1:
                target.unlink()
            return False
        old = self._content.find_file(file.digest)
        if old is None or self._root is None:
            return False
        source = self._root / old.path
        if file.player_rule:
            return False  # a player may write to it: it is never shared with another build
        if old.executable != file.executable or not file_holds(source, file.size, file.digest):
            return False
        os.link(source, target, follow_symlinks=False)
        return True

    def take_chunks(self, assembly: Assembly, threads: ThreadPoolExecutor) -> tuple[int, Iterator[int]]:
        """How many bytes there are to copy, and how many each step copied."""
        chunks, wanted = assembly.tree.chunks, assembly.wanted()
        held = self._content.find_chunks(chunks.digests.take(wanted))
        numbers, held = wanted[held >= 0], held[held >= 0]
        found = runs(numbers, held, chunks, self._content)
        steps = parallel.in_order(threads, lambda run: self._copy(run, assembly), found, ahead=8)
        return int(view(chunks.sizes)[numbers].sum()), steps

    def _copy(self, run: Reused, assembly: Assembly) -> int:
        assert self._root is not None
        chunks = assembly.tree.chunks
        data = memoryview(read_region(self._root / run.path, run.offset, run.size) or b"")
        good, at = [], 0
        for number in run.numbers:
            piece = data[at : at + chunks.sizes[number]]
            # What it was given can be what it should hold, not what it holds: a player can have changed any file since.
            if blake3(piece).digest() == chunks.digests[number]:
                good.append((number, piece))
            at += chunks.sizes[number]
        assembly.put_run(good)
        return sum(len(piece) for _, piece in good)
