"""What a command refuses, by the error's code: run in this process, where the error itself is seen."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from rampa.cli.base.files import write_private
from rampa.cli.main import app, main
from tests.conftest import OWNER, Live
from tests.core.picture.test_pictures import png
from tests.gits import peatlight
from tests.packages import apk_files, write_zip_file
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, import_title, make_folder

Command = Callable[..., None]


@pytest.fixture
def command(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Command:
    """Runs `rampa …` here, in an empty folder, with a home of its own."""
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("RAMPA_HOME", str(tmp_path / "home"))

    def run(*words: str) -> None:
        monkeypatch.setattr(sys, "argv", ["rampa", *words])
        app(list(words), standalone_mode=False)

    return run


ALONE = [
    (("title", "list"), "sign-in.needed"),
    (("sign-in",), "address.missing"),
    (("sign-in", "http://127.0.0.1:1", "--email", OWNER), "password.not-set"),
    (("sign-in", "http://127.0.0.1:1", "--email", OWNER, "--password-env", "FOG"), "password.env"),
    (("sign-in", "http://127.0.0.1:1", "--email", OWNER, "--password-fd", "99"), "password.fd"),
    (("agent", "start", "--keep", "fog"), "agent.keep"),
    (("agent", "start", "--toolchains", "nowhere"), "agent.toolchains"),
    (("picture", "make", "fog.png", "--to", "o"), "picture.missing"),
    (("picture", "make", "small.png", "--to", "o"), "picture.too-small"),
    (("picture", "make", "fog.png", "--to", "o", "--platform", "kiln"), "platform.unknown"),
    (("picture", "make", "fog.png", "--to", "o", "--background", "bog"), "colour.invalid"),
    (("profile", "check", "--document", "nowhere"), "document.missing"),
    (("content", "preview", "bare", "--document", "held", "--profile", "linux-release"), "folder.empty"),
    (("profile", "propose", "held", "--write"), "document.exists"),
    (("profile", "matrix", "--document", "held", "--group", "fog"), "group.unknown"),
    (("profile", "fix", "--document", "held", "fog"), "finding.unknown"),
    (("content", "preview", "held", "--document", "held"), "profile.not-set"),
    (("depot", "propose", "fog"), "folder.not-set"),
    (("update", "matrix", "--show", "fog"), "show.unknown"),
    (("trigger", "add", "fog"), "trigger.kind"),
    (("version", "mark-taken", "--place", "linux"), "version.not-set"),
    (("version", "bump", "fog"), "version.part"),
    (("key", "make", "held"), "file.exists"),
    (("device", "add", "held"), "device.folder"),
    (("device", "show", "held"), "device.none"),
    (("device", "show", "spoiled"), "device.damaged"),
    (("bundle", "inspect", "none.apk"), "file.missing"),
    (("bundle", "stamp", "plain.apk", "--out", "o.apk"), "stamp.nothing"),
    (("bundle", "stamp", "plain.apk", "--version-code", "3", "--out", "plain.apk"), "out.same"),
    (("bundle", "stamp", "plain.apk", "--version-code", "3", "--out", "held.p12"), "file.exists"),
    (("bundle", "self-test", "two.zip", "--launch", "bin/peatlight"), "bundle.top"),
]


@pytest.mark.parametrize(("words", "code"), ALONE, ids=lambda v: "-".join(v[:2]) if isinstance(v, tuple) else v)
def test_without_a_service(
    words: tuple[str, ...], code: str, command: Command, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    make_folder(tmp_path / "held", 5_000)
    (tmp_path / "held.p12").write_bytes(b"a key")
    (tmp_path / "small.png").write_bytes(png(64, 64))
    for folder in ("bare", "spoiled"):
        (tmp_path / folder).mkdir()
    (tmp_path / "spoiled/device.json").write_text("{")
    write_zip_file(tmp_path / "plain.apk", apk_files())
    write_zip_file(tmp_path / "two.zip", {"one/fog": b"x", "two/fog": b"x"})
    before = sorted(p.name for p in tmp_path.rglob("*"))
    with refuses(code):
        command(*words)
    assert sorted(p.name for p in tmp_path.rglob("*")) == before, "nothing is left behind"


WITH = [
    (("source", "connect", "ssh://fog", "--key", "nowhere"), "file.missing"),
    (("build", "show", "fog"), "build.name"),
    (("build", "list", "--title", "fog"), "title.unknown"),
    (("build", "compare", "peatlight#1", "other#1"), "build.titles"),
    (("build", "symbols", "peatlight#1"), "symbols.none"),
    (("build", "show", "peatlight#9"), "build.unknown"),
    (("depot", "plan", "--platform", "windows"), "build.none"),
    (("channel", "withdraw", "peatlight#1", "--from", "studio", "--yes"), "placement.none"),
    (("trigger", "switch", "fog", "--on"), "trigger.unknown"),
    (("variables", "set", "desktop", "FOG"), "variables.pair"),
    (("variables", "set", "desktop", "--secret", "FOG"), "variables.secret"),
    (("device", "start", "desk"), "install.none"),
    (("device", "repair", "desk"), "install.none"),
    (("run", "show", "1"), "run.unknown"),
    (("agent", "show", "fog"), "agent.unknown"),
    (("grant", "show", "peatlight#1"), "grant.none"),
    (("key", "succession", "quillback-2026", "--out", "line"), "succession.none"),
    (("bundle", "reproduce", "peatlight#1"), "reproduce.by-hand"),
]


def test_with_a_service(live: Live, command: Command, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    with live.client() as client:
        add_key(client)
        import_title(client)
        monkeypatch.setenv("RAMPA_ADDRESS", live.address)
        monkeypatch.setenv("RAMPA_TOKEN", client.connection.bearer.current())
        build(client, make_folder(tmp_path / "source", 50_000), tmp_path / "state")
        command("device", "add", "desk")
        for words, code in WITH:
            with refuses(code):
                command(*words)
        client.titles.add(DOCUMENT.replace("peatlight", "kilnwalk").replace('"Peatlight"', '"Kilnwalk"'))
        monkeypatch.setattr("rampa.cli.sources.WAIT", 0.1)
        with refuses("source.fetch", "goes on in the service"):
            command("source", "connect", str(peatlight(tmp_path / "repo").root), "--title", "peatlight")
    with refuses("title.not-set"):
        command("build", "list")
    with refuses("file.unwritable"):
        write_private(tmp_path / "nowhere/k.p12", b"a key")
    told = json.loads((tmp_path / "desk/device.json").read_text())
    (tmp_path / "desk/device.json").write_text(json.dumps(told | {"address": "http://127.0.0.1:1"}))
    monkeypatch.setenv("RAMPA_ADDRESS", "http://fog:bog")
    with refuses("address.invalid"):
        command("title", "list")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("channel", "add", "Press", "--title", "x"), "rampa: name: String should match pattern"),
        (("person", "invite", "no address", "--name", "Kaisa"), "rampa: email: String should match pattern"),
    ],
    ids=lambda v: v[1] if isinstance(v, tuple) else "",
)
def test_what_is_no_name_or_address_is_a_sentence(
    words: tuple[str, ...], said: str, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("RAMPA_ADDRESS", "http://127.0.0.1:1")
    monkeypatch.setenv("RAMPA_TOKEN", "x")
    with pytest.raises(SystemExit) as ended:
        main(list(words))
    told = capsys.readouterr().err
    assert told.startswith(said)
    assert "Traceback" not in told
    assert ended.value.code == 1
