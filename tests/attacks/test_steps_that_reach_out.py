"""Programs of a run that want more than the run's folders: the agent's key, other runs, the network, a life after the step."""

from __future__ import annotations

import contextlib
import os
import socket
import sys
import threading
import time
from dataclasses import dataclass
from pathlib import Path

import psutil
import pytest

from rampa.agent import isolation
from rampa.agent.isolation import Bare, NotStarted, Sandbox, find_sandbox
from rampa.agent.process import Ended, Limits, run_program
from rampa.agent.self_test import self_test
from rampa.agent.settings import UID
from rampa.core.bundle.desktop import write_desktop
from rampa.core.bundle.zip_writer import Member

SANDBOX, WHY_NOT = find_sandbox([])
pytestmark = pytest.mark.skipif(SANDBOX is None, reason=f"this machine has no sandbox: {WHY_NOT}")
USER = UID + 40 if os.geteuid() == 0 else None


@dataclass
class Yard:
    """An agent's folder: its key, another run's files, and one run's own folder."""

    root: Path
    own: Path

    def run(self, script: str, *, network: bool = False, **environment: str) -> tuple[Ended, str]:
        assert SANDBOX
        place = SANDBOX.for_run(USER, [self.own], network=network)
        said: list[bytes] = []
        surroundings = {"PATH": os.defpath, **environment}
        words = ["sh", "-c", script]
        ended = run_program(words, self.own, surroundings, Limits(60), said.append, threading.Event(), place)
        return ended, b"".join(said).decode()


@pytest.fixture
def yard(tmp_path: Path) -> Yard:
    (tmp_path / "agent.pem").write_text("the agent's key")
    (tmp_path / ".netrc").write_text("password of somebody")
    other = tmp_path / "runs/fogbound-7-1/source"
    other.mkdir(parents=True)
    (other / "plan.txt").write_text("another title's plan")
    own = tmp_path / "runs/peatlight-3-1/source"
    own.mkdir(parents=True)
    if USER is not None:
        os.chown(own, USER, USER)
    # Open, so that what keeps it apart is the sandbox and not the rights of files.
    for path in (tmp_path, *tmp_path.parents[:-2]):
        if path.owner() == Path.home().owner() and os.access(path, os.W_OK):
            path.chmod(path.stat().st_mode | 0o055)
    return Yard(tmp_path, own)


def test_it_sees_its_own_folder_and_the_system_s_programs(yard: Yard) -> None:
    files = [yard.root / "agent.pem", yard.root / ".netrc", yard.root / "runs/fogbound-7-1/source/plan.txt"]
    ended, said = yard.run(
        f"(cat {' '.join(map(str, files))}; ls {yard.root} {yard.root}/runs /work /home /var) 2>/dev/null; id -u"
    )
    for secret in ("agent's key", "somebody", "another title", "fogbound", "agent.pem"):
        assert secret not in said
    assert said.split()[-1] == str(USER if USER is not None else os.geteuid())
    assert ended.code == 0


def test_it_reads_nothing_of_other_processes(yard: Yard, monkeypatch: pytest.MonkeyPatch) -> None:
    """A step read the agent's token, the database's address and the master key from beside it."""
    monkeypatch.setenv("RAMPA_MASTER_KEY_FILE", "/where/it/lies")
    _, said = yard.run("cat /proc/[0-9]*/environ | tr '\\0' '\\n'; ls -d /proc/[0-9]* | wc -l; env", TOKEN="its own")
    assert "RAMPA" not in said
    assert "TOKEN=its own" in said
    count = next(int(line) for line in said.splitlines() if line.strip().isdigit())
    assert count < 12


def test_it_writes_nothing_outside(yard: Yard) -> None:
    mark = f"rampa-mark-{os.getpid()}"
    _, said = yard.run(
        f"touch here && echo wrote; touch /usr/{mark} /etc/{mark} /opt/{mark} {yard.root}/{mark} {yard.root}/runs/{mark};"
        f" touch /tmp/{mark} /dev/shm/{mark} && echo private; mount --bind /etc /usr || echo unmounted"
    )
    assert "wrote" in said
    assert "unmounted" in said
    assert (yard.own / "here").exists()
    for folder in ("/usr", "/etc", "/opt", "/tmp", "/dev/shm", yard.root, yard.root / "runs"):
        assert not (Path(folder) / mark).exists()


def test_it_has_the_network_where_its_profile_says_so(yard: Yard) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]
        connect = f'python3 -c \'import socket; socket.create_connection(("127.0.0.1", {port}), 5); print("through")\''
        assert "through" not in yard.run(connect)[1]
        assert "through" in yard.run(connect, network=True)[1]


def test_what_forks_away_ends_with_the_step(yard: Yard) -> None:
    mark = f"8{os.getpid():07d}"
    ended, said = yard.run(
        f"(setsid sleep {mark} >/dev/null 2>&1 &) ; (trap '' TERM HUP; setsid sleep {mark} &) ; echo begun"
    )
    assert (ended.code, "begun" in said) == (0, True)
    until = time.monotonic() + 60
    while left := [p.pid for p in psutil.process_iter() if mark in _words(p)]:
        assert time.monotonic() < until, left
        time.sleep(0.05)


def _words(process: psutil.Process) -> list[str]:
    with contextlib.suppress(psutil.Error):
        return list(process.cmdline())
    return []


def test_it_ends_nothing_of_others(yard: Yard) -> None:
    ended, _ = yard.run("kill -9 -1; kill -9 1; true")
    assert psutil.pid_exists(os.getpid())
    assert ended.why == ""


def test_its_environment_reaches_no_program_but_its_own(yard: Yard) -> None:
    """What it says to load would be loaded into programs that are still root."""
    _, said = yard.run("true", LD_PRELOAD="/nowhere/fog.so")
    assert said.count("/nowhere/fog.so") == 1
    _, said = yard.run("echo $PYTHONHOME", PYTHONHOME="/nowhere", PYTHONPATH="/nowhere", PYTHONINSPECT="1")
    assert said == "/nowhere\n"


def test_a_step_that_ends_leaves_another_s_of_the_same_user_alone(yard: Yard) -> None:
    """Two agents of one machine gave their runs the same user, and the end of one step killed the other's."""
    ended: list[Ended] = []
    other = threading.Thread(
        target=lambda: ended.append(yard.run("touch begun; while ! test -e go; do sleep 0.1; done")[0])
    )
    other.start()
    until = time.monotonic() + 60
    while not (yard.own / "begun").exists():
        assert time.monotonic() < until
        time.sleep(0.05)
    assert yard.run("true")[0].well
    (yard.own / "go").touch()
    other.join(60)
    assert ended[0].well


def test_it_gains_no_rights(yard: Yard) -> None:
    _, said = yard.run("grep -E 'NoNewPrivs|CapEff|CapPrm' /proc/self/status; unshare -m true && echo apart")
    assert "NoNewPrivs:\t1" in said
    assert said.count("0000000000000000") == 2


def test_what_a_sandbox_cannot_start_is_said(yard: Yard) -> None:
    assert SANDBOX
    (yard.own / "closed").write_text("#!/bin/sh\n")
    place = SANDBOX.for_run(USER, [yard.own], network=False)
    for words, why in ((["no-such-program"], "missing"), ([str(yard.own / "closed")], "closed")):
        with pytest.raises(NotStarted) as caught:
            place.start(words, yard.own, {"PATH": os.defpath})
        assert caught.value.why == why
    gone = SANDBOX.for_run(USER, [yard.root / "gone"], network=False)
    with pytest.raises(NotStarted, match="isolation"):
        gone.start(["true"], yard.own, {})
    assert yard.run("kill -SEGV $$")[0].words() == "signal SIGSEGV"


def test_a_self_test_runs_apart_too(yard: Yard) -> None:
    """It ran as the agent's user, even where steps did not."""
    assert SANDBOX
    program = f"#!/bin/sh\nid -u; cat {yard.root}/agent.pem; touch {yard.own}/it-was-here\nexit 0\n".encode()
    bundle = yard.root / "peatlight.zip"
    with bundle.open("wb") as out:
        write_desktop(out, "zip", "peatlight", [Member("bin/peatlight", program, len(program), True)])
    scratch = yard.root / "scratch"
    scratch.mkdir()
    place = SANDBOX.for_run(USER, [scratch], network=False)
    done = self_test(bundle, "bin/peatlight", place=place, scratch=scratch)
    assert (done.ran, done.passed) == (True, True), done
    assert "agent's key" not in done.said
    assert done.said.split()[0] == str(USER if USER is not None else os.geteuid())
    assert not (yard.own / "it-was-here").exists()


@pytest.fixture
def nobody(monkeypatch: pytest.MonkeyPatch) -> None:
    """The system's own Python: that of the tests may lie where only root comes."""
    if os.geteuid() != 0 or not Path("/usr/bin/python3").exists():
        pytest.skip("only root becomes somebody else, with the system's Python")
    monkeypatch.setattr(isolation, "PYTHON", Path(os.path.realpath("/usr/bin/python3")))
    monkeypatch.setattr(isolation, "PREFIX", Path("/usr"))


def test_an_agent_that_is_not_root_keeps_apart_as_well(yard: Yard, nobody: None) -> None:
    assert SANDBOX
    own = Path("/var/tmp") / f"rampa-user-{os.getpid()}"
    own.mkdir(mode=0o777)
    (own / "key").write_text("the agent's key")
    (own / "source").mkdir()
    for path in (own, own / "key", own / "source"):
        os.chown(path, 65_534, 65_534)
    reads, writes = os.pipe()
    child = os.fork()
    if child == 0:
        _as_nobody(Sandbox(SANDBOX.program, writable=(own / "source",)), own, writes)
    os.close(writes)
    with os.fdopen(reads, "rb") as stream:
        said = stream.read().decode()
    os.waitpid(child, 0)
    for path in (own / "key", own / "source/here", own / "source", own):
        path.unlink(missing_ok=True) if path.is_file() else path.rmdir() if path.is_dir() else None
    if "no namespaces" in said:
        pytest.skip("the system gives a user no namespaces")
    assert "uid 65534" in said
    assert "the agent's key" not in said
    assert "wrote" in said


def _as_nobody(place: Sandbox, own: Path, out: int) -> None:
    """In a child: never comes back."""
    try:
        os.setgroups([])
        os.setresgid(65_534, 65_534, 65_534)
        os.setresuid(65_534, 65_534, 65_534)
        script = f"echo uid $(id -u); cat {own}/key; touch {own}/source/here && echo wrote"
        process = place.start(["sh", "-c", script], own / "source", {"PATH": os.defpath})
        os.write(out, process.communicate()[0])
    except NotStarted as error:
        os.write(out, b"no namespaces" if error.why == "isolation" else error.why.encode())
    except BaseException as error:
        os.write(out, repr(error).encode())
    os._exit(0)


def test_without_a_sandbox_it_is_said(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("PATH", str(tmp_path))
    assert find_sandbox([]) == (None, "bubblewrap is not installed: apt-get install bubblewrap")
    (tmp_path / "bwrap").write_text("#!/bin/sh\nexit 1\n")
    (tmp_path / "bwrap").chmod(0o755)
    assert find_sandbox([]) == (None, "the system gives bubblewrap no namespaces of its own")
    assert Bare().user is None
    assert sys.platform == "linux"
