"""Content arriving: which chunks are missing, and packs that bring them. Every chunk is checked; nothing is believed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import islice
from pathlib import Path
from typing import TypeVar

from sqlalchemy import delete, select, update
from sqlalchemy.dialects.postgresql import insert

from rampa.core.content.pack.opening import open_pieces
from rampa.core.content.pack.pack import Frame as PackFrame
from rampa.core.content.pack.pack import index_size, read_index, verify_chunks
from rampa.core.content.tree.tree import Chunk as ChunkOfTree
from rampa.core.errors import Conflict, Damaged
from rampa.db import ChunkRow, FrameRow, PackRow, find_build, must_be_open
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.schema.builds import builds as wire

PACK_LIMIT = 64 * 1024 * 1024
BATCH = 5000
T = TypeVar("T")


def missing_chunks(services: Services, slug: str, number: int, digests: list[str]) -> list[str]:
    """Those that no recorded pack holds, in the order asked."""
    with begin(services) as uow:
        must_be_open(find_build(uow.session, slug, number))
    return missing_of(services, digests)


def missing_of(services: Services, digests: list[str]) -> list[str]:
    with begin(services) as uow:
        held = set(chunk_sizes(uow, [bytes.fromhex(d) for d in digests]))
        # Whoever is told that a chunk is there will not send it: from here on it must not be swept.
        rescue(uow, held)
    return [d for d in dict.fromkeys(digests) if bytes.fromhex(d) not in held]


def rescue(uow: UnitOfWork, digests: Iterable[bytes]) -> None:
    """Chunks that somebody counts on from now: packs that were to be removed and hold any of them stay."""
    condemned = select(PackRow.digest).where(PackRow.condemned_at.is_not(None))
    if uow.session.scalar(condemned.limit(1)) is None:
        return
    wanted = list(digests)
    for at in range(0, len(wanted), BATCH):
        inside = select(FrameRow.pack_digest).join(ChunkRow, ChunkRow.frame_id == FrameRow.id)
        inside = inside.where(ChunkRow.digest.in_(wanted[at : at + BATCH]))
        uow.session.execute(update(PackRow).where(PackRow.digest.in_(inside)).values(condemned_at=None))


def store_pack(services: Services, slug: str, number: int, digest: bytes, pieces: Iterable[bytes]) -> wire.PackStored:
    """A pack for an open build."""
    with begin(services) as uow:
        must_be_open(find_build(uow.session, slug, number))
    return take_pack(services, digest, pieces)


def take_pack(services: Services, digest: bytes, pieces: Iterable[bytes]) -> wire.PackStored:
    """Checked, written beside, synced, renamed, then recorded. Sending it twice is no error."""
    with begin(services) as uow:
        known = uow.session.get(PackRow, digest)
        if known:
            for _ in pieces:  # an answer before the body was read would look like a broken connection
                pass
            chunks = _count(uow, digest)
            return wire.PackStored(pack=digest.hex(), size=known.size, chunks=chunks, new_chunks=0)
    frames: list[PackFrame] = []
    size = services.store.put_pack(digest, pieces, PACK_LIMIT, lambda path, n: frames.extend(check_pack(path, n)))
    with begin(services) as uow:
        new = _record(uow, digest, size, frames)
    return wire.PackStored(pack=digest.hex(), size=size, chunks=sum(len(f.chunks) for f in frames), new_chunks=new)


def check_pack(path: Path, size: int) -> list[PackFrame]:
    """Reads a whole pack and checks every chunk, a frame at a time. Raises `Damaged`."""
    with path.open("rb") as stream:
        stream.seek(max(0, size - 12))
        need = index_size(stream.read(), size)
        stream.seek(size - need)
        frames = read_index(stream.read(), size)
        for frame in frames:
            stream.seek(frame.offset)
            verify_chunks(frame, open_pieces(stream.read(frame.stored), frame.raw))
    return frames


def _record(uow: UnitOfWork, digest: bytes, size: int, frames: list[PackFrame]) -> int:
    """Rows for what is on the disk now; of chunks that lie in another pack already, none."""
    added = uow.session.execute(
        insert(PackRow)
        .values(digest=digest, size=size, created_at=uow.now)
        .on_conflict_do_nothing()
        .returning(PackRow.digest)
    ).scalar()
    # Another upload of the same pack won the race; its rows are these rows.
    if added is None:
        return 0
    rows = [{"pack_digest": digest, "offset": f.offset, "stored": f.stored, "raw": f.raw} for f in frames]
    ids = uow.session.scalars(insert(FrameRow).returning(FrameRow.id, sort_by_parameter_order=True), rows).all()
    chunks: dict[bytes, dict[str, object]] = {}
    for frame_id, frame in zip(ids, frames, strict=True):
        at = 0
        for chunk in frame.chunks:
            row = {"digest": chunk.digest, "size": chunk.size, "frame_id": frame_id, "at": at}
            chunks.setdefault(chunk.digest, row)
            at += chunk.size
    known = chunk_sizes(uow, list(chunks))
    new = [row for d, row in chunks.items() if d not in known]
    if new:
        uow.session.execute(insert(ChunkRow), new)
    return len(new)


def forget_pack(uow: UnitOfWork, digest: bytes) -> None:
    """Its rows: what it held counts as missing from then on. The bytes are removed by the caller, after the commit."""
    frames = select(FrameRow.id).where(FrameRow.pack_digest == digest)
    uow.session.execute(delete(ChunkRow).where(ChunkRow.frame_id.in_(frames)))
    uow.session.execute(delete(FrameRow).where(FrameRow.pack_digest == digest))
    uow.session.execute(delete(PackRow).where(PackRow.digest == digest))


def _count(uow: UnitOfWork, digest: bytes) -> int:
    rows = (
        select(ChunkRow.digest).join(FrameRow, FrameRow.id == ChunkRow.frame_id).where(FrameRow.pack_digest == digest)
    )
    return len(uow.session.scalars(rows).all())


def chunk_sizes(uow: UnitOfWork, digests: list[bytes]) -> dict[bytes, int]:
    """digest -> size in bytes, for those that are recorded."""
    out: dict[bytes, int] = {}
    for at in range(0, len(digests), BATCH):
        rows = select(ChunkRow.digest, ChunkRow.size).where(ChunkRow.digest.in_(digests[at : at + BATCH]))
        out.update((digest, size) for digest, size in uow.session.execute(rows))
    return out


def must_be_held(uow: UnitOfWork, chunks: Iterable[ChunkOfTree]) -> None:
    """Every chunk is recorded, with that size. Raises `Conflict` and `Damaged`."""
    missing = asked = 0
    for batch in batched(chunks, BATCH):
        held = chunk_sizes(uow, [c.digest for c in batch])
        asked += len(batch)
        missing += len({c.digest for c in batch} - held.keys())
        if any(held.get(c.digest, c.size) != c.size for c in batch):
            raise Damaged("content.size", "a manifest gives a chunk another size than it has")
    if missing:
        raise Conflict(
            "content.missing",
            f"{missing} of {asked} chunks have not arrived",
            hint="Run the command again: it sends only those.",
        )


def batched(items: Iterable[T], size: int) -> Iterator[list[T]]:
    """Lists of at most `size` items."""
    rest = iter(items)
    while batch := list(islice(rest, size)):
        yield batch
