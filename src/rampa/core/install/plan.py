"""Planning an update: what is kept, what is reused, what must be downloaded, to the byte.

The service asks this for a device that has exactly an earlier build (the update cost); the device asks it for what it
really has. It is one computation, so the two agree.
"""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from rampa.core.content.pack.places import FramePlace
from rampa.core.content.patch.locations import DifferencePlace, Locations
from rampa.core.content.tree.columns import Digests, view
from rampa.core.content.tree.regions import LocalContent
from rampa.core.content.tree.tree import Tree

REQUEST_LIMIT = 4 * 1024 * 1024
"""Neighbouring frames are fetched with one request up to this many bytes."""


@dataclass(frozen=True)
class Request:
    """One ranged GET: neighbouring frames of one pack."""

    pack: bytes
    offset: int
    size: int
    frames: tuple[FramePlace, ...]


@dataclass(frozen=True)
class UpdatePlan:
    """`assemble`: files made of chunks; the others are there as a whole.

    `differences` make chunks of what the device has, `requests` fetch frames for the rest; together they are `download`
    bytes. `reused` and `written` are bytes of content; until the old build is removed, `written` is the extra disk.
    """

    assemble: Tree
    differences: tuple[DifferencePlace, ...]
    requests: tuple[Request, ...]
    download: int
    reused: int
    written: int


def plan_update(new: Tree, have: LocalContent, locations: Locations) -> UpdatePlan:
    """Raises `Unavailable` when a chunk is neither on the device nor in any pack."""
    whole = have.wholes(new) >= 0
    assemble = new.take(np.flatnonzero(~whole))
    held = have.find_chunks(assemble.chunks.digests) >= 0
    missing = assemble.chunks.digests.take(np.flatnonzero(~held))
    differences = tuple(useful(missing, locations))
    made = Digests.of(c.digest for d in differences for c in d.new)
    rest = missing.take(np.flatnonzero(made.find_all(missing) < 0))
    requests = tuple(requests_for(locations.chunks.frames_of(rest)))
    uses = view(assemble.files.numbers)
    reused = int(view(assemble.chunks.sizes)[uses][held[uses]].sum()) if len(uses) else 0
    return UpdatePlan(
        assemble,
        differences,
        requests,
        sum(d.stored for d in differences) + sum(r.size for r in requests),
        reused + new.size - assemble.size,
        assemble.size,
    )


def useful(missing: Container[bytes], locations: Locations) -> Iterator[DifferencePlace]:
    """The differences that make something that is missing."""
    # A difference that makes only what is there would travel for nothing; one that makes a part of what is missing
    # still pays.
    return (d for d in locations.differences if any(c.digest in missing for c in d.new))


def requests_for(frames: Iterable[FramePlace]) -> Iterator[Request]:
    """The ranged requests that bring frames, which come in the order of the packs."""
    run: list[FramePlace] = []
    for frame in frames:
        if run and not _joins(run, frame):
            yield _request(run)
            run = []
        run.append(frame)
    if run:
        yield _request(run)


def _joins(run: list[FramePlace], frame: FramePlace) -> bool:
    last = run[-1]
    size = frame.offset + frame.stored - run[0].offset
    return frame.pack == last.pack and frame.offset == last.offset + last.stored and size <= REQUEST_LIMIT


def _request(run: list[FramePlace]) -> Request:
    return Request(run[0].pack, run[0].offset, sum(f.stored for f in run), tuple(run))
