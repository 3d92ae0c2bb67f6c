"""The command line as people use it: the whole job by real processes against a real service."""

from __future__ import annotations

import json
import os
import subprocess
from pathlib import Path

import pytest

from rampa.cli.main import EXIT_CODES, GROUPS, exit_code
from rampa.core import errors
from tests.conftest import OWNER, Live
from tests.nursery import run_module
from tests.samples import DOCUMENT, change_folder, make_folder


class Shell:
    """Runs `rampa …` with a home of its own."""

    def __init__(self, live: Live, home: Path) -> None:
        secrets = {"RAMPA_PASSWORD": live.owner_password, "RAMPA_KEY_PASSWORD": "a password"}
        self.environment = {**os.environ, "RAMPA_HOME": str(home), **secrets}
        self.folder = home.parent

    def run(self, *words: str, code: int = 0) -> subprocess.CompletedProcess[str]:
        done = run_module(["rampa.cli.main", *words], self.environment, self.folder)
        assert done.returncode == code, f"{words}: {done.returncode}\n{done.stdout}\n{done.stderr}"
        assert "Traceback" not in done.stderr
        return done

    def json(self, *words: str):  # type: ignore[no-untyped-def]
        return json.loads(self.run(*words, "--json").stdout)


@pytest.fixture
def shell(live: Live, tmp_path: Path) -> Shell:
    made = Shell(live, tmp_path / "home")
    made.run("sign-in", live.address, "--email", OWNER)
    return made


def test_the_whole_job(shell: Shell, tmp_path: Path) -> None:
    source = make_folder(tmp_path / "source")
    assert "Quillback Works" in shell.run("whoami").stdout
    shell.run("key", "make", "quillback-2026")
    assert (tmp_path / "quillback-2026.p12").stat().st_mode & 0o777 == 0o600
    assert "imported" in shell.run("title", "import", str(source)).stdout
    assert "has not changed" in shell.run("title", "import", str(source)).stdout
    assert shell.run("title", "export").stdout == DOCUMENT
    made = shell.run("build", "create", "--profile", "linux-release", "--from", str(source))
    for words in (
        "peatlight#1",
        "1.4.0, code 1",
        "ratio",
        "signed by quillback-2026",
        "symbols",
        "rampa.toml:12",
        "Next: rampa channel place",
    ):
        assert words in made.stdout
    preview = shell.run("channel", "place", "peatlight#1", "--on", "studio", code=1)
    assert "fresh install" in preview.stdout
    assert "confirm with --yes" in preview.stderr
    assert "is live on studio" in shell.run("channel", "place", "1", "--on", "studio", "--yes").stdout

    device = str(tmp_path / "desk")
    shell.run("device", "add", device, "--channel", "studio")
    assert "it had nothing" in shell.run("device", "update", device).stdout
    assert "Peatlight" in shell.run("device", "start", device).stdout
    change_folder(source)
    shell.run("build", "create", "--profile", "linux-release", "--from", str(source), "--version-name", "1.5.0")
    seen = shell.json("channel", "place", "peatlight#2", "--on", "studio", "--preview")
    shell.run("channel", "place", "peatlight#2", "--on", "studio", "--yes")
    report = shell.json("device", "update", device)
    assert report["downloaded"] + report["metadata"] == seen["update"]["download"]
    assert "has nothing newer" in shell.run("device", "update", device).stdout

    damaged = Path(device) / "title/current/tree/data/bog.arc"
    damaged.write_bytes(b"rot" + damaged.read_bytes()[3:])
    assert "data/bog.arc" in shell.run("device", "verify", device, code=7).stdout
    assert "data/bog.arc" in shell.run("device", "repair", device).stdout
    shell.run("device", "verify", device)
    shell.run("build", "bundle", "peatlight#2", "--to", str(tmp_path / "out"))
    assert {p.suffix for p in (tmp_path / "out").iterdir()} == {".zip", ".p7s"}
    assert "data/bog.arc" in shell.run("build", "files", "peatlight#2").stdout
    assert "symbols" in shell.run("build", "files", "peatlight#2", "--left-out").stdout
    assert "superseded" in shell.run("channel", "show", "studio").stdout
    assert shell.json("device", "list")[0]["build_name"] == "peatlight#2"
    shell.run("sign-out")
    assert "not signed in" in shell.run("title", "list", code=3).stderr


def test_what_goes_wrong_is_a_sentence_and_an_exit_code(shell: Shell, live: Live, tmp_path: Path) -> None:
    source = make_folder(tmp_path / "source", 1000)
    (source / "rampa.toml").write_text(DOCUMENT.replace('"linux"', '"linus"').replace("1.4.0", "1/4"))
    told = shell.run("title", "import", str(source), code=1).stderr
    assert "3 problems" in told
    assert "line 7, column 8: version.name" in told
    assert "line 15, column 12" in told
    (source / "rampa.toml").write_text(DOCUMENT)
    assert "no profile document here" in shell.run("title", "import", str(tmp_path / "none"), code=4).stderr
    shell.run("title", "import", str(source))
    for words, code, says in [
        (("build", "create", "--profile", "none", "--from", str(source)), 4, "no profile 'none'"),
        (("build", "create", "--profile", "linux-release", "--from", "/nowhere"), 4, "no folder here"),
        (
            ("build", "create", "--profile", "linux-release", "--from", str(source)),
            6,
            "Signing identity: quillback-2026, and there is no identity of that name",
        ),
        (("build", "show", "peatlight#9"), 4, "no build peatlight#9"),
        (("build", "show", "nonsense#"), 1, "does not name a build"),
        (("device", "update", str(source)), 4, "no simulated device in this folder"),
        (("device", "add", str(source)), 5, "not empty"),
        (("nonsense",), 2, "No such command"),
    ]:
        assert says in shell.run(*words, code=code).stderr, words
    made = shell.run("build", "create", "--profile", "linux-unsigned", "--from", str(source))
    assert "not signed" in made.stdout
    refused = shell.run("channel", "place", "peatlight#1", "--on", "studio", "--yes", code=6)
    assert "blocker" in refused.stdout
    assert "not placed: 1 blocker" in refused.stderr


def test_a_service_that_is_not_there(shell: Shell, live: Live, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    live.stop()
    told = shell.run("sign-in", live.address, "--email", OWNER, code=8).stderr
    assert "does not answer" in told
    assert "bin/up" in told


def test_every_group_explains_itself() -> None:
    for group in GROUPS:
        done = run_module(["rampa.cli.main", group, "--help"], {**os.environ}, Path.cwd())
        assert (done.returncode, "Usage" in done.stdout) == (0, True)


def test_exit_codes_tell_errors_apart() -> None:
    assert len(set(EXIT_CODES.values())) == len(EXIT_CODES) == 7
    assert exit_code(errors.Refused("a", "b")) == 6
    assert exit_code(errors.RampaError("a", "b")) == 1
