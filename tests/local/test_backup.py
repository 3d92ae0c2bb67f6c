"""A backup that is made while the service works, restored into a fresh folder, and installed from."""

from __future__ import annotations

import shutil
import signal
import threading
from pathlib import Path

import pytest

from rampa.client.devices.delivery import HttpDelivery
from rampa.core.install.install import Installation
from rampa.local.backup import back_up, main, restore
from rampa.local.postgres import free_port, private_server
from rampa.local.service import ServiceFolder, start_service, stop
from rampa.schema.store import CollectIn
from rampa.store.folder import FolderStore
from rampa.system import CLOCK
from tests.conftest import Live
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder, noise


def test_a_backup_is_restored_and_installed_from(live: Live, tmp_path: Path) -> None:
    with live.client() as client:
        add_key(client)
        import_title(client)
        folder = make_folder(tmp_path / "source")
        build(client, folder, tmp_path / "state")
        title = client.titles.get("peatlight")
        (folder / "data/later.bin").write_bytes(noise(2_000_000, 8))
        later = threading.Thread(target=build, args=(client, folder, tmp_path / "state"))
        later.start()
        said = back_up(live.url, FolderStore(live.folder.store), tmp_path / "backup")
        later.join()
        again = back_up(live.url, FolderStore(live.folder.store), tmp_path / "backup")
    assert said["packs"]["copied"] == said["packs"]["files"]  # type: ignore[index]
    assert again["packs"]["copied"] < again["packs"]["files"]  # type: ignore[index]
    shutil.copytree(live.folder.store, tmp_path / "spoilt")
    pack = next((tmp_path / "spoilt/packs").rglob("*.pack"))
    pack.write_bytes(pack.read_bytes()[:-1] + b"x")
    with refuses("store.damaged", "not what its name says"):
        back_up(live.url, FolderStore(tmp_path / "spoilt"), tmp_path / "of-spoilt")
    data = tmp_path / "restored"
    restore(tmp_path / "backup", data, live.folder.master_key)
    with refuses("restore.folder", "not empty"):
        restore(tmp_path / "backup", data, live.folder.master_key)
    postgres = private_server(data / "postgres")
    server = postgres.start()
    port = free_port()
    service = start_service(ServiceFolder(data / "service"), postgres.url(), port, None)
    try:
        there = Live(ServiceFolder(data / "service"), postgres.url(), port, live.owner_password)
        with there.client() as client:
            for number in (1, 2):
                on = Installation(
                    tmp_path / f"device-{number}", title.identifier, bytes.fromhex(title.manifest_key), clock=CLOCK
                )
                on.update(client.builds.statement("peatlight", number), HttpDelivery(client, "peatlight", number))
                assert on.verify() == []
            assert client.store.usage().size > 0
            assert client.store.collect(CollectIn()).removed == 0, "the restored store is not held for a backup"
    finally:
        stop(service, signal.SIGTERM)
        if server:
            stop(server, signal.SIGINT)


def test_what_is_no_backup_is_refused(tmp_path: Path) -> None:
    with refuses("backup.missing", "no whole backup"):
        restore(tmp_path, tmp_path / "new", tmp_path / "key")
    (tmp_path / "backup.json").write_text("{}")
    (tmp_path / "key").write_text("00" * 32)
    bad = tmp_path / "packs/ab" / ("ab" * 32 + ".pack")
    bad.parent.mkdir(parents=True)
    bad.write_bytes(b"not what its name says")
    with refuses("backup.damaged", "not what its name says"):
        restore(tmp_path, tmp_path / "new", tmp_path / "key")


def test_a_database_without_its_store_is_no_whole_backup(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    monkeypatch.setenv("RAMPA_DATABASE_URL", "postgresql+psycopg://rampa@127.0.0.1/rampa")
    monkeypatch.delenv("RAMPA_STORE", raising=False)
    monkeypatch.setattr("sys.argv", ["bin/backup", "make", str(tmp_path / "backup")])
    monkeypatch.setenv("RAMPA_ROOT", str(tmp_path))
    assert main() == 1
    assert "RAMPA_STORE is not set" in capsys.readouterr().err
