"""What commands print of runs, builds and profiles: names, units, and a sentence where there is nothing."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
import typer

from rampa.client import Client
from rampa.schema.builds.changes import RetentionPolicy
from rampa.schema.common import Role
from rampa.schema.runs import NewRuns
from tests.agents import FakeAgent, with_repository
from tests.cli.conftest import Said
from tests.conftest import Begun, World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, make_folder

TITLE = "peatlight"


def words(text: str) -> str:
    """On one line: tables and terminals break lines where they like."""
    return " ".join(text.split())


@pytest.fixture
def agent(world: World, client: Client, tmp_path: Path) -> FakeAgent:
    """A repository is connected, and an agent waits."""
    return with_repository(world.services, client, tmp_path)


def start(client: Client, *profiles: str) -> None:
    client.runs.start(TITLE, NewRuns(profiles=list(profiles), note="For the weekend."))


def failed(client: Client, agent: FakeAgent) -> None:
    """A run that came to a bad end, with a log."""
    start(client, "linux-release")
    work = agent.work()
    agent.step(work, 0, "working")
    agent.say(work, "Checked out 15594b2e19.")
    agent.say(work, "src/fog.c:3: error: no such lantern", "src/fog.c:9: error: no such lantern", level="error")
    agent.step(work, 0, "failed", "no such lantern")
    agent.end(work, "failed", code="step.failed", step="fetch", detail="no such lantern")


def test_a_run_from_its_plan_to_its_end(said: Said, client: Client, agent: FakeAgent) -> None:
    plan = words(said("run", "plan", "linux-release"))
    for part in ("linux-release", "A night on the bog", "fetch", "complete", "kiln-1", "never ran"):
        assert part in plan
    assert "Nothing waits" in said("run", "queue")
    assert "run start" in said("run", "list")
    start(client, "linux-release", "linux-unsigned")
    listed = words(said("run", "list"))
    assert "waiting" in listed
    assert "linux-unsigned" in listed
    waiting = words(said("run", "queue"))
    assert "linux-release" in waiting
    work = agent.work()
    agent.step(work, 0, "working")
    assert "working" in words(said("run", "list", "--state", "open"))
    assert "is working at fetch on kiln-1" in said("run", "cancel", "1", code=1)
    assert "stopping" in words(said("run", "cancel", "1", "--yes"))
    agent.end(work, "stopped")
    assert "cancelled" in words(said("run", "show", "1"))
    assert json.loads(said("run", "show", "1", "--json"))["state"] == "cancelled"


def test_a_failed_run_says_why_and_folds_its_errors(said: Said, client: Client, agent: FakeAgent) -> None:
    failed(client, agent)
    shown = words(said("run", "show", "1"))
    for part in ("✗ failed", "no such lantern", "kiln-1", "For the weekend."):
        assert part in shown
    log = said("run", "log", "1")
    assert log.count("error: no such lantern") == 2
    folded = said("run", "log", "1", "--errors")
    assert "2 x" in words(folded)
    assert "Run 2: linux-release" in said("run", "repeat", "1")
    assert "failed" in words(said("run", "list", "--state", "failed"))
    compared = said("run", "watch", "1", code=10)
    assert "failed" in compared


def test_agents_and_what_they_can(said: Said, client: Client, agent: FakeAgent) -> None:
    assert "kiln-1" in said("agent", "list")
    shown = words(said("agent", "show", "kiln-1"))
    for part in ("kiln-1", "idle", "4 cores"):
        assert part in shown, shown
    assert "paused" in words(said("agent", "pause", "kiln-1"))
    assert "paused" in words(said("agent", "list"))
    assert "kiln-1" in said("agent", "resume", "kiln-1")


@pytest.fixture
def two(client: Client, begun: Begun, tmp_path: Path) -> Client:
    """Two builds of which the second changed."""

    def fill() -> None:
        add_key(client)
        client.titles.add(DOCUMENT)
        folder = make_folder(tmp_path / "source", 200_000)
        build(client, folder, tmp_path / "state")
        change_folder(folder)
        build(client, folder, tmp_path / "state")

    begun(fill)
    return client


@pytest.mark.parametrize("list_", [("build", "list"), ("run", "list"), ("event", "list"), ("source", "tags")])
@pytest.mark.parametrize("rows", ["0", "-1"])
def test_a_list_of_no_rows_is_refused(said: Said, list_: tuple[str, str], rows: str) -> None:
    with pytest.raises(typer.BadParameter, match="greater than or equal to 1"):
        said(*list_, "--limit", rows)


def test_builds_are_listed_compared_and_kept(said: Said, two: Client) -> None:
    listed = words(said("build", "list"))
    for part in ("peatlight#2", "peatlight#1", "linux-release", "1.4.0", "ready"):
        assert part in listed
    compared = words(said("build", "compare", "peatlight#1", "peatlight#2"))
    for part in ("peatlight#1", "peatlight#2", "changed", "moved", "data/bog.arc"):
        assert part in compared, compared
    assert "No run made them" in compared or "by hand" in compared or "folder" in compared
    shown = words(said("build", "show", "peatlight#1"))
    for part in ("signed by quillback-2026", "base", "languages", "ratio"):
        assert part in shown
    files = words(said("build", "files", "peatlight#1"))
    assert "bin/peatlight" in files
    assert "bin/peatlight.sym" in words(said("build", "files", "peatlight#1", "--left-out"))


def test_retention_is_shown_before_anything_goes(said: Said, two: Client) -> None:
    assert "There is no policy" in said("build", "retention")
    set_ = words(said("build", "retention", "--keep-newest", "1"))
    assert "peatlight#1" in set_
    assert two.builds.retention(TITLE).policy == RetentionPolicy(keep_newest=1, keep_days=0)
    assert "confirm with --yes" in said("build", "retention", "--apply", code=1)
    assert [b.number for b in two.builds.all(TITLE, state="ready")] == [2, 1]
    assert "peatlight#1" in words(said("build", "retention", "--apply", "--yes"))
    assert [b.number for b in two.builds.all(TITLE, state="ready")] == [2]


def test_updates_and_the_store(said: Said, two: Client) -> None:
    matrix = words(said("update", "matrix"))
    for part in ("#1", "#2", "50 Mbit/s"):
        assert part in matrix, matrix
    for show in ("disk", "peak"):
        assert "#2" in said("update", "matrix", "--show", show)
    compared = words(said("update", "compare", "peatlight#1", "peatlight#2"))
    for part in ("base", "languages", "travels", "without differences", "Files that cost most"):
        assert part in compared, compared
    usage = words(said("store", "usage"))
    for part in ("packs", "peatlight", "MB"):
        assert part in usage, usage
    assert words(said("store", "collect", "--yes"))
    plan = words(said("depot", "plan", "peatlight#2", "--language", "fi"))
    assert "● gets it" in plan


def test_profiles_side_by_side(said: Said, two: Client) -> None:
    matrix = words(said("profile", "matrix"))
    for part in ("Signing", "identity", "quillback-2026", "entry", "bin/peatlight.cmd"):
        assert part in matrix, matrix
    assert len(said("profile", "matrix", "--differing")) < len(said("profile", "matrix"))
    resolved = words(said("profile", "resolve", "linux-release"))
    for part in ("launch.entry", "bin/peatlight", "line 18"):
        assert part in resolved
    compared = words(said("profile", "compare", "linux-release", "windows-release"))
    assert "launch.entry" in compared
    checked = words(said("profile", "check", code=0))
    assert "note" in checked
    assert "content.include" in words(said("profile", "settings"))


def test_titles_and_their_history(said: Said, two: Client) -> None:
    two.titles.revise(TITLE, DOCUMENT.replace("1.4.0", "1.5.0"), "The next version.", 1)
    assert "The next version." in said("title", "revisions")
    changed = words(said("title", "change", "2"))
    assert "1.5.0" in changed
    assert '"1.4.0"' in said("title", "export", "--revision", "1")
    assert "revision 3" in words(said("title", "restore", "1", "--yes"))
    listed = words(said("title", "list"))
    assert "Peatlight" in listed
    next_ = words(said("version", "next"))
    assert "linux-release" in next_
    assert "peatlight#1" in words(said("version", "history"))


def test_whether_runs_need_a_sandbox(said: Said, client: Client) -> None:
    client.titles.add(DOCUMENT)
    assert "only to agents with a sandbox" in said("title", "sandbox")
    assert "the agent's user can" in said("title", "sandbox", "--not-needed", code=1)
    assert "without a sandbox, too" in said("title", "sandbox", "--not-needed", "--yes")
    assert "only to agents with a sandbox" in said("title", "sandbox", "--needed")


def test_what_an_identity_may_sign_and_who_approves(
    said: Said, world: World, agent: FakeAgent, monkeypatch: pytest.MonkeyPatch
) -> None:
    name = "quillback-2026"
    assert said("key", "policy", name) == f"{name} signs whatever names it.\n"
    told = said(
        "key", "policy", name, "--branch", "main", "--branch", "tag/v*", "--purpose", "release", "--approvals", "1"
    )
    assert told.splitlines() == [
        f"{name} signs only:", "  purposes release", "  branches main, tag/v*", "  releases that 1 other person approved",
    ]  # fmt: skip
    assert "branches main, tag/v*" in said("key", "show", name)
    # What is not said stays; a hyphen lets all in again.
    told = said("key", "policy", name, "--purpose", "-", "--per-day", "40")
    assert "purposes" not in told
    assert "40 times in 24 hours" in told
    said("run", "start", "linux-release", "--title", "peatlight")
    with refuses("approval.own"):
        said("run", "approve", "1")
    monkeypatch.setattr("rampa.client.Client", lambda *_, **__: world.client(Role.ENGINEER))
    assert said("run", "approve", "1") == "peatlight run 1 is approved by Engineer.\n"
    assert json.loads(said("key", "policy", name, "--json"))["approvals"] == 1
