"""Peatlight's listing in small, for tests: whole, but for what a test takes out."""

from __future__ import annotations

import io
from pathlib import Path

from PIL import Image

from rampa.client import Client
from rampa.client.listings.folder import read_folder, send_folder
from rampa.schema.listings import ListingOut
from tests.core.listing.samples import SIZES, TEXTS

TITLE = "peatlight"


def picture(width: int, height: int, colour: str = "#31506a", form: str = "PNG") -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (width, height), colour).save(out, form)
    return out.getvalue()


def write_listing(root: Path, changed: dict[str, str] | None = None, count: int = 3) -> Path:
    """A folder with the texts of the samples and `count` pictures a form."""
    for path, text in (TEXTS | (changed or {})).items():
        _put(root / path, text.encode())
    _put(root / "pictures/icon.png", picture(1024, 1024))
    for form, (width, height) in SIZES.items():
        for n in range(1, count + 1):
            _put(root / f"pictures/{form}/{n}-fog.png", picture(width, height, f"#{n * 3:02}506a"))
    return root


def send(client: Client, root: Path, message: str = "", seen: int | None = None) -> ListingOut:
    return send_folder(client.listings, TITLE, read_folder(root), message, "", seen, lambda *_: None)


def _put(file: Path, data: bytes) -> None:
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_bytes(data)
