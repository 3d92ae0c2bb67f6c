"""One attempt in this process: an uploaded folder, an agent's steps, and the cause that a bad end is given."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import pytest

from rampa.agent import attempt
from rampa.agent.context import StepFailed
from rampa.agent.settings import AgentSettings
from rampa.agent.steps import fetch
from rampa.client import Client
from rampa.client.sources.folders import bring_folder, upload_folder
from rampa.core.install.progress import Progress
from rampa.core.run import causes
from rampa.core.run.step import Step
from rampa.schema.runs import NewRuns, Run
from rampa.schema.sources import ModuleOut
from tests.agents import FakeAgent
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key

TITLE = "peatlight"
TESTED = DOCUMENT.replace('launch.entry = "bin/peatlight"', 'launch.entry = "bin/peatlight"\nlaunch.self_test = true')
PROGRAM = b"#!/bin/sh\ntest -f data/bog.arc || { echo 'no bog'; exit 4; }\n"
FILES = {"bin/peatlight": PROGRAM, "data/bog.arc": b"bog" * 500, "locale/fi.json": b"{}"}
POINTER = b"version https://example.org/spec/v1\noid sha256:" + b"0" * 64 + b"\nsize 9000000\n"
Files = dict[str, bytes]


class Shed:
    """A machine with an agent, whose attempts are carried out here and now."""

    def __init__(self, world: World, client: Client, root: Path) -> None:
        self.world, self.client, self.root = world, client, root
        self.agent = FakeAgent(client, world.services, "kiln-1")
        self.settings = AgentSettings("kiln-1", root / "agent", least_free=0, user=False)
        (root / "agent").mkdir()

    def upload(self, files: Files) -> int:
        folder = self.root / f"export-{len(list(self.root.iterdir()))}"
        for name, data in files.items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_bytes(data)
            (folder / name).chmod(0o755)
        return upload_folder(self.client, TITLE, folder, "", lambda *_: None)[0].number

    def run(self, files: Files, before: Callable[[int], object] = lambda _: None, **more: object) -> Run:
        """Starts a run of these files, has it worked on, and says how it ended. `before`: after it was given to the agent."""
        asked = NewRuns(**{"profiles": ["linux-release"], "folder": self.upload(files), **more})
        number = self.client.runs.start(TITLE, asked)[0].number
        work = self.agent.work()
        before(number)
        attempt.work_on(self.agent.client, self.agent.client, self.settings, work, 0)
        self.agent.holds.clear()
        return self.client.runs.get(TITLE, number)

    def log(self, run: Run) -> str:
        return b"".join(self.client.runs.log_text(TITLE, run.number)).decode()


@pytest.fixture
def shed(world: World, client: Client, tmp_path: Path) -> Shed:
    add_key(client)
    client.titles.add(TESTED)
    return Shed(world, client, tmp_path)


def test_an_attempt_makes_a_build_and_says_how(shed: Shed) -> None:
    run = shed.run(FILES)
    assert (run.state, run.cause) == ("done", None)
    build = shed.client.builds.get(TITLE, 1)
    assert (build.state, build.signed, build.files) == ("ready", True, 3)
    log = shed.log(run)
    for said in ("Folder 1: 3 files.", "Goes in: 3 files", "The self-test passed", "peatlight#1 is ready"):
        assert said in log
    assert {s.state for s in run.attempts[0].steps} == {"done"}
    assert list(shed.settings.runs.glob("*")) == [], "nothing of a good run stays on the machine"


def record(quality: str = "full", source: bytes = b"layers", named: str = "data/bog.arc") -> Files:
    """A file that was baked of art/bog.layers, with its record."""
    entry = {"path": named, "quality": quality, "sources": {"art/bog.layers": hashlib.sha256(source).hexdigest()}}
    told = {"format": "rampa-baked", "version": 1, "files": [entry]}
    return {"baked.json": json.dumps(told).encode(), "art/bog.layers": b"layers"}


ENDS: dict[str, tuple[Files, str, str]] = {
    "a file that is missing": ({k: v for k, v in FILES.items() if k != "data/bog.arc"}, "bundle.self-test", "no bog"),
    "baked of another source": (FILES | record(source=b"older layers"), "content.stale", "changed since"),
    "baked of a source that is gone": (
        {k: v for k, v in (FILES | record()).items() if not k.startswith("art/")},
        "content.stale",
        "is gone",
    ),
    "preview quality in a release": (FILES | record("preview"), "content.preview", "data/bog.arc"),
    "a record that is none": (FILES | {"baked.json": b"{"}, "step.failed", "cannot be read"),
    "a record that leads out": (FILES | record(named="../bog.arc"), "step.failed", "cannot be read"),
    "a pointer to a large file": (FILES | {"data/fog.arc": POINTER}, "source.pointer", "data/fog.arc"),
    "no launch entry": ({k: v for k, v in FILES.items() if k != "bin/peatlight"}, "check.blocked", "bin/peatlight"),
}


@pytest.mark.parametrize("what", ENDS)
def test_a_bad_end_has_its_cause(what: str, shed: Shed) -> None:
    files, code, said = ENDS[what]
    run = shed.run(files)
    assert run.state == "failed"
    assert run.cause
    assert (run.cause.code, bool(run.cause.fix)) == (code, True)
    assert said in shed.log(run)
    assert [b.state for b in shed.client.builds.all(TITLE)] in ([], ["abandoned"])


def test_a_disk_without_room_is_the_cause_before_anything_is_done(shed: Shed) -> None:
    shed.settings = replace(shed.settings, least_free=1 << 60)
    run = shed.run(FILES)
    assert run.cause
    assert run.cause.code == "disk.full"


@pytest.mark.parametrize(
    ("error", "code"),
    [
        (ValueError("no such lantern"), "rampa.defect"),
        (MemoryError(), "memory.out"),
        (OSError(28, "No space left on device"), "disk.full"),
        (OSError(5, "Input/output error"), "step.failed"),
    ],
)
def test_what_nobody_foresaw_is_called_what_it_is(
    error: BaseException, code: str, shed: Shed, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fail(*_: object) -> None:
        raise error

    monkeypatch.setitem(attempt.STEPS, "check", fail)
    run = shed.run(FILES)
    assert run.cause
    assert run.cause.code == code
    if code == "rampa.defect":
        assert "no such lantern" in shed.log(run), "with its traceback"


def test_a_run_that_was_cancelled_meanwhile_stops(shed: Shed) -> None:
    run = shed.run(FILES, before=lambda number: shed.client.runs.cancel(TITLE, number))
    assert run.state == "cancelled"
    assert list(shed.client.builds.all(TITLE, state="ready")) == []


def test_the_same_again_gives_the_same_bytes_or_says_that_it_does_not(
    shed: Shed, monkeypatch: pytest.MonkeyPatch
) -> None:
    shed.run(FILES)
    again = shed.run(FILES, reproduces=1)
    assert again.state == "done"
    assert "The same bytes as peatlight#1" in shed.log(again)

    def drifting(client: Client, title: str, folder: int, to: Path, on: Callable[[Progress], None]) -> int:
        count = bring_folder(client, title, folder, to, on)
        (to / "data/bog.arc").write_bytes(b"thaw" * 500)
        return count

    monkeypatch.setattr(fetch, "bring_folder", drifting)
    other = shed.run(FILES, reproduces=1)
    assert other.cause
    assert other.cause.code == "bundle.differs"


def test_pointers_are_told_from_what_only_looks_like_one(tmp_path: Path) -> None:
    for name, data in {"a": POINTER, "b": POINTER + b"more\n", "c": b"version https://x\n" * 9, "d": b""}.items():
        (tmp_path / name).write_bytes(data)
    (tmp_path / "e").symlink_to("a")
    assert fetch.find_pointers(tmp_path) == ["a"]


@pytest.mark.parametrize("code", causes.TABLE)
def test_every_cause_is_a_sentence_with_a_fix(code: str) -> None:
    sentence, fix = causes.TABLE[code]
    told = causes.cause_of(code, agent="kiln-1", step="collect", detail="data/bog.arc")
    assert told.code == code
    for text in (told.sentence, told.fix):
        assert text[:1].isupper()
        assert "{" not in text
    assert sentence
    assert fix.endswith(".")


def test_a_build_of_an_older_document_is_not_made_again(shed: Shed) -> None:
    shed.run(FILES)
    shed.client.titles.revise(TITLE, TESTED.replace("1.4.0", "1.5.0"), "The next version.", 1)
    with refuses("reproduce.revision"):
        shed.client.runs.start(TITLE, NewRuns(reproduces=1))


@pytest.mark.parametrize("path", ["../fog", "/etc/fog", "link/fog", ""])
def test_a_submodule_outside_the_source_is_not_checked_out(path: str, tmp_path: Path) -> None:
    (tmp_path / "source").mkdir()
    (tmp_path / "source/link").symlink_to("/tmp")
    modules = SimpleNamespace(modules=lambda *_: [ModuleOut(path=path, commit="a" * 40, at="/fog")])
    context = SimpleNamespace(
        client=SimpleNamespace(sources=modules),
        work=SimpleNamespace(title=TITLE, commit="a" * 40),
        settings=SimpleNamespace(folder=tmp_path),
        folder=SimpleNamespace(source=tmp_path / "source"),
    )
    with pytest.raises(StepFailed) as caught:
        fetch._modules(context, Step("fetch", "fetch"))  # type: ignore[arg-type]
    assert caught.value.code == "source.missing"
