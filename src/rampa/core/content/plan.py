"""Planning an update: what is kept, what is reused, what must be downloaded, to the byte.

The service asks this for a device that has exactly an earlier build (the update cost); the device asks it for what it
really has. It is one computation, so the two agree.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field

from rampa.core.content.locations import DifferencePlace, FramePlace, Locations
from rampa.core.content.tree import Chunk, FileEntry, Tree
from rampa.core.errors import Unavailable

REQUEST_LIMIT = 4 * 1024 * 1024
"""Neighbouring frames are fetched with one request up to this many bytes."""


@dataclass(frozen=True, slots=True)
class OldPlace:
    """Where a device has a chunk: path in the installed tree, offset in bytes."""

    path: str
    offset: int


@dataclass(frozen=True)
class LocalContent:
    """What a device has: whole files by (digest, size), and chunks by digest."""

    files: Mapping[bytes, FileEntry] = field(default_factory=dict)
    chunks: Mapping[bytes, OldPlace] = field(default_factory=dict)


@dataclass(frozen=True)
class Request:
    """One ranged GET: neighbouring frames of one pack."""

    pack: bytes
    offset: int
    size: int
    frames: tuple[FramePlace, ...]


@dataclass(frozen=True)
class Plan:
    """`whole`: (new file, old file with the same content). `assemble`: files made of chunks.

    `differences` make chunks of what the device has, `requests` fetch frames for the rest; together they are `download`
    bytes. `reused` and `written` are bytes of content; until the old build is removed, `written` is the extra disk.
    """

    whole: tuple[tuple[FileEntry, FileEntry], ...]
    assemble: tuple[FileEntry, ...]
    differences: tuple[DifferencePlace, ...]
    requests: tuple[Request, ...]
    download: int
    reused: int
    written: int


def local_content(tree: Tree) -> LocalContent:
    """What a device has on which `tree` is installed and untouched."""
    chunks: dict[bytes, OldPlace] = {}
    for file in tree.files:
        offset = 0
        for chunk in file.chunks:
            chunks.setdefault(chunk.digest, OldPlace(file.path, offset))
            offset += chunk.size
    return LocalContent({f.digest: f for f in tree.files}, chunks)


def plan_update(new: Tree, have: LocalContent, locations: Locations) -> Plan:
    """Raises `Unavailable` when a chunk is neither on the device nor in any pack."""
    whole = [(f, have.files[f.digest]) for f in new.files if _is_whole(f, have)]
    assemble = tuple(f for f in new.files if not _is_whole(f, have))
    missing, reused = _missing(assemble, have)
    differences = tuple(useful({c.digest for c in missing}, locations))
    made = {c.digest for d in differences for c in d.new}
    requests = tuple(requests_for((c for c in missing if c.digest not in made), locations))
    return Plan(
        tuple(whole),
        assemble,
        differences,
        requests,
        sum(d.stored for d in differences) + sum(r.size for r in requests),
        reused + sum(f.size for f, _ in whole),
        sum(f.size for f in assemble),
    )


def _is_whole(file: FileEntry, have: LocalContent) -> bool:
    """It can be linked to what is there; a loose file is copied, since a player may write to it."""
    return file.digest in have.files and not file.loose


def _missing(assemble: Iterable[FileEntry], have: LocalContent) -> tuple[list[Chunk], int]:
    missing: dict[bytes, Chunk] = {}
    reused = 0
    for file in assemble:
        for chunk in file.chunks:
            if chunk.digest in have.chunks:
                reused += chunk.size
            else:
                missing.setdefault(chunk.digest, chunk)
    return list(missing.values()), reused


def useful(missing: set[bytes], locations: Locations) -> Iterator[DifferencePlace]:
    """The differences that make something that is missing."""
    return (d for d in locations.differences if any(c.digest in missing for c in d.new))


def requests_for(missing: Iterable[Chunk], locations: Locations) -> Iterator[Request]:
    """The ranged requests that bring the chunks, in the order in which the packs hold them."""
    frames: set[FramePlace] = set()
    for chunk in missing:
        found = locations.chunks.get(chunk.digest)
        if found is None:
            raise Unavailable(
                "content.missing",
                f"chunk {chunk.digest.hex()[:12]} is in no pack",
                hint="The service's content store is damaged: ask its owner to look at it.",
            )
        frames.add(found[0])
    run: list[FramePlace] = []
    for frame in sorted(frames):
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
