"""Sending content: only chunks that the service does not have, as packs, several at once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from rampa.client.client import Client
from rampa.core.content import parallel
from rampa.core.content.pack import LEVEL
from rampa.core.content.packing import MadePack, make_packs, places
from rampa.core.content.tree import Tree
from rampa.schema.builds import MISSING_LIMIT

SENDERS = 2


@dataclass
class Sent:
    """Bytes: `content` raw bytes of distinct chunks, `present` of them already there, `uploaded` packed bytes sent."""

    content: int = 0
    present: int = 0
    uploaded: int = 0


def upload(
    client: Client,
    title: str,
    number: int,
    tree: Tree,
    sources: dict[str, Path],
    on: Callable[[int, int, int], None],
    level: int = LEVEL,
) -> Sent:
    """`on` is told (raw bytes settled, raw bytes in all, raw bytes that were there). Can be repeated after any failure."""
    chunks = {c.digest: c.size for f in tree.files for c in f.chunks}
    missing = ask_missing(client, title, number, list(chunks))
    total = sum(chunks.values())
    sent = Sent(content=total, present=total - sum(chunks[d] for d in missing))
    done = sent.present
    on(done, total, sent.present)

    def send(pack: MadePack) -> MadePack:
        client.put_pack(title, number, pack.data)
        return pack

    packs = make_packs(sources, places(tree, missing), level=level)
    with parallel.pool(SENDERS) as threads:
        for pack in parallel.in_order(threads, send, packs, ahead=SENDERS):
            done += pack.content_size
            sent.uploaded += len(pack.data)
            on(done, total, sent.present)
    return sent


def ask_missing(client: Client, title: str, number: int, digests: list[bytes]) -> set[bytes]:
    out: set[bytes] = set()
    for at in range(0, len(digests), MISSING_LIMIT):
        asked = [d.hex() for d in digests[at : at + MISSING_LIMIT]]
        out.update(bytes.fromhex(d) for d in client.missing(title, number, asked))
    return out
