"""Programs under limits, as whole groups, as another user; toolchains found; work folders tidied."""

from __future__ import annotations

import os
import sys
import threading
import time
from pathlib import Path

import psutil
import pytest

from rampa.agent.isolation import Bare, Place
from rampa.agent.process import Ended, Limits, run_program
from rampa.agent.settings import UID, AgentSettings, abilities
from rampa.agent.toolchains import find_toolchains
from rampa.agent.work_folder import end_leftovers, finish_folder, make_folder, tidy
from rampa.schema.agents import Work
from tests.refusals import refuses

ROOMY = Limits(20)


def run(
    folder: Path,
    *words: str,
    limits: Limits = ROOMY,
    stop: threading.Event | None = None,
    place: Place = Bare(),
) -> tuple[Ended, str]:
    said: list[bytes] = []
    environment = {"PATH": os.environ["PATH"]}
    ended = run_program(words, folder, environment, limits, said.append, stop or threading.Event(), place)
    return ended, b"".join(said).decode()


def test_both_streams_and_the_end(tmp_path: Path) -> None:
    ended, said = run(tmp_path, "sh", "-c", "echo out; echo err >&2; exit 3")
    assert sorted(said.split()) == ["err", "out"]
    assert (ended.code, ended.why, ended.well, ended.words()) == (3, "", False, "exit code 3")
    assert run(tmp_path, "sh", "-c", "kill -SEGV $$")[0].words() == "signal SIGSEGV"
    assert run(tmp_path, "no-such-program")[0].why == "missing"
    (tmp_path / "closed").write_text("#!/bin/sh\n")
    assert run(tmp_path, str(tmp_path / "closed"))[0].why == "closed"


def test_nothing_of_the_agent_s_own_surroundings_is_handed_on(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RAMPA_TOKEN", "rampa-token-of-the-agent")
    assert "rampa-token" not in run(tmp_path, "env")[1]


@pytest.mark.parametrize(
    ("words", "limits", "why"),
    [
        (("sleep", "60"), Limits(0.5), "time"),
        (("yes",), Limits(20, output=100_000), "output"),
        (
            (sys.executable, "-c", "b = b'x' * 300_000_000; import time; time.sleep(60)"),
            Limits(20, memory=150_000_000),
            "memory",
        ),
        (("sleep", "60"), Limits(20, least_free=2**60), "disk"),
    ],
)
def test_limits(tmp_path: Path, words: tuple[str, ...], limits: Limits, why: str) -> None:
    began = time.monotonic()
    assert run(tmp_path, *words, limits=limits)[0].why == why
    assert time.monotonic() - began < 15


def test_a_program_that_will_not_listen_is_killed_with_its_children(tmp_path: Path) -> None:
    stop = threading.Event()
    script = "trap '' TERM; sleep 300 & echo $!; setsid sleep 301 & echo $!; while :; do sleep 1; done"
    threading.Timer(1.5, stop.set).start()
    ended, said = run(tmp_path, "bash", "-c", script, stop=stop)
    assert ended.why == "stopped"
    # What was killed goes a moment later: a busy machine needs it.
    until = time.monotonic() + 60
    while left := [pid for pid in map(int, said.split()) if _runs(pid)]:
        assert time.monotonic() < until, left
        time.sleep(0.05)


def _runs(pid: int) -> bool:
    try:
        return bool(psutil.Process(pid).status() != psutil.STATUS_ZOMBIE)
    except psutil.NoSuchProcess:
        return False


def test_what_is_left_in_the_background_does_not_hold_the_step(tmp_path: Path) -> None:
    began = time.monotonic()
    ended, said = run(tmp_path, "sh", "-c", "sleep 300 & echo begun")
    assert (ended.code, said) == (0, "begun\n")
    assert time.monotonic() - began < 10


@pytest.mark.skipif(os.geteuid() != 0, reason="only root gives steps another user")
def test_as_another_user(tmp_path: Path) -> None:
    open_to_all = Path("/tmp") / f"rampa-user-{os.getpid()}"
    open_to_all.mkdir(mode=0o755)
    try:
        ended, said = run(open_to_all, "sh", "-c", "id -u; id -g; touch here || echo refused", place=Bare(UID))
        assert ended.code == 0
        assert said.split()[:2] == [str(UID), str(UID)]
        assert "refused" in said
    finally:
        open_to_all.rmdir()


def chain(folder: Path, text: str) -> Path:
    (folder / "lantern.toolchain.toml").write_text(text)
    return folder


def test_toolchains_are_asked(tmp_path: Path) -> None:
    (tmp_path / "tool").write_text(
        '#!/bin/sh\ncase $1 in --version) echo "lantern 3.3.0 (stand-in)";; *) echo terms 2026;; esac\n'
    )
    (tmp_path / "tool").chmod(0o755)
    said = 'name = "lantern"\ncommand = ["{here}/tool"]\nlicences = ["accepted"]\nplatforms = ["linux"]\n'
    (found,) = find_toolchains([chain(tmp_path, said)])
    assert (found.toolchain.version, found.toolchain.licences, found.toolchain.platforms) == (
        "3.3.0",
        ("terms 2026",),
        ("linux",),
    )
    assert find_toolchains([chain(tmp_path, 'name = "lantern"\ncommand = ["no-such"]\n')]) == []
    for wrong in ("name = 3\n", 'name = "x"\n', 'name = "x"\ncommand = ["y"]\ncolour = 1\n', "["):
        with refuses("toolchain.file", "description"):
            find_toolchains([chain(tmp_path, wrong)])


def test_work_folders_are_kept_by_policy_and_tidied(tmp_path: Path) -> None:
    settings = AgentSettings("kiln-1", tmp_path, user=False, kept=2)
    assert abilities(settings, []).disk > 0

    def one(number: int, result: str) -> Path:
        work = Work.model_construct(title="peatlight", run=number, attempt=1)  # type: ignore[call-arg]
        folder = make_folder(settings, work, 0)
        (folder.source / "locked").mkdir()
        (folder.source / "locked/file").write_text("x")
        (folder.source / "locked").chmod(0o500)
        finish_folder(settings, folder, result)
        return folder.root

    done = one(1, "done")
    failed = [one(n, "failed") for n in (2, 3, 4)]
    assert not done.exists()
    assert [f.exists() for f in failed] == [False, True, True]
    assert end_leftovers(settings) == 0
    assert tidy(settings)[0] == 2
    assert not any(f.exists() for f in failed)
