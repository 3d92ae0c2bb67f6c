"""Uploading a source folder, and bringing one back: only chunks that are missing travel, either way."""

from __future__ import annotations

import base64
from collections.abc import Callable
from pathlib import Path

from rampa.client.calls import API
from rampa.client.client import Client
from rampa.client.content.trees import bring_tree
from rampa.client.content.upload import FolderUpload, Sent, upload
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.scan.files import read_tree
from rampa.core.content.select.selection import ContentRules, Pattern, class_patterns, select
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.install.progress import Progress
from rampa.schema.sources import FolderOut, NewFolder

DEPOT = "source"
ALL = ContentRules((Pattern("*", "all"),), tuple(class_patterns({})))
"""Everything but version control and what looks like a secret."""


def upload_folder(
    client: Client, title: str, folder: Path, note: str, on: Callable[[int, int, int], None]
) -> tuple[FolderOut, Sent, int]:
    """(the uploaded folder, what was sent, files that stayed out). `on` as in `upload`."""
    selection = select(folder, ALL)
    tree = read_tree(selection)
    sources = selection.sources
    sent = upload(FolderUpload(client, title), tree, sources, on)
    encoded = base64.b64encode(manifest_format.encode(Manifest(DEPOT, tree, DEFAULT))).decode()
    made = client.sources.add_folder(title, NewFolder(manifest=encoded, note=note))
    return made, sent, len(selection.left_out)


def bring_folder(client: Client, title: str, number: int, target: Path, on: Callable[[Progress], None]) -> int:
    """Fills `target` with an uploaded folder; returns the count of files. Every chunk is checked."""
    return bring_tree(client, f"{API}/titles/{title}/folders/{number}", target, on)
