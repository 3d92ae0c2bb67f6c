"""Packages made by runs, with real processes: a locked identity is waited for, symbols are found again, bytes repeat."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from demo.lantern_export.installing import install
from demo.peatlight.repository import make

from rampa.client import Client
from rampa.core.binaries.elf import whole_elf
from rampa.core.binaries.read_at import of_bytes
from rampa.core.bundle.desktop import unpack
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.verification import verify_package
from rampa.core.bundle.zip_reader import read_zip
from rampa.schema.builds.builds import NewBuild
from rampa.schema.runs import NewRuns, Run
from rampa.schema.signing.identities import UnlockIn
from rampa.schema.sources import SourceIn, StepVariablesIn
from tests.ends.machines import ENDED, Machines, until
from tests.refusals import refuses
from tests.samples import add_key
from tests.service.test_signing import new_key

TITLE = "peatlight"
PASSPHRASE = "night shift 1907"


@pytest.fixture
def ready(client: Client, machines: Machines, tmp_path: Path) -> Client:
    """The demo's repository, its toolchain on one agent, and the phones' identity locked."""
    add_key(client)
    client.signing.add(new_key("lantern-2026").model_copy(update={"passphrase": PASSPHRASE}))
    root = make(tmp_path / "demo-peatlight")
    client.titles.add((root / "rampa.toml").read_text())
    for name in ("desktop", "phones", "headsets"):
        client.variables.put(
            name, StepVariablesIn(variables={"LANTERN_PACE": "0"}, secrets={"LANTERN_TOKEN": "lantern-4f9c"})
        )
    client.sources.connect(TITLE, SourceIn(address=str(root), every=0))
    until(lambda: client.sources.get(TITLE).fetched_at, "the repository was fetched")
    machines.agent(
        "kiln-1", "--toolchains", str(install(tmp_path / "toolchains", "3.3.0", ["linux", "android", "headset"]))
    )
    return client


def ended(client: Client, number: int) -> Run:
    until(lambda: client.runs.get(TITLE, number).state in ENDED, f"run {number} ended", 90)
    return client.runs.get(TITLE, number)


def test_a_run_waits_for_a_locked_identity_before_it_builds(ready: Client, tmp_path: Path) -> None:
    first, second = (ready.runs.start(TITLE, NewRuns(profiles=["android-testing"]))[0].number for _ in range(2))
    until(lambda: "lantern-2026 to be unlocked" in ready.runs.get(TITLE, first).waits_for, "it says what it waits for")
    waiting = ready.runs.get(TITLE, first)
    assert (waiting.state, waiting.attempt) == ("waiting", 0)
    assert "rampa key unlock lantern-2026" in waiting.waits_for
    assert "an owner or engineer who knows its passphrase" in waiting.waits_for
    key = ready.signing.unlock("lantern-2026", UnlockIn(passphrase=PASSPHRASE, title=TITLE, run=second))
    assert (key.unlocked_until, key.unlocked_runs) == (None, [second])
    run = ended(ready, second)
    assert run.state == "done", run.cause
    assert ready.runs.get(TITLE, first).state == "waiting", "the other run was not meant"
    ready.signing.unlock("lantern-2026", UnlockIn(passphrase=PASSPHRASE, minutes=5))
    assert ended(ready, first).state == "done"
    build = ready.builds.get(TITLE, run.build)
    ready.builds.save_bundle(TITLE, build.number, tmp_path / "o.apk")
    seen = verify_package(FileBytes(tmp_path / "o.apk"))
    assert seen.holds
    assert (seen.facts.version_name, seen.facts.version_code) == (build.version_name, build.version_code)
    (use,) = (u for u in ready.signing.uses("lantern-2026") if u.act == "key.use" and u.detail["run"] == str(second))
    assert use.detail["build"] == build.name


@pytest.mark.skipif(not shutil.which("cc") or not shutil.which("objcopy"), reason="no compiler or no binutils")
def test_symbols_go_apart_by_build_id_and_bytes_repeat(ready: Client, tmp_path: Path) -> None:
    run = ended(ready, ready.runs.start(TITLE, NewRuns(profiles=["linux-release"]))[0].number)
    assert run.state == "done", run.cause
    build = ready.builds.get(TITLE, run.build)
    ready.builds.save_bundle(TITLE, build.number, tmp_path / "o.zip")
    archive = read_zip(FileBytes(tmp_path / "o.zip"))
    program = archive.read(next(n for n in archive.by_name if n.endswith("/bin/peatlight")))
    elf = whole_elf(of_bytes(program))
    assert elf is not None
    assert (elf.has_debug, build.symbols_files) == (False, 1)
    (found,) = ready.builds.find_symbols(elf.build_id).items
    assert (found.build, found.path) == (build.name, f".build-id/{elf.build_id[:2]}/{elf.build_id[2:]}.debug")
    log = b"".join(ready.runs.log_text(TITLE, run.number)).decode()
    assert "The self-test passed" in log
    again = ended(ready, ready.runs.start(TITLE, NewRuns(reproduces=build.number))[0].number)
    assert again.state == "done", again.cause
    assert "The same bytes as " + build.name in b"".join(ready.runs.log_text(TITLE, again.number)).decode()
    opened = ready.builds.open(TITLE, NewBuild(profile="linux-testing"))
    with refuses("build.no-bundle", "has no bundle to compare with"):
        ready.runs.start(TITLE, NewRuns(reproduces=opened.number))
    assert build.version_code + 2 == next(n.code for n in ready.versions.next(TITLE) if n.profile == "linux-release")


@pytest.mark.skipif(not shutil.which("cc") or not shutil.which("objcopy"), reason="no compiler or no binutils")
def test_symbols_of_another_processor_go_apart_too(ready: Client, tmp_path: Path) -> None:
    run = ended(ready, ready.runs.start(TITLE, NewRuns(profiles=["visor-release"]))[0].number)
    assert run.state == "done", run.cause
    build = ready.builds.get(TITLE, run.build)
    ready.builds.save_bundle(TITLE, build.number, tmp_path / "o")
    unpack(FileBytes(tmp_path / "o"), tmp_path / "unpacked")
    (elf,) = (
        e for p in (tmp_path / "unpacked").rglob("*") if p.is_file() and (e := whole_elf(of_bytes(p.read_bytes())))
    )
    assert (elf.machine, elf.has_debug, build.symbols_files) == ("arm64", False, 1)
    (found,) = ready.builds.find_symbols(elf.build_id).items
    assert found.build == build.name


def test_what_a_storefront_would_refuse_ends_the_run_before_anything_is_sent(ready: Client, tmp_path: Path) -> None:
    """The export leaves an identifier that is not the profile's."""
    text = ready.titles.revision(TITLE, 1).document.replace(
        '"--identifier", "{identifier}"', '"--identifier", "example.other"'
    )
    ready.titles.revise(TITLE, text, "Somebody wrote the identifier by hand.", 1)
    ready.signing.unlock("lantern-2026", UnlockIn(passphrase=PASSPHRASE))
    run = ended(ready, ready.runs.start(TITLE, NewRuns(profiles=["android-testing"]))[0].number)
    assert run.cause
    assert run.cause.code == "bundle.blocked"
    assert "identifier is example.other, and should be example.quillback.peatlight.testing" in run.cause.sentence
    assert [h.state for h in ready.versions.all(TITLE)] == ["burned"]
