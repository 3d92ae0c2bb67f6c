"""The manifest: the list of a depot's files and chunks. docs/formats.md describes it byte by byte.

Deterministic CBOR (RFC 8949, section 4.2.1) in columns, compressed as one zstd frame. The same tree gives the same bytes.
Columns rather than records: a column of sizes or of digests compresses by what it has in common with itself.
"""

from __future__ import annotations

from array import array
from dataclasses import dataclass
from typing import Any

import numpy as np
import zstandard
from blake3 import blake3

from rampa.core.content.manifest import cbor_columns
from rampa.core.content.tree.cbor_reader import Document, ItemKind, read, within
from rampa.core.content.tree.columns import DIGEST_SIZE, Digests, Numbers, Texts, column, view
from rampa.core.content.tree.inflation import inflate_document
from rampa.core.content.tree.merge import check_tree
from rampa.core.content.tree.parameters import CutParameters
from rampa.core.content.tree.paths import check_link, check_path, printable
from rampa.core.content.tree.player_file_rules import PLAYER_FILE_RULES
from rampa.core.content.tree.tree import Chunks, Files, LinkEntry, Tree
from rampa.core.errors import Damaged, RampaError

FORMAT = "rampa-manifest"
VERSION = 1
LAST_KEY = b"\x67version"
DOCUMENT: Document = {
    "format": ItemKind.TEXT,
    "version": ItemKind.NUMBER,
    "depot": ItemKind.TEXT,
    "cut": {
        "min": ItemKind.NUMBER,
        "avg": ItemKind.NUMBER,
        "max": ItemKind.NUMBER,
        "norm": ItemKind.NUMBER,
        "hash": ItemKind.TEXT,
    },
    "files": {
        "path": ItemKind.PATHS,
        "size": ItemKind.NUMBERS,
        "exec": ItemKind.NUMBERS,
        "digest": ItemKind.BYTES,
        "chunks": ItemKind.NUMBERS,
        "chunk": ItemKind.NUMBERS,
        "player": ItemKind.NUMBER_LISTS,
    },
    "links": {"path": ItemKind.TEXTS, "target": ItemKind.TEXTS},
    "chunks": {"digest": ItemKind.BYTES, "size": ItemKind.NUMBERS},
}
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
    p, files, links = manifest.parameters, manifest.tree.files, manifest.tree.links
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
            "path": cbor_columns.texts(files.paths),
            "size": cbor_columns.numbers(view(files.sizes)),
            "exec": [i for i, mode in enumerate(files.modes) if mode & 1],
            "digest": files.digests.joined,
            "chunks": cbor_columns.numbers(np.diff(view(files.ends), prepend=np.uint64(0))),
            # In order of first use, the numbers are mostly 0, 1, 2 …, and their differences all the same: a few bytes
            # when packed.
            "chunk": cbor_columns.numbers(_deltas(view(files.numbers))),
            **_player_files(files),
        },
        "links": {"path": [k.path for k in links], "target": [k.target for k in links]},
        "chunks": {"digest": files.chunks.digests.joined, "size": cbor_columns.numbers(view(files.chunks.sizes))},
    }
    return pack(cbor_columns.dumps(body))


def _player_files(files: Files) -> dict[str, list[list[int]]]:
    """The numbers of the player files by rule; nothing where there are none."""
    by_rule = [
        [i for i, mode in enumerate(files.modes) if mode >> 1 == rule] for rule in range(1, len(PLAYER_FILE_RULES) + 1)
    ]
    return {"player": by_rule} if any(by_rule) else {}


def pack(raw: bytes | bytearray) -> bytes:
    """A manifest's CBOR as it is kept and named."""
    # Level 9: made once, fetched by every device, and digests do not pack whatever is tried.
    return zstandard.ZstdCompressor(level=9, write_checksum=False, write_content_size=True).compress(raw)


def unpack(encoded: bytes) -> bytes:
    """Raises `Damaged` before any memory is taken for an absurd size."""
    try:
        return inflate_document(encoded, MAX_RAW)
    except zstandard.ZstdError as error:
        raise Damaged("manifest.damaged", "the manifest cannot be read") from error


def digest_of(encoded: bytes) -> bytes:
    """What a signed statement and an address name a manifest by: BLAKE3 of its encoded bytes."""
    return blake3(encoded).digest()


def decode(encoded: bytes) -> Manifest:
    """Reads and checks a manifest. Raises `Damaged` with the reason; nothing in it is trusted before."""
    try:
        raw = unpack(encoded)
        _must_be_known(raw)
        body = read(raw, DOCUMENT)
        if body["format"] != FORMAT:
            raise Damaged("manifest.damaged", "this is not a manifest")
        return _read(body)
    except RampaError as error:
        if isinstance(error, Damaged):
            raise
        raise Damaged("manifest.damaged", f"the manifest cannot be used: {error.message}", where=error.where) from error
    except Exception as error:
        # Whatever a hostile document makes the readers raise (types, keys, depth), it is one thing to the caller.
        raise Damaged("manifest.damaged", f"the manifest cannot be read ({type(error).__name__})") from error


def _must_be_known(raw: bytes) -> None:
    """Of another version nothing else can be said. In the order of keys, the version is a manifest's end."""
    if not raw[:-1].endswith(LAST_KEY):
        raise Damaged("manifest.damaged", "this is not a manifest")
    if raw[-1] != VERSION:
        message = f"manifest version {raw[-1]} is not known here"
        raise Damaged("manifest.version", message, hint="Update Rampa on this machine.")


def _read(body: dict[str, Any]) -> Manifest:
    cut = body["cut"]
    parameters = CutParameters(cut["min"], cut["avg"], cut["max"], cut["norm"])
    files = _read_files(body["files"], _read_chunks(body["chunks"], parameters))
    links = tuple(
        LinkEntry(check_path(p), check_link(p, t))
        for p, t in zip(body["links"]["path"], body["links"]["target"], strict=True)
    )
    tree = check_tree(Tree(files, links))
    return Manifest(_text(body["depot"]), tree, parameters)


def _read_chunks(columns: dict[str, Any], parameters: CutParameters) -> Chunks:
    digests, sizes = _digests(columns.pop("digest")), within("I", columns.pop("size"))
    if len(digests) != len(sizes):
        raise Damaged("manifest.damaged", "the manifest's chunk columns differ in length")
    if sizes and not 0 < min(sizes) <= max(sizes) <= parameters.maximum:
        raise Damaged("manifest.damaged", "a chunk's size is outside the cut's limits")
    # A chunk that stands twice gives one build two manifests, and so two digests: what is signed must have one form
    # only.
    if bool((digests.find_all(digests) != np.arange(len(digests))).any()):
        raise Damaged("manifest.damaged", "the manifest lists a chunk twice")
    return Chunks(digests, sizes)


def _read_files(columns: dict[str, Any], chunks: Chunks) -> Files:
    # Each list of objects goes as soon as it is a column.
    paths: Texts = columns.pop("path")
    for path in paths:
        check_path(path)
    sizes, digests = within("Q", columns.pop("size")), _digests(columns.pop("digest"))
    ends = column("Q", np.cumsum(view(within("I", columns.pop("chunks"))), dtype=np.uint64))
    numbers = _undelta(columns.pop("chunk"), len(chunks))
    if not len(paths) == len(sizes) == len(ends) == len(digests):
        raise Damaged("manifest.damaged", "the manifest's file columns differ in length")
    if (ends[-1] if ends else 0) != len(numbers):
        raise Damaged("manifest.damaged", "the files name more or fewer chunks than are listed")
    files = Files(paths, sizes, _modes(columns, len(paths)), digests, ends, numbers, chunks)
    _check_sums(files)
    return files


def _modes(columns: dict[str, Any], count: int) -> bytes:
    modes = np.zeros(count, dtype=np.uint8)
    modes[_places(columns["exec"], count)] = 1
    for rule, numbers in enumerate(columns.get("player", []), 1):
        if rule > len(PLAYER_FILE_RULES):
            raise Damaged("manifest.damaged", "the manifest has a rule for player files that is not known here")
        at = _places(numbers, count)
        modes[at] = modes[at] & 1 | rule << 1
    return modes.tobytes()


def _places(numbers: Numbers, count: int) -> Numbers:
    if len(numbers) and not 0 <= int(numbers.min()) <= int(numbers.max()) < count:
        raise Damaged("manifest.damaged", "the manifest names a file that is not listed")
    return numbers


def _check_sums(files: Files) -> None:
    """Each file's chunks sum up to its size."""
    # All at once by running sums: a file's chunks are the sum up to its end less the sum up to its start.
    numbers = view(files.numbers)
    sums = np.concatenate([np.zeros(1, np.uint64), np.cumsum(view(files.chunks.sizes)[numbers], dtype=np.uint64)])
    wrong = np.flatnonzero(sums[view(files.ends)] - sums[files.starts] != view(files.sizes))
    if len(wrong):
        where = printable(files.paths[int(wrong[0])])
        raise Damaged("manifest.damaged", "a file's chunks do not sum up to its size", where=where)


def _digests(joined: bytes) -> Digests:
    if len(joined) % DIGEST_SIZE:
        raise Damaged("manifest.damaged", "a column of digests cannot be read")
    return Digests(joined)


def _deltas(numbers: np.ndarray) -> np.ndarray:
    """Differences less one: chunks in order, which most are, become a column of zeros."""
    return np.diff(numbers.astype(np.int64), prepend=-1) - 1


def _undelta(deltas: Numbers, count: int) -> array[int]:
    """The chunks' numbers, which are in order of first use and name all `count` chunks. Raises `Damaged`."""
    numbers = np.cumsum(deltas + 1) - 1
    if len(numbers) and not 0 <= int(numbers.min()) <= int(numbers.max()) < count:
        raise Damaged("manifest.damaged", "a file names a chunk that is not listed")
    highest = np.maximum.accumulate(numbers) if len(numbers) else numbers
    steps = np.diff(highest, prepend=-1)
    # For the same reason: one order, one manifest. A chunk that no file names could carry anything past the checks.
    if (len(steps) and (int(steps.max()) > 1 or int(highest[-1]) != count - 1)) or (count and not len(steps)):
        raise Damaged("manifest.damaged", "the manifest's chunks are not listed in order of first use")
    return column("I", numbers)


def _text(value: str) -> str:
    if len(value) > 100:
        raise Damaged("manifest.damaged", "the depot's name cannot be read")
    return value
