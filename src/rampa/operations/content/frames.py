"""Frames of packs: read, opened, and a few of them kept."""

from __future__ import annotations

from rampa.core.content.pack.encryption import decrypt
from rampa.core.content.pack.pack import decompress
from rampa.core.content.pack.places import FramePlace
from rampa.core.errors import Damaged
from rampa.core.signing.seal import unseal
from rampa.db import ContentKeyRow
from rampa.operations.base import Services, begin
from rampa.operations.content.result_cache import ResultCache


class Frames:
    """Keeps the `most` frames that were read last; may be read from several threads."""

    def __init__(self, services: Services, most: int) -> None:
        self._services, self._kept = services, ResultCache(most)

    def read(self, frame: FramePlace) -> bytes:
        """The frame's content."""
        return self._kept.get(frame, lambda: read_frame(self._services, frame))


def read_frame(services: Services, frame: FramePlace) -> bytes:
    stored = services.store.read_pack(frame.pack, frame.offset, frame.stored)
    if frame.key:
        return decrypt(stored, frame.raw, content_key(services, frame.key), frame.key)
    return decompress(stored, frame.raw)


def content_key(services: Services, ident: bytes) -> bytes:
    """A key of an encrypted depot, out of the vault."""
    with begin(services) as uow:
        row = uow.session.get(ContentKeyRow, ident)
    if row is None:
        raise Damaged("content.key", "a content key is not in the vault")
    return unseal(row.sealed, services.master_key, key_label(ident))


def key_label(ident: bytes) -> str:
    return f"content:{ident.hex()}"
