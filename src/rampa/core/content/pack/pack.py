"""Packs: files of compressed chunks. docs/formats.md describes them byte by byte.

    pack   := frame+ index
    frame  := a zstd frame (RFC 8878) with its content size: chunks, one after another, about 1 MiB raw;
              or, where a rule asks for it, a filtered one (filters.py)
    index  := a skippable frame (RFC 8878, section 3.1.2; magic 0x184D2A5D) whose payload is
              zstd(CBOR) | u32 little-endian: length of zstd(CBOR) | "RAMPAPK1"

So `zstd -d` reads a pack as the concatenation of its chunks, the index is found from the pack's end, and a frame can be
fetched with one HTTP range. Content that does not compress ends as raw blocks inside its frame: zstd stores it.
"""

from __future__ import annotations

import struct
import threading
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import accumulate
from typing import Any

import cbor2
import zstandard
from blake3 import blake3

from rampa.core.content.pack import filters
from rampa.core.content.pack.compression import STORED, Packing, stored_frame
from rampa.core.content.pack.filters import Filter, Run
from rampa.core.content.pack.opening import FRAME_LIMIT, open_pieces, spans_of
from rampa.core.content.tree.cbor_reader import Document, ItemKind, read
from rampa.core.content.tree.inflation import inflate_document
from rampa.core.content.tree.tree import DIGEST_SIZE, Chunk
from rampa.core.errors import Damaged, RampaError

SKIPPABLE = 0x184D2A5D
TAIL = b"RAMPAPK1"
FRAME_TARGET = 1024 * 1024
"""Raw bytes after which a frame is closed; a frame holds at most this plus one chunk."""
PACK_TARGET = 16 * 1024 * 1024
"""Stored bytes after which a pack is closed."""
RAW_TARGET = 64 * 1024 * 1024
"""Raw bytes after which a pack is closed, however few are stored: who sends a pack has each of them unpacked and checked."""
RAW_LIMIT = RAW_TARGET + FRAME_LIMIT
INDEX_LIMIT = 64 * 1024 * 1024
INDEX: Document = {
    "stored": ItemKind.NUMBERS,
    "chunks": ItemKind.NUMBERS,
    "size": ItemKind.NUMBERS,
    "digest": ItemKind.BYTES,
}
LONG_TARGET = 8 * 1024 * 1024
"""Raw bytes of a frame whose rule asks for matches over long distances."""
FASTEST = -1
"""zstd reads 0 as its own default; a document\'s 0 asks for speed."""


@dataclass(frozen=True)
class Frame:
    """A compressed group of chunks. `stored` and `raw` are bytes, `offset` is where it starts in its pack."""

    offset: int
    stored: int
    raw: int
    chunks: tuple[Chunk, ...]


def compress_filtered(data: bytes | memoryview, packing: Packing, chosen: Filter, runs: Sequence[Run]) -> bytes:
    """One filtered frame; the runs are those of `data`."""
    return filters.wrap(compress(filters.apply(data, chosen, runs), packing), chosen, runs)


def compress(data: bytes | bytearray | memoryview, packing: Packing = Packing()) -> bytes:
    """One frame; level 0 is the fastest, 19 the smallest.

    Short matches and a small window won on game content: shared/bench figures in docs/performance.md.
    """
    return stored_frame(data) if packing.level == STORED else _compressor(packing).compress(data)


class _ThreadCompressors(threading.local):
    """Each thread's own zstd contexts: making one again for every frame took a third of the time."""

    def __init__(self) -> None:
        self.compressors: dict[Packing, zstandard.ZstdCompressor] = {}


_per_thread = _ThreadCompressors()


def _compressor(packing: Packing) -> zstandard.ZstdCompressor:
    # Contexts for both kinds of window: one for long matches holds 8 MB and is made only where a rule asks for it.
    made = _per_thread.compressors.get(packing)
    if made is None:
        long = {"window_log": 23, "enable_ldm": True} if packing.long else {"window_log": 20, "min_match": 4}
        parameters = zstandard.ZstdCompressionParameters.from_level(
            packing.level or FASTEST,
            source_size=LONG_TARGET if packing.long else FRAME_TARGET,
            **long,
            # Chunks are checked against their own digests, and downloads against their pack's: a third sum would be
            # four bytes a frame for nothing.
            write_checksum=False,
            write_content_size=True,
        )
        made = _per_thread.compressors[packing] = zstandard.ZstdCompressor(compression_params=parameters)
    return made


def decompress(stored: bytes | memoryview, raw: int) -> bytes:
    """A frame's content, whose size must be `raw`. Raises `Damaged`."""
    pieces = list(open_pieces(stored, raw))
    return pieces[0] if len(pieces) == 1 else b"".join(pieces)


def verify_chunks(frame: Frame, pieces: Iterable[bytes]) -> None:
    """Every chunk of a frame against its digest; the content comes in pieces. Raises `Damaged`."""
    offsets = accumulate((c.size for c in frame.chunks), initial=0)
    spans = [(at, chunk.size) for at, chunk in zip(offsets, frame.chunks, strict=False)]
    for chunk, content in zip(frame.chunks, spans_of(pieces, spans), strict=True):
        if blake3(content).digest() != chunk.digest:
            raise Damaged("chunk.damaged", f"chunk {chunk.digest.hex()[:12]} is not what its digest says")
    # A frame with bytes behind its last chunk would install the same, and could carry anything past every check.
    if frame.raw != sum(c.size for c in frame.chunks):
        raise Damaged("pack.damaged", "a frame holds more than its chunks")


def is_full(stored: int, raw: int, target: int = PACK_TARGET) -> bool:
    """Whether a pack of so many bytes is closed: by stored bytes, or by what it unpacks to."""
    return stored >= target or raw >= RAW_TARGET


class PackWriter:
    """Collects compressed frames in memory; `finish` gives the pack's bytes."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []
        self._frames: list[Frame] = []
        self.size = self.raw = 0

    def add(self, chunks: Iterable[Chunk], stored: bytes) -> None:
        held = tuple(chunks)
        self._frames.append(Frame(self.size, len(stored), sum(c.size for c in held), held))
        self._parts.append(stored)
        self.raw += self._frames[-1].raw
        self.size += len(stored)

    def full(self, target: int = PACK_TARGET) -> bool:
        return is_full(self.size, self.raw, target)

    @property
    def frames(self) -> list[Frame]:
        return list(self._frames)

    def finish(self) -> bytes:
        return b"".join([*self._parts, index_bytes(self._frames)])


def index_bytes(frames: list[Frame]) -> bytes:
    """The skippable frame that ends a pack."""
    chunks = [c for f in frames for c in f.chunks]
    # Columns, not rows: equal kinds of numbers lie together, and the index packs to a third.
    body = {
        "stored": [f.stored for f in frames],
        "chunks": [len(f.chunks) for f in frames],
        "size": [c.size for c in chunks],
        "digest": b"".join(c.digest for c in chunks),
    }
    # In one order of keys whoever writes it: the same chunks give the same pack, and so the same address.
    packed = zstandard.ZstdCompressor(level=3).compress(cbor2.dumps(body, canonical=True))
    payload = packed + struct.pack("<I", len(packed)) + TAIL
    return struct.pack("<II", SKIPPABLE, len(payload)) + payload


def read_index(tail: bytes, pack_size: int) -> list[Frame]:
    """The frames of a pack of `pack_size` bytes, from its last bytes (as many as the index needs, or all).

    Raises `Damaged`. `index_size` tells how many bytes are needed.
    """
    need = index_size(tail, pack_size)
    if need > len(tail):
        raise Damaged("pack.damaged", "the pack is shorter than its index")
    index = tail[len(tail) - need :]
    magic, length = struct.unpack_from("<II", index)
    if magic != SKIPPABLE or length != need - 8:
        raise Damaged("pack.damaged", "the pack's index does not start where it should")
    try:
        raw = inflate_document(index[8:-12], INDEX_LIMIT)
        return _frames(read(raw, INDEX), pack_size - need)
    except RampaError:
        raise
    except Exception as error:
        # A hostile index can make the readers raise nearly anything; to the caller it is one thing.
        raise Damaged("pack.damaged", f"the pack's index cannot be read ({type(error).__name__})") from error


def index_size(tail: bytes, pack_size: int) -> int:
    """How many bytes the index takes, from (at least) the last 12 bytes of a pack."""
    # 20: the smallest skippable frame with a length and the closing mark.
    if pack_size < 20 or len(tail) < 12 or tail[-8:] != TAIL:
        raise Damaged("pack.damaged", "this is not a pack, or its end is missing")
    size = int(struct.unpack_from("<I", tail, len(tail) - 12)[0]) + 20
    if size > pack_size or size > INDEX_LIMIT:
        raise Damaged("pack.damaged", "the pack's index is larger than the pack")
    return size


def _frames(body: dict[str, Any], content_size: int) -> list[Frame]:
    sizes, digests = body["size"].tolist(), body["digest"]
    if len(digests) != len(sizes) * DIGEST_SIZE or int(body["chunks"].sum()) != len(sizes):
        raise Damaged("pack.damaged", "the columns of the pack's index differ in length")
    frames, at, offset = [], 0, 0
    for stored, count in zip(body["stored"].tolist(), body["chunks"].tolist(), strict=True):
        if stored <= 0 or count <= 0 or any(not 0 < s <= FRAME_LIMIT for s in sizes[at : at + count]):
            raise Damaged("pack.damaged", "the pack's index holds an impossible size")
        held = tuple(
            Chunk(bytes(digests[i * DIGEST_SIZE : (i + 1) * DIGEST_SIZE]), sizes[i]) for i in range(at, at + count)
        )
        frames.append(Frame(offset, stored, sum(c.size for c in held), held))
        at, offset = at + count, offset + stored
    if offset != content_size:
        raise Damaged("pack.damaged", "the frames of the pack do not fill it")
    if sum(f.raw for f in frames) > RAW_LIMIT:
        raise Damaged("pack.damaged", f"the pack unpacks to more than {RAW_LIMIT // 2**20} MiB")
    return frames
