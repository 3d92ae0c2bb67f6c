"""The content store that the environment names: RAMPA_STORE is a folder; RAMPA_OBJECT_STORE puts packs in a bucket."""

from __future__ import annotations

import os
from pathlib import Path

from rampa.store.folder import FolderStore
from rampa.store.objects import ObjectPlace, ObjectStore


def open_store(folder: Path) -> FolderStore | ObjectStore:
    """Credentials are those of the provider's own variables (AWS_ACCESS_KEY_ID and the like)."""
    address = os.environ.get("RAMPA_OBJECT_STORE", "")
    if not address:
        return FolderStore(folder)
    endpoint = os.environ.get("RAMPA_OBJECT_STORE_ENDPOINT", "")
    signed = os.environ.get("RAMPA_SIGNED_DOWNLOADS", "") == "1"
    return ObjectStore(ObjectPlace(address, endpoint, signed), folder)
