"""The content store as a folder: whole and synced, or not there."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from blake3 import blake3

from rampa.core.errors import Damaged, Invalid
from rampa.store.folder import FolderStore
from tests.refusals import refuses

DATA = b"a pack of lanterns"
DIGEST = blake3(DATA).digest()


def files(root: Path) -> list[str]:
    return sorted(str(p.relative_to(root)) for p in root.rglob("*") if p.is_file())


def good(path: Path, size: int) -> None:
    assert path.read_bytes() == DATA
    assert size == len(DATA)


def test_what_is_put_is_there(tmp_path: Path) -> None:
    store = FolderStore(tmp_path)
    assert store.put_pack(DIGEST, iter([DATA[:5], DATA[5:]]), 100, good) == len(DATA)
    assert store.read_pack(DIGEST, 0, 1 << 20) == DATA
    store.put_pack(DIGEST, iter([DATA]), 100, good)
    store.put_manifest(DIGEST, b"m")
    assert store.manifest(DIGEST) == b"m"
    name = DIGEST.hex()
    assert files(tmp_path) == [f"manifests/{name[:2]}/{name}.manifest", f"packs/{name[:2]}/{name}.pack"]


def refuse(path: Path, size: int) -> None:
    raise Damaged("x", "refused by the check")


@pytest.mark.parametrize(
    ("pieces", "limit", "check", "kind"),
    [
        ([DATA + b"!"], 100, good, Damaged),
        ([DATA], 5, good, Invalid),
        ([DATA], 100, refuse, Damaged),
        ([], 100, good, Damaged),
    ],
)
def test_what_is_wrong_leaves_nothing(tmp_path: Path, pieces, limit, check, kind) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(kind):
        FolderStore(tmp_path).put_pack(DIGEST, iter(pieces), limit, check)
    assert files(tmp_path) == []


def test_a_sender_that_goes_away_leaves_nothing(tmp_path: Path) -> None:
    def pieces():  # type: ignore[no-untyped-def]
        yield DATA
        raise ConnectionResetError(104, "Connection reset by peer")

    with refuses("store.error"):
        FolderStore(tmp_path).put_pack(DIGEST, pieces(), 100, good)
    assert files(tmp_path) == []


@pytest.mark.parametrize("call", ["write", "fsync", "mkdir", "fchmod"])
def test_a_disk_that_fails_anywhere_leaves_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, call: str) -> None:
    store = FolderStore(tmp_path)

    def fail(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(os, call, fail)
        with refuses("store.full", "full"):
            store.put_pack(DIGEST, iter([DATA]), 100, good)
    assert files(tmp_path) == []


def test_what_is_not_there_is_not_found(tmp_path: Path) -> None:
    store = FolderStore(tmp_path)
    for read in (store.pack_file, store.manifest):
        with refuses("content.unknown", "no such content"):
            read(DIGEST)
