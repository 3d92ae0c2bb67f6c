"""Trust and delivery by commands: a ceremony, rehearsed and held; files written; a device of a channel by invitation."""

from __future__ import annotations

from pathlib import Path

import pytest

from rampa.client import Client
from rampa.operations.delivery.publish import publish_due
from tests.cli.conftest import Said
from tests.conftest import World
from tests.delivering import IDENTIFIER, TITLE, hold_ceremony, place
from tests.delivering import draft as draft_of
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder

PASSPHRASE = "lanterns on the bog"


@pytest.fixture
def holders(said: Said, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> list[str]:
    """`--holder-key …` of three people's public halves; their keys lie in `tmp_path`."""
    monkeypatch.setenv("RAMPA_KEY_PASSPHRASE", PASSPHRASE)
    words: list[str] = []
    for name in ("Vendla", "Aino", "Oskar"):
        file = tmp_path / f"{name.lower()}.key"
        assert "keep it on two sticks" in said("trust", "ceremony", "key", str(file), "--holder", name)
        assert file.stat().st_mode & 0o777 == 0o600
        words += ["--holder-key", str(file.with_suffix(".public"))]
    return words


def sign(said: Said, tmp_path: Path, draft: Path, *names: str) -> str:
    return "".join(
        said("trust", "ceremony", "sign", str(draft), "--key", str(tmp_path / f"{n}.key"), "--yes") for n in names
    )


def test_a_rehearsal_touches_nothing(said: Said, client: Client, holders: list[str], tmp_path: Path) -> None:
    import_title(client)
    draft, room = tmp_path / "root.draft", ["--rehearsal", str(tmp_path / "room")]
    said("trust", "ceremony", "draft", str(draft), *holders, "--threshold", "2", *room)
    sign(said, tmp_path, draft, "vendla")
    with refuses("trust.unsigned"):
        said("trust", "ceremony", "publish", str(draft), *room)
    sign(said, tmp_path, draft, "oskar")
    assert "A simulated device followed from root 1" in said("trust", "ceremony", "publish", str(draft), *room)
    # One leaves, and the service's keys are new.
    said("trust", "ceremony", "draft", str(draft), *holders[:4], "--threshold", "2", "--new-keys", *room)
    told = said("trust", "ceremony", "look", str(draft))
    assert "Oskar is no holder any more." in told
    assert "keys for targets, snapshot, timestamp are replaced" in told
    sign(said, tmp_path, draft, "vendla", "aino")
    assert "over 1 more" in said("trust", "ceremony", "publish", str(draft), *room)
    assert client.delivery.trust(TITLE).root is None


def test_a_ceremony_and_a_device_of_a_channel_by_invitation(
    said: Said, world: World, client: Client, holders: list[str], tmp_path: Path
) -> None:
    add_key(client)
    import_title(client)
    folder = make_folder(tmp_path / "source", 100_000)
    build(client, folder, tmp_path / "state")
    place(client, 1, "studio")
    said("device", "add", str(tmp_path / "desk"))
    said("device", "update", str(tmp_path / "desk"))
    assert "has no root yet" in said("trust", "ceremony")
    draft = tmp_path / "root.draft"
    assert "2 signatures wanted, of" in said("trust", "ceremony", "draft", str(draft), *holders, "--threshold", "2")
    assert "Vendla signed." in sign(said, tmp_path, draft, "vendla", "aino")
    assert "Root 1 of peatlight is published" in said("trust", "ceremony", "publish", str(draft), "--yes")
    publish_due(world.services)
    shown = said("trust", "show")
    assert "any 2 sign the next" in shown
    assert "timestamp" in shown
    (folder / "data/late.txt").write_text("late")
    build(client, folder, tmp_path / "state")
    place(client, 2, "studio")
    publish_due(world.services)
    assert "desk has peatlight#2 (1.4.0) now; it was peatlight#1" in said("device", "update", str(tmp_path / "desk"))
    assert (tmp_path / "desk/trust/start.dsse").exists()
    (tmp_path / "desk/title/current/tree/data/late.txt").write_text("spoilt")
    assert "data/late.txt" in said("device", "repair", str(tmp_path / "desk"))
    # The next root, with the same holders.
    said("trust", "ceremony", "draft", str(draft))
    sign(said, tmp_path, draft, "aino", "oskar")
    assert "Root 2" in said("trust", "ceremony", "publish", str(draft), "--yes")


def test_a_delivery_is_written_and_its_origins_are_kept(
    said: Said, world: World, client: Client, tmp_path: Path
) -> None:
    import_title(client)
    with refuses("trust.none"):
        said("delivery", "write", str(tmp_path / "out"))
    hold_ceremony(client)
    publish_due(world.services)
    assert f"{IDENTIFIER} is current: 5 files written" in said("delivery", "write", str(tmp_path / "out"))
    assert "0 files written" in said("delivery", "write", str(tmp_path / "out"))
    assert "No origin yet" in said("delivery", "origin", "list")
    assert "priority 10" in said("delivery", "origin", "add", "quay", "https://files.quillback.example/delivery/")
    with refuses("origin.exists"):
        said("delivery", "origin", "add", "quay", "https://elsewhere.quillback.example")
    assert "paused" in said("delivery", "origin", "pause", "quay")
    said("delivery", "origin", "resume", "quay")
    assert "priority 3" in said("delivery", "origin", "change", "quay", "--priority", "3")
    assert "the service alone" in said("delivery", "origin", "remove", "quay", "--yes")


def test_files_that_are_none_are_said_so(said: Said, client: Client, tmp_path: Path) -> None:
    import_title(client)
    (tmp_path / "notes.txt").write_text("notes")
    with refuses("trust.draft"):
        said("trust", "ceremony", "look", str(tmp_path / "notes.txt"))
    with refuses("trust.file"):
        said("trust", "ceremony", "look", str(tmp_path / "gone"))
    with refuses("trust.key"):
        said("trust", "ceremony", "draft", str(tmp_path / "d"), "--holder-key", str(tmp_path / "notes.txt"))
    with refuses("rehearsal.none"):
        (tmp_path / "root.draft").write_bytes(draft_of(client))
        said("trust", "ceremony", "publish", str(tmp_path / "root.draft"), "--rehearsal", str(tmp_path / "nowhere"))
    with refuses("delivery.place"):
        said("delivery", "write", "ftp://bog.example")


def test_letters_by_commands(said: Said, client: Client) -> None:
    import_title(client)
    assert "You are told nothing yet" in said("letters", "list")
    assert "at-once" in said("letters", "choose", "runs", "at-once")
    assert f"{TITLE}: daily" in said("letters", "choose", "runs", "daily", "--title", TITLE)
    assert f"{TITLE}: daily" not in said("letters", "forget", "runs", "--title", TITLE)
