"""What one does with keys, codes, builds, depots, the store, devices and people when the whole job is done: each command once."""

from __future__ import annotations

from pathlib import Path

import pytest

from rampa.client import Client
from tests.cli.test_commands import Shell, shell
from tests.conftest import OWNER, Lives
from tests.packages import ipa_files, lay_out
from tests.samples import add_key, build, change_folder, import_title, make_folder
from tests.service.test_packages import DOCUMENT

__all__ = ["shell"]


@pytest.fixture
def made(lives: Lives, tmp_path: Path) -> Shell:
    """Two builds; the first is live on studio."""

    def fill(client: Client) -> None:
        source = make_folder(tmp_path / "source", 400_000)
        add_key(client)
        import_title(client)
        build(client, source, tmp_path / "state")
        change_folder(source)
        build(client, source, tmp_path / "state")
        client.channels.place("peatlight", "studio", 1, client.channels.preview("peatlight", "studio", 1).etag)

    made = Shell(live := lives(fill), tmp_path / "home")
    made.run("sign-in", live.address, "--email", OWNER)
    return made


def test_a_key_is_backed_up_handed_over_and_shown(shell: Shell, tmp_path: Path) -> None:
    shell.run("key", "make", "lantern-2026")
    exported = tmp_path / "safe.p12"
    assert "safe.p12" in shell.run("key", "export", "lantern-2026", "--file", str(exported)).stdout
    assert exported.stat().st_mode & 0o777 == 0o600
    assert "Not backed up" in shell.run("key", "show", "lantern-2026").stdout
    shell.run("key", "drill", "lantern-2026", "--file", str(exported))
    assert "Not backed up" not in shell.run("key", "show", "lantern-2026").stdout
    assert "imported" in shell.run("key", "import", "kiln-2026", "--file", str(exported)).stdout
    shell.run("key", "make", "bog-2026")
    assert "bog-2026" in shell.run("key", "hand-over", "lantern-2026", "--to", "bog-2026", "--yes").stdout
    line = shell.run("key", "succession", "bog-2026", "--out", str(tmp_path / "line")).stdout
    assert "2" in line or (tmp_path / "line").exists()
    assert {k["name"] for k in shell.json("key", "list")} == {"lantern-2026", "bog-2026", "kiln-2026"}
    assert "confirm with --yes" in shell.run("key", "master-key", code=1).stderr


def test_a_locked_key_opens_with_its_passphrase_alone(shell: Shell, tmp_path: Path) -> None:
    shell.run("key", "make", "open-2026")
    phrase = {"RAMPA_KEY_PASSPHRASE": "a long passphrase"}
    shell.environment |= phrase
    moved = str(tmp_path / "other.p12")
    shell.run("key", "make", "locked-2026", "--passphrase", "--file", moved)
    assert "locked" in shell.run("key", "show", "locked-2026").stdout
    shell.environment["RAMPA_KEY_PASSPHRASE"] = "another passphrase"
    assert "passphrase" in shell.run("key", "unlock", "locked-2026", code=1).stderr
    shell.environment |= phrase
    shell.run("key", "unlock", "locked-2026", "--minutes", "5")
    assert shell.json("key", "show", "locked-2026")["unlocked_until"]
    shell.run("key", "lock", "locked-2026")
    assert not shell.json("key", "show", "locked-2026")["unlocked_until"]


def test_a_grant_lists_devices_and_the_builds_behind(shell: Shell, tmp_path: Path) -> None:
    (tmp_path / "rampa.toml").write_text(DOCUMENT)
    shell.run("key", "make", "quillback-2026")
    shell.run("title", "import", str(tmp_path))
    assert "Make one: rampa grant make PROFILE" in shell.run("grant", "list").stderr
    assert "no device is registered for iOS" in shell.run("grant", "make", "handset", code=5).stderr
    for name in ("moss-handset", "loft-tablet"):
        shell.run("device", "add", str(tmp_path / name), "--platform", "ios", "--channel", "testers")
    made = shell.run("grant", "make", "handset", "--device", "moss-handset", "--days", "30")
    assert "Grant 1: 1 device until" in made.stdout
    export = lay_out(tmp_path / "export", ipa_files())
    shell.run("build", "create", "--profile", "handset", "--from", str(export))
    shown = shell.run("grant", "show", "peatlight#1", "--out", str(tmp_path / "grant.p7m")).stdout
    assert "the signature holds" in shown
    assert shown.splitlines()[-1].strip() == "moss-handset"
    assert (tmp_path / "grant.p7m").stat().st_size > 500
    behind = shell.run("grant", "list").stdout
    assert "peatlight#1 (grant 1) does not run on loft-tablet" in " ".join(behind.split())
    shell.run("grant", "make", "handset")
    assert "loft-tablet, moss-handset" in shell.run("build", "re-sign", "peatlight#1").stdout
    assert "▲" not in shell.run("grant", "list").stdout


def test_codes_are_told_taken_and_raised(made: Shell) -> None:
    assert "peatlight#2" in made.run("version", "history").stdout
    assert "3" in made.run("version", "next", "--profile", "linux-release").stdout
    made.run("version", "mark-taken", "40", "--place", "linux", "--note", "Sent by hand.")
    assert "41" in made.run("version", "next", "--profile", "linux-release").stdout
    assert "1.5.0" in made.run("version", "bump", "minor", "--yes").stdout
    assert 'name = "1.5.0"' in made.run("title", "export").stdout


def test_builds_are_kept_noted_and_given_up(made: Shell, tmp_path: Path) -> None:
    assert "peatlight#1" in made.run("build", "list").stdout
    assert "studio" in made.run("title", "show", "peatlight").stdout
    made.run("build", "note", "peatlight#2", "The thaw gate.")
    made.run("build", "pin", "peatlight#2")
    assert made.json("build", "show", "peatlight#2")["pinned"]
    made.run("build", "unpin", "peatlight#2")
    shown = made.json("build", "show", "peatlight#2")
    assert (shown["notes"], shown["pinned"]) == ("The thaw gate.", False)
    assert "abandon is not possible now" in made.run("build", "abandon", "peatlight#2", "--yes", code=5).stderr
    assert "No build keeps symbols" in made.run("build", "find-symbols", "0" * 40).stderr
    assert "signature over this holds" in made.run("build", "provenance", "peatlight#2").stderr
    assert "there is no grant" in made.run("build", "re-sign", "peatlight#2", code=4).stderr
    assert "made by hand" in made.run("bundle", "reproduce", "peatlight#2", code=5).stderr
    assert "withdrawn" in made.run("channel", "withdraw", "peatlight#1", "--from", "studio", "--yes").stdout
    assert "nothing is live" in made.run("channel", "list").stdout


def test_what_updates_cost_and_what_the_store_holds(made: Shell) -> None:
    assert "#2" in made.run("update", "matrix").stdout
    assert "data/bog.arc" in made.run("update", "compare", "peatlight#1", "peatlight#2").stdout
    assert "asked for" in made.run("update", "prepare", "peatlight#1", "peatlight#2", "--yes").stdout
    assert "base" in made.run("depot", "plan", "peatlight#2").stdout
    assert "no encrypted" in made.run("depot", "unseal", "peatlight#2", "--yes", code=5).stderr
    assert "packs" in made.run("store", "usage").stdout
    assert "never checked" in made.run("store", "check", "--latest", code=4).stderr
    made.run("store", "repack", "--yes")
    made.run("store", "collect", "--yes")
    assert "data/bog.arc" in made.run("build", "files", "peatlight#2").stdout


def test_a_device_chooses_goes_back_and_is_forgotten(made: Shell, tmp_path: Path) -> None:
    device = str(tmp_path / "desk")
    made.run("device", "add", device, "--channel", "studio")
    made.run("device", "choose", device, "--keep-previous")
    made.run("device", "update", device)
    made.run("channel", "place", "peatlight#2", "--on", "studio", "--yes")
    made.run("device", "update", device)
    assert "peatlight#1" in made.run("device", "roll-back", device).stdout
    assert "desk" in made.run("device", "show", device).stdout
    made.run("device", "uninstall", device, "--yes")
    assert not (Path(device) / "title/current").exists()
    made.run("device", "remove", "desk", "--yes")
    assert made.json("device", "list") == []


def test_people_and_what_they_did(made: Shell) -> None:
    made.environment["RAMPA_NEW_PASSWORD"] = "a long first password"
    made.run("person", "add", "oskari@quillback.example", "--name", "Oskari", "--role", "reviewer")
    assert "reviewer" in made.run("person", "list").stdout
    told = made.run("event", "list", "--who", "Iida", "--act", "build.place").stdout
    assert "placed peatlight#1 on studio" in " ".join(told.split())
    assert "Nothing happened" in made.run("event", "list", "--day", "2020-02-29").stderr
    assert "day" in made.run("event", "list", "--day", "yesterday", code=1).stderr
    assert "Nothing waits" in made.run("run", "queue").stdout or made.json("run", "queue")
    assert made.run("agent", "tidy", "--yes").returncode == 0
