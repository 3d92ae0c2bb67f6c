"""A file of the service's own making, such as a bundle that was stamped anew, brought into the store as what people send is."""

from __future__ import annotations

import hashlib
from pathlib import Path

from blake3 import blake3

from rampa.core.content.pack.shared_frames import places
from rampa.core.content.pack.writer import make_packs
from rampa.core.content.scan.files import read_tree
from rampa.core.content.select.selection import only_file, select
from rampa.core.content.tree.columns import Digests
from rampa.operations.base import Services
from rampa.operations.content.arrival import missing_of, take_pack
from rampa.schema.builds import builds as wire


def store_file(services: Services, file: Path, name: str, bare: str = "") -> wire.BundleIn:
    """What is not there yet goes into packs. `bare`: SHA-256 of the file without its signature; the file's own without it."""
    tree = read_tree(select(file.parent, only_file(file.name)))
    wanted = missing_of(services, [d.hex() for d in tree.chunks.digests])
    for pack in make_packs({file.name: file}, places(tree, Digests(bytes.fromhex("".join(wanted))))):
        take_pack(services, blake3(pack.data).digest(), [pack.data])
    with file.open("rb") as stream:
        sha256 = hashlib.file_digest(stream, "sha256").hexdigest()
    return wire.BundleIn(
        name=name,
        size=file.stat().st_size,
        sha256=sha256,
        chunks=[wire.ChunkIn(digest=c.digest.hex(), size=c.size) for c in tree.files[0].chunks],
        bare=bare or sha256,
    )
