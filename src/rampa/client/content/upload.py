"""Sending content: only chunks that the service does not have, as packs, several at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from blake3 import blake3

from rampa.client.client import Client
from rampa.core import parallel
from rampa.core.content.pack.compression import PackingRules
from rampa.core.content.pack.shared_frames import places
from rampa.core.content.pack.writer import MadePack, make_packs
from rampa.core.content.tree.columns import Digests, view
from rampa.core.content.tree.tree import Tree
from rampa.schema.builds.builds import MISSING_LIMIT

SENDERS = 2


@dataclass
class Sent:
    """Bytes: `content` raw bytes of distinct chunks, `present` of them already there, `uploaded` packed bytes sent."""

    content: int = 0
    present: int = 0
    uploaded: int = 0


class Upload(Protocol):
    """Where packs go: an open build, or an uploaded folder."""

    def missing(self, digests: list[str]) -> list[str]: ...

    def put(self, data: bytes) -> None: ...


@dataclass(frozen=True)
class BuildUpload:
    client: Client
    title: str
    number: int

    def missing(self, digests: list[str]) -> list[str]:
        return self.client.builds.missing(self.title, self.number, digests)

    def put(self, data: bytes) -> None:
        self.client.builds.put_pack(self.title, self.number, data)


@dataclass(frozen=True)
class FolderUpload:
    client: Client
    title: str

    def missing(self, digests: list[str]) -> list[str]:
        return self.client.sources.missing_of_folder(self.title, digests)

    def put(self, data: bytes) -> None:
        self.client.sources.put_folder_pack(self.title, blake3(data).hexdigest(), data)


def upload(
    target: Upload,
    tree: Tree,
    sources: Mapping[str, Path],
    on: Callable[[int, int, int], None],
    rules: PackingRules | None = None,
) -> Sent:
    """`on` is told (raw bytes settled, raw bytes in all, raw bytes that were there). Can be repeated after any failure."""
    missing = ask_missing(target, tree.chunks.digests)
    total = sum(tree.chunks.sizes)
    there = missing.find_all(tree.chunks.digests) < 0
    sent = Sent(content=total, present=int(view(tree.chunks.sizes)[there].sum()))
    done = sent.present
    on(done, total, sent.present)

    def send(pack: MadePack) -> MadePack:
        target.put(pack.data)
        return pack

    packs = make_packs(sources, places(tree, missing), rules=rules)
    # Two at a time keep the line busy while the next pack is made; more would only hold memory.
    with parallel.pool(SENDERS) as threads:
        for pack in parallel.in_order(threads, send, packs, ahead=SENDERS):
            done += pack.content_size
            sent.uploaded += len(pack.data)
            on(done, total, sent.present)
    return sent


def ask_missing(target: Upload, digests: Digests) -> Digests:
    """Those that the service does not have."""
    out = bytearray()
    for at in range(0, len(digests), MISSING_LIMIT):
        asked = [d.hex() for d in digests[at : at + MISSING_LIMIT]]
        out += bytes.fromhex("".join(target.missing(asked)))
    return Digests(bytes(out))
