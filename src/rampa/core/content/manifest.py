"""The manifest: the list of a depot's files and chunks. docs/formats.md describes it byte by byte.

Deterministic CBOR (RFC 8949, section 4.2.1) in columns, compressed as one zstd frame. The same tree gives the same bytes.
Columns rather than records: a column of sizes or of digests compresses by what it has in common with itself.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cbor2
import zstandard
from blake3 import blake3

from rampa.core.content.parameters import CutParameters
from rampa.core.content.paths import check_link, check_path, printable
from rampa.core.content.tree import DIGEST_SIZE, LOOSE, Chunk, FileEntry, LinkEntry, Tree, check_tree
from rampa.core.errors import Damaged, RampaError

FORMAT = "rampa-manifest"
VERSION = 1
MAX_RAW = 512 * 1024 * 1024
"""A manifest that claims more than this many bytes unpacked is refused before any memory is taken."""


@dataclass(frozen=True)
class Manifest:
    """A depot's tree, and how it was cut."""

    depot: str
    tree: Tree
    parameters: CutParameters


def encode(manifest: Manifest) -> bytes:
    """The manifest's bytes."""
    p, tree = manifest.parameters, manifest.tree
    chunks = _distinct(tree)
    number = {c.digest: i for i, c in enumerate(chunks)}
    body = {
        "format": FORMAT,
        "version": VERSION,
        "depot": manifest.depot,
        "cut": {
            "min": p.minimum,
            "avg": p.average,
            "max": p.maximum,
            "norm": p.normalisation,
            "hash": "gear64",
        },
        "files": {
            "path": [f.path for f in tree.files],
            "size": [f.size for f in tree.files],
            "exec": [i for i, f in enumerate(tree.files) if f.executable],
            "digest": b"".join(f.digest for f in tree.files),
            "chunks": [len(f.chunks) for f in tree.files],
            "chunk": _deltas([number[c.digest] for f in tree.files for c in f.chunks]),
            **_loose(tree),
        },
        "links": {"path": [k.path for k in tree.links], "target": [k.target for k in tree.links]},
        "chunks": {"digest": b"".join(c.digest for c in chunks), "size": [c.size for c in chunks]},
    }
    return pack(cbor2.dumps(body, canonical=True))


def _loose(tree: Tree) -> dict[str, list[list[int]]]:
    """The numbers of the loose files by rule; nothing where there are none."""
    by_rule = [[i for i, f in enumerate(tree.files) if f.loose == rule] for rule in LOOSE]
    return {"loose": by_rule} if any(by_rule) else {}


def pack(raw: bytes) -> bytes:
    """A manifest's CBOR as it is kept and named."""
    return zstandard.ZstdCompressor(level=9, write_checksum=False, write_content_size=True).compress(raw)


def unpack(encoded: bytes) -> bytes:
    """Raises `Damaged` before any memory is taken for an absurd size."""
    try:
        size = zstandard.frame_content_size(encoded)
        if not 0 <= size <= MAX_RAW:
            raise Damaged("manifest.damaged", "the manifest's size is missing or absurd")
        return zstandard.ZstdDecompressor().decompress(encoded, max_output_size=MAX_RAW)
    except zstandard.ZstdError as error:
        raise Damaged("manifest.damaged", "the manifest cannot be read") from error


def digest_of(encoded: bytes) -> bytes:
    """What a signed statement and an address name a manifest by: BLAKE3 of its encoded bytes."""
    return blake3(encoded).digest()


def decode(encoded: bytes) -> Manifest:
    """Reads and checks a manifest. Raises `Damaged` with the reason; nothing in it is trusted before."""
    try:
        body = cbor2.loads(unpack(encoded))
        if body.get("format") != FORMAT:
            raise Damaged("manifest.damaged", "this is not a manifest")
        if body.get("version") != VERSION:
            raise Damaged(
                "manifest.version",
                f"manifest version {body.get('version')} is not known here",
                hint="Update Rampa on this machine.",
            )
        return _read(body)
    except RampaError as error:
        if isinstance(error, Damaged):
            raise
        raise Damaged("manifest.damaged", f"the manifest cannot be used: {error.message}", where=error.where) from error
    except Exception as error:
        # Whatever a hostile document makes the readers raise (types, keys, depth), it is one thing to the caller.
        raise Damaged("manifest.damaged", f"the manifest cannot be read ({type(error).__name__})") from error


def _read(body: dict[str, Any]) -> Manifest:
    cut = body["cut"]
    parameters = CutParameters(cut["min"], cut["avg"], cut["max"], cut["norm"])
    chunks = _read_chunks(body["chunks"], parameters)
    files = _read_files(body["files"], chunks)
    links = tuple(
        LinkEntry(check_path(p), check_link(p, t))
        for p, t in zip(body["links"]["path"], body["links"]["target"], strict=True)
    )
    tree = Tree(files, links)
    check_tree(tree)
    return Manifest(_text(body["depot"]), tree, parameters)


def _read_chunks(column: dict[str, Any], parameters: CutParameters) -> list[Chunk]:
    digests, sizes = column["digest"], column["size"]
    if len(digests) != DIGEST_SIZE * len(sizes):
        raise Damaged("manifest.damaged", "the manifest's chunk columns differ in length")
    for size in sizes:
        if type(size) is not int or not 0 < size <= parameters.maximum:
            raise Damaged("manifest.damaged", f"a chunk of {size} bytes is outside the cut's limits")
    return [Chunk(bytes(digests[i * DIGEST_SIZE : (i + 1) * DIGEST_SIZE]), size) for i, size in enumerate(sizes)]


def _read_files(column: dict[str, Any], chunks: list[Chunk]) -> tuple[FileEntry, ...]:
    executable = set(column["exec"])
    loose = {i: rule for rule, own in zip(LOOSE, column.get("loose", [[], [], []]), strict=True) for i in own}
    digests = column["digest"]
    rows = list(zip(column["path"], column["size"], column["chunks"], strict=True))
    if len(digests) != DIGEST_SIZE * len(rows):
        raise Damaged("manifest.damaged", "the manifest's file columns differ in length")
    numbers = _undelta(column["chunk"])
    if any(not 0 <= n < len(chunks) for n in numbers):
        raise Damaged("manifest.damaged", "a file names a chunk that is not listed")
    files, at = [], 0
    for i, (path, size, count) in enumerate(rows):
        if type(count) is not int or count < 0 or at + count > len(numbers):
            raise Damaged("manifest.damaged", "a file names more chunks than there are", where=printable(path))
        own = tuple(chunks[n] for n in numbers[at : at + count])
        if sum(c.size for c in own) != size:
            raise Damaged("manifest.damaged", "a file's chunks do not sum up to its size", where=printable(path))
        digest = bytes(digests[i * DIGEST_SIZE : (i + 1) * DIGEST_SIZE])
        files.append(FileEntry(check_path(path), size, i in executable, digest, own, loose.get(i, "")))
        at += count
    if at != len(numbers):
        raise Damaged("manifest.damaged", "the manifest lists chunks that belong to no file")
    return tuple(files)


def _distinct(tree: Tree) -> list[Chunk]:
    seen: dict[bytes, Chunk] = {}
    for file in tree.files:
        for chunk in file.chunks:
            seen.setdefault(chunk.digest, chunk)
    return list(seen.values())


def _deltas(numbers: list[int]) -> list[int]:
    """Differences less one: chunks in order, which most are, become a column of zeros."""
    before, out = -1, []
    for n in numbers:
        out.append(n - before - 1)
        before = n
    return out


def _undelta(column: list[int]) -> list[int]:
    before, out = -1, []
    for d in column:
        before += d + 1
        out.append(before)
    return out


def _text(value: object) -> str:
    if not isinstance(value, str) or len(value) > 100:
        raise Damaged("manifest.damaged", "the depot's name cannot be read")
    return value
