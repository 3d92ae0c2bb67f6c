"""A coverage-guided fuzzer of the readers: `python -m tests.fuzz [READER] [--seconds N] [--seed N]`.

It keeps every input that reaches a line or a jump that none reached before, and changes those further. Lines are watched by the
interpreter's own tracing, in `rampa.core` alone. It fails on any error that is not ours, on an input that takes seconds,
and on memory above a bound. What it found is written to a file, for a test to keep.

The same readers are under property tests in tests/core, which run always; this one runs as long as it is let.
"""

from __future__ import annotations

import argparse
import random
import resource
import sys
import time
from pathlib import Path
from types import CodeType, FrameType
from typing import Any

from rampa.core.errors import RampaError
from tests.fuzz.readers import READERS, kept

SLOW = 1.0
MEMORY = 1 << 20
"""Kilobytes of growth that are too much."""
LIMIT = 64 * 1024
INTERESTING = (0, 1, 2, 4, 0x7F, 0x80, 0xFF, 0x7FFF, 0xFFFF, 0x7FFFFFFF, 0xFFFFFFFF)


class Coverage:
    """Which (code, line, line before) were reached, in the heart alone."""

    def __init__(self) -> None:
        self.seen: set[tuple[CodeType, int, int]] = set()
        self.fresh = False

    def call(self, frame: FrameType, event: str, _: Any) -> Any:
        if "rampa/core" not in frame.f_code.co_filename:
            return None
        before = frame.f_lineno

        def line(inner: FrameType, event: str, _: Any) -> Any:
            nonlocal before
            edge = (inner.f_code, inner.f_lineno, before)
            before = inner.f_lineno
            if edge not in self.seen:
                self.seen.add(edge)
                self.fresh = True
            return line

        return line


def changed(data: bytes, rng: random.Random, corpus: list[bytes]) -> bytes:
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 4, 8))):
        at = rng.randrange(len(out) + 1)
        what = rng.randrange(7)
        if what == 0 and at < len(out):
            out[at] ^= 1 << rng.randrange(8)
        elif what == 1:
            value = rng.choice(INTERESTING)
            width = rng.choice((1, 2, 4))
            out[at : at + width] = (value & (1 << 8 * width) - 1).to_bytes(width, rng.choice(("little", "big")))
        elif what == 2:
            del out[at : at + rng.randrange(1, 64)]
        elif what == 3:
            out[at:at] = out[at : at + rng.randrange(1, 64)]
        elif what == 4:
            other = rng.choice(corpus)
            start = rng.randrange(len(other) + 1)
            out[at : at + rng.randrange(64)] = other[start : start + rng.randrange(64)]
        elif what == 5:
            del out[at:]
        elif at < len(out):
            out[at] = rng.randrange(256)
        if not out:
            out = bytearray(b"\0")
    return bytes(out[:LIMIT])


def fuzz(name: str, seconds: float, seed: int, least: int = 0) -> int:
    """Tries inputs for that long, and `least` of them; returns how many. Raises `SystemExit` with what was found."""
    reader, seeds = READERS[name]
    rng, coverage, corpus = random.Random(seed), Coverage(), [*seeds(), *kept(name)]
    memory, end, tries = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.monotonic() + seconds, 0
    while time.monotonic() < end or tries < least:
        data = corpus[tries] if tries < len(corpus) else changed(rng.choice(corpus), rng, corpus)
        tries += 1
        coverage.fresh = False
        started = time.perf_counter()
        sys.settrace(coverage.call)
        try:
            reader(data)
        except RampaError:
            pass
        except BaseException as error:
            sys.settrace(None)
            raise SystemExit(_found(name, data, f"{type(error).__name__}: {error}")) from error
        finally:
            sys.settrace(None)
        if time.perf_counter() - started > 20 * SLOW:  # tracing slows it some twentyfold
            raise SystemExit(_found(name, data, "it took too long"))
        if resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - memory > MEMORY:
            raise SystemExit(_found(name, data, "it took too much memory"))
        if coverage.fresh:
            corpus.append(data)
    print(f"{name}: {tries:,} inputs, {len(coverage.seen):,} edges, {len(corpus):,} kept")
    return tries


def _found(name: str, data: bytes, what: str) -> str:
    file = Path(f"fuzz-{name}.bin")
    file.write_bytes(data)
    return f"{name}: {what}; the input is {file}"


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m tests.fuzz")
    parser.add_argument("reader", nargs="*", choices=[*READERS, []], default=[])
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    for name in asked.reader or READERS:
        fuzz(name, asked.seconds, asked.seed)


if __name__ == "__main__":
    main()
