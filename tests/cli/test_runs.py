"""Commands about sources, runs, agents, triggers and groups, by real processes: the service, a worker, an agent."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.test_commands import Shell
from tests.conftest import OWNER, Live
from tests.ends.machines import Machines, until
from tests.gits import peatlight
from tests.samples import DOCUMENT, add_key

BROKEN = DOCUMENT.replace(
    "[depots.base]",
    """[profiles.broken]
platform = "linux"
purpose = "testing"
code.architectures = ["x86_64"]
launch.entry = "bin/peatlight"
output.bundle = "{title}-{version}-{code}-broken"
toolchain.steps = ["fetch", "wrong"]

[steps.wrong]
command = ["sh", "-c", "echo \\"error: no such lantern\\"; exit 3"]

[depots.base]""",
    1,
)


@pytest.fixture
def shell(live: Live, tmp_path: Path) -> Iterator[Shell]:
    made = Shell(live, tmp_path / "home")
    made.run("sign-in", live.address, "--email", OWNER)
    with live.client() as client:
        add_key(client)
        client.titles.add(BROKEN)
        machines = Machines(live, client, tmp_path)
        machines.worker()
        machines.agent("kiln-1")
        yield made
        machines.stop()


def test_from_a_repository_to_builds(shell: Shell, tmp_path: Path) -> None:
    repo = peatlight(tmp_path / "peatlight", BROKEN)
    repo.git("tag", "v1.4.0")
    repo.git("branch", "fog")
    assert "no repository to build from" in shell.run("run", "start", "linux-release", code=4).stderr
    bad = shell.run("source", "connect", str(tmp_path / "nowhere"), code=8)
    assert "could not be fetched" in bad.stderr
    assert "it is no address" in shell.run("source", "connect", "ext::sh -c true", code=1).stderr
    assert "2 branches, 1 tag" in shell.run("source", "connect", str(repo.root), "--every", "0").stdout
    assert shell.run("source", "document").stdout == BROKEN
    assert "A night on the bog" in shell.run("source", "commits").stdout
    assert {r["name"] for r in shell.json("source", "branches")} == {"main", "fog"}
    shell.run("source", "default", "ma*", "--profile", "linux-release", "--profile", "linux-unsigned")
    plan = shell.run("run", "plan").stdout
    for words in ("fetch", "complete", "agent kiln-1 (idle): can do it", "not known yet: it never ran"):
        assert words in plan
    assert "no run starts" in shell.run("run", "start", "linux-release", "--variables", "none", code=6).stderr
    watched = shell.run("run", "start", "--note", "For the weekend.", "--watch")
    assert "run 1 linux-release: done: peatlight#" in watched.stdout
    assert "run 2 linux-unsigned: done: peatlight#" in watched.stdout
    failed = shell.run("run", "start", "broken", "--at", "v1.4.0", "--watch", code=10)
    assert "The step wrong ended with exit code 3: error: no such lantern" in failed.stderr
    assert shell.run("run", "watch").stderr.startswith("No run is open")
    shown = shell.run("run", "show", "3").stdout
    assert "✗ failed" in shown
    assert "error: no such lantern" in shown
    assert "error: no such lantern" in shell.run("run", "log", "3").stdout
    assert "1 x" in shell.run("run", "log", "3", "--errors").stdout
    assert [r["number"] for r in shell.json("run", "list", "--state", "failed")] == [3]
    assert "cancel is not possible now" in shell.run("run", "cancel", "3", "--yes", code=5).stderr
    assert "Run 4: broken at v1.4.0" in shell.run("run", "repeat", "3").stdout
    assert shell.json("agent", "show", "kiln-1")["name"] == "kiln-1"
    compared = shell.run("build", "compare", "1", "2").stdout
    assert "Both were built from the same commit." in compared
    assert "purpose" in compared
    assert "1 file" in shell.run("build", "symbols", "peatlight#1", "--to", str(tmp_path / "symbols")).stdout
    shell.run("build", "pin", "1")
    assert "There is no policy" in shell.run("build", "retention").stdout
    assert "kiln-1" in shell.run("agent", "list").stdout


def test_groups_triggers_folders_and_tokens(shell: Shell, tmp_path: Path) -> None:
    repo = peatlight(tmp_path / "peatlight", BROKEN)
    tried = shell.run("source", "try", str(repo.root))
    assert tried.stdout == BROKEN
    assert "It stands in the repository" in tried.stderr
    shell.run("source", "connect", str(repo.root), "--every", "0")
    assert "There is no such tag" in shell.run("source", "tags").stderr
    repo.git("tag", "v1.4.0")
    assert "1 branch, 1 tag" in shell.run("source", "fetch").stdout
    assert "v1.4.0" in shell.run("source", "tags", "--search", "1.4").stdout
    assert "only when asked" in shell.run("source", "show").stdout
    shell.environment["LANTERN"] = "lantern-4f9c2a7e"
    shell.run("variables", "set", "desktop", "PACE=1", "--secret", "LANTERN")
    shown = shell.run("variables", "show", "desktop")
    assert "lantern-4f9c2a7e" not in shown.stdout
    assert "••• (secret)" in shown.stdout
    shell.run("variables", "set", "desktop", "PACE=2", "--drop", "LANTERN")
    assert shell.json("variables", "show", "desktop")["variables"] == {"PACE": "2"}
    assert "does not read NAME=VALUE" in shell.run("variables", "set", "x", "PACE", code=1).stderr
    shell.run("variables", "set", "fog", "DENSITY=3", "--note", "For the bog.")
    assert "DENSITY" in shell.run("variables", "list").stdout
    gone = shell.run("variables", "remove", "fog", "--yes")
    assert "fog holds 1 variable and 0 secrets." in gone.stderr
    assert [v["name"] for v in shell.json("variables", "list")] == ["desktop"]
    assert "no step variables" in shell.run("variables", "remove", "fog", "--yes", code=4).stderr
    matched = shell.run("trigger", "match", "ma*").stdout
    assert "main" in matched
    assert "matches" in matched
    added = shell.run("trigger", "add", "main", "--branch", "ma*", "--profile", "linux-unsigned", "--yes")
    assert "ma* matches today: main." in added.stderr
    assert "give one of" in shell.run("trigger", "add", "none", code=1).stderr
    assert (
        "five fields" in shell.run("trigger", "add", "n", "--schedule", "daily", "--at", "main", "--yes", code=1).stderr
    )
    assert len(shell.run("trigger", "add", "pushed", "--call", "--yes").stdout.split()[-1]) > 40
    shell.run("trigger", "switch", "main", "--off")
    assert "branch, off" in shell.run("trigger", "list").stdout
    shell.run("trigger", "remove", "main", "--yes")
    assert "No folder was uploaded" in shell.run("source", "folders").stderr
    uploaded = shell.run("source", "upload", str(repo.root), "--note", "The fog fix, by hand.")
    assert "Folder 1:" in uploaded.stdout
    assert "The fog fix, by hand." in shell.run("source", "folders").stdout
    done = shell.run("run", "start", "linux-unsigned", "--folder", "1", "--watch")
    assert "linux-unsigned: done" in done.stdout
    assert "--code" in shell.run("agent", "enrol", "yard").stdout
    shell.run("agent", "pause", "kiln-1")
    until(lambda: "paused" in shell.run("agent", "list").stdout, "the agent is paused")
    shell.run("agent", "resume", "kiln-1")
    assert "its key opens nothing any more" in shell.run("agent", "remove", "kiln-1", "--yes").stdout
