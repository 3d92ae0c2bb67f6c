"""Runs with real processes: service processes, workers of the queue, agents; killed, cut off, full, cancelled."""

from __future__ import annotations

import base64
import os
import signal
import socket
import subprocess
import sys
import time
import uuid
from collections import Counter
from pathlib import Path

import psutil
import pytest
from demo.lantern_export.installing import install

from rampa.client import Client
from rampa.client.sources.folders import upload_folder
from rampa.local.postgres import free_port
from rampa.local.service import start_service, stop
from rampa.schema.runs import NewRuns, Run
from rampa.schema.sources import SourceIn, StepVariablesIn
from tests.conftest import Live
from tests.ends.machines import ENDED, Line, Machines, until
from tests.gits import Repo, peatlight
from tests.nursery import nursery
from tests.samples import DOCUMENT, add_key

TITLE = "peatlight"
SECRET = "lantern-4f9c2a7e"
TALK = """
import base64, os, sys, time
secret = os.environ["TOKEN"]
print("signed in with", secret, flush=True)
for piece in (secret[:5], secret[5:], "\\n"):
    sys.stdout.write(piece); sys.stdout.flush(); time.sleep(0.05)
print("basic " + base64.b64encode(("iida:" + secret).encode()).decode(), flush=True)
open(os.environ["RAMPA_OUT"] + "/told", "a").close()
"""
MARK = uuid.uuid4().hex
"""In the command of a child: what its number is outside of the sandbox, a step cannot say."""
SLEEP = f"""
import subprocess, sys, time
child = subprocess.Popen([sys.executable, "-c", "import os, time; os.setsid(); time.sleep(600)  # {MARK}"])
print("child", flush=True)
for n in range(6000):
    print("fog", n, flush=True); time.sleep(0.1)
"""
GREEDY = "held = [bytearray(b'x' * 2**20) for _ in range(400)]\nimport time\ntime.sleep(60)\n"
SLOW = "import time\nfor n in range(40): print(n, flush=True); time.sleep(0.1)\n"
STEPS = """
[steps.talk]
command = ["python3", "tools/talk.py"]
secrets = ["TOKEN"]

[steps.sleep]
command = ["python3", "tools/sleep.py"]

[steps.slow]
command = ["python3", "tools/slow.py"]

[steps.late]
command = ["python3", "tools/sleep.py"]
seconds = 1

[steps.greedy]
command = ["python3", "tools/greedy.py"]
memory = 128

[steps.chatty]
command = ["yes", "fog"]
output = 100

[steps.missing]
command = ["no-such-program"]

[steps.flaky]
command = ["sh", "-c", "test -e $HOME/tried || { touch $HOME/tried; exit 3; }"]
retries = 1

[steps.afterwards]
command = ["sh", "-c", "echo afterwards"]
when = "failure"
"""
SINGLE = ("talk", "sleep", "late", "greedy", "chatty", "missing", "flaky", "slow")


def document() -> str:
    profiles = "".join(
        f"""
[profiles.{name}]
platform = "linux"
purpose = "testing"
code.architectures = ["x86_64"]
launch.entry = "bin/peatlight"
output.bundle = "{{title}}-{{version}}-{{code}}-{name}"
toolchain.variables = "desktop"
toolchain.steps = ["fetch", "{name}", "collect", "check", "bundle", "complete", "afterwards"]
"""
        for name in SINGLE
    )
    return DOCUMENT + profiles + STEPS


@pytest.fixture
def repo(client: Client, machines: Machines, tmp_path: Path) -> Repo:
    add_key(client)
    client.titles.add(document())
    client.variables.put("desktop", StepVariablesIn(secrets={"TOKEN": SECRET}))
    made = peatlight(tmp_path / "peatlight", document())
    tools = {"talk": TALK, "sleep": SLEEP, "greedy": GREEDY, "slow": SLOW}
    made.commit("Tools", {f"tools/{name}.py": text for name, text in tools.items()})
    client.sources.connect(TITLE, SourceIn(address=str(made.root), every=0))
    until(lambda: client.sources.get(TITLE).fetched_at, "the repository was fetched")
    return made


def start(client: Client, *profiles: str, **more: object) -> list[int]:
    return [r.number for r in client.runs.start(TITLE, NewRuns(profiles=list(profiles), **more))]


def ended(client: Client, number: int, seconds: float = 60) -> Run:
    until(lambda: client.runs.get(TITLE, number).state in ENDED, f"run {number} ended", seconds)
    return client.runs.get(TITLE, number)


def text(client: Client, number: int) -> str:
    return b"".join(client.runs.log_text(TITLE, number)).decode()


def test_two_services_two_workers_and_three_agents_build_everything_once(
    client: Client, repo: Repo, machines: Machines, live: Live
) -> None:
    port = free_port()
    second = start_service(live.folder, live.url, port, None, start=nursery().start_child)
    try:
        machines.worker()
        for n, name in enumerate(("kiln-1", "loft-2", "yard-3")):
            machines.agent(name, "--at-once", "2", address=f"http://127.0.0.1:{port}" if n else "")
        numbers = [n for _ in range(6) for n in start(client, "linux-release", "windows-release", "linux-unsigned")]
        runs = [ended(client, n, 120) for n in numbers]
        assert Counter(r.state for r in runs) == {"done": 18}
        assert {r.attempt for r in runs} == {1}
        assert len({r.agent for r in runs}) == 3
        assert len({r.build for r in runs}) == 18
        builds = list(client.builds.all(TITLE))
        assert Counter(b.state for b in builds) == {"ready": 18}
        for platform, count in (("linux", 12), ("windows", 6)):
            assert sorted(b.version_code for b in builds if b.platform == platform) == list(range(1, count + 1))
        for run in runs:
            assert text(client, run.number).count("Given to agent") == 1
    finally:
        stop(second, signal.SIGTERM)


def test_an_agent_killed_in_a_run_loses_it_to_another(client: Client, repo: Repo, machines: Machines) -> None:
    machines.agent("kiln-1")
    (number,) = start(client, "slow")
    until(lambda: client.runs.get(TITLE, number).log_lines > 8, "the step spoke")
    machines.kill("kiln-1")
    machines.agent("loft-2")
    run = ended(client, number)
    assert (run.state, run.attempt, run.agent) == ("done", 2, "loft-2")
    assert [s.state for s in run.attempts[0].steps] == ["done", "stopped"]
    said = text(client, number)
    assert "kiln-1 was silent for" in said
    assert said.index("Given to agent kiln-1") < said.index("Given to agent loft-2, attempt 2")
    codes = [b.version_code for b in client.builds.all(TITLE)]
    assert len(codes) == len(set(codes))


def test_what_a_killed_agent_left_running_is_ended_when_it_starts_again(
    client: Client, repo: Repo, machines: Machines
) -> None:
    machines.agent("kiln-1")
    (number,) = start(client, "sleep")
    until(lambda: "child" in text(client, number), "the step began")
    machines.kill("kiln-1")
    machines.agent("kiln-1")
    client.runs.cancel(TITLE, number)
    until(lambda: not alive() or client.runs.get(TITLE, number).state in ENDED, "the child ended")
    assert ended(client, number).state == "cancelled"


def test_the_network_gone_for_a_while(client: Client, repo: Repo, machines: Machines, live: Live) -> None:
    line = Line(live.port)
    machines.agent("kiln-1", address=line.address)
    (short,) = start(client, "slow")
    until(lambda: client.runs.get(TITLE, short).log_lines > 6, "the step spoke")
    line.cut()
    time.sleep(2)
    line.fix()
    run = ended(client, short)
    assert (run.state, run.attempt) == ("done", 1)
    said = [line for line in text(client, short).splitlines() if " slow " in line]
    assert [int(line.split()[-1]) for line in said if line.split()[-1].isdigit()] == list(range(40))
    (long,) = start(client, "slow")
    until(lambda: client.runs.get(TITLE, long).log_lines > 6, "the step spoke")
    line.cut()
    machines.agent("loft-2")
    run = ended(client, long)
    assert (run.state, run.attempt, run.agent) == ("done", 2, "loft-2")
    line.fix()
    until(lambda: {a.name: a.state for a in client.agents.all()}["kiln-1"] == "idle", "the agent came back")
    assert client.runs.get(TITLE, long).state == "done"
    line.close()


def alive() -> bool:
    """Whether the child of `sleep` runs."""
    for one in psutil.process_iter(["cmdline", "status"]):
        if one.info["status"] != "zombie" and any(MARK in word for word in one.info["cmdline"] or ()):
            return True
    return False


def test_cancelling_ends_everything_that_runs_within_seconds(client: Client, repo: Repo, machines: Machines) -> None:
    machines.agent("kiln-1")
    (number,) = start(client, "sleep")
    until(lambda: "fog 3" in text(client, number), "the step spoke")
    assert alive()
    began = time.monotonic()
    client.runs.cancel(TITLE, number)
    assert ended(client, number).state == "cancelled"
    until(lambda: not alive(), "a child in a session of its own ended, too", 10)
    assert time.monotonic() - began < 15
    assert not (machines.root / "kiln-1" / "runs" / f"{TITLE}-{number}-1").exists()


def test_secrets_never_show_and_a_title_s_own_step_runs(client: Client, repo: Repo, machines: Machines) -> None:
    machines.agent("kiln-1", "--keep", "always")
    (number,) = start(client, "talk")
    assert ended(client, number).state == "done"
    said = text(client, number)
    assert "signed in with •••" in said
    for shape in (SECRET, SECRET[4:], base64.b64encode(f"iida:{SECRET}".encode()).decode()[8:-4]):
        assert shape not in said
    build = client.builds.get(TITLE, client.runs.get(TITLE, number).build)
    assert SECRET not in build.model_dump_json()
    assert (machines.root / "kiln-1" / "runs" / f"{TITLE}-{number}-1" / "out" / "told").exists()


@pytest.mark.parametrize(
    ("profile", "code", "said"),
    [
        ("late", "time.limit", "The step late took longer than its limit of 1 s"),
        ("greedy", "memory.limit", "The step greedy needed more memory than its limit of 128 MiB"),
        ("chatty", "output.limit", "The step chatty wrote more than its limit of 100 kB into the log"),
        ("missing", "program.missing", "The program no-such-program is not on kiln-1"),
    ],
)
def test_limits_end_a_step_with_that_cause(
    client: Client, repo: Repo, machines: Machines, profile: str, code: str, said: str
) -> None:
    machines.agent("kiln-1")
    (number,) = start(client, profile)
    run = ended(client, number)
    assert run.cause
    assert (run.state, run.cause.code, run.cause.sentence) == ("failed", code, said)
    assert run.attempts[0].steps[-1].state == "done"
    assert "afterwards" in text(client, number)


def test_a_step_that_fails_once_is_tried_again(client: Client, repo: Repo, machines: Machines) -> None:
    machines.agent("kiln-1")
    (number,) = start(client, "flaky")
    run = ended(client, number)
    assert run.state == "done"
    assert run.attempts[0].steps[1].tries == 2
    assert run.attempts[0].steps[-1].state == "left-out"


def test_a_full_disk_is_the_cause(client: Client, repo: Repo, machines: Machines) -> None:
    machines.agent("kiln-1", "--least-free", str(2**30))
    (number,) = start(client, "linux-unsigned")
    run = ended(client, number)
    assert run.cause
    assert (run.cause.code, run.cause.sentence) == ("disk.full", "The disk of kiln-1 is full")


def test_an_uploaded_folder_is_built_with_its_symbols_apart(
    client: Client, repo: Repo, machines: Machines, tmp_path: Path
) -> None:
    machines.agent("kiln-1")
    folder, _, _ = upload_folder(client, TITLE, repo.root, "", lambda *_: None)
    (number,) = start(client, "linux-release", folder=folder.number)
    run = ended(client, number)
    build = client.builds.get(TITLE, run.build)
    assert (run.state, build.commit, build.signed, build.symbols_files) == ("done", "", True, 1)
    assert not [f for f in client.builds.files(TITLE, build.number) if f.path.endswith(".sym")]
    from rampa.client.builds.symbols import bring_symbols

    bring_symbols(client, TITLE, build.number, tmp_path / "symbols")
    assert (tmp_path / "symbols/bin/peatlight.sym").read_text() == "0000 start\n"


def test_submodules_and_pointers(client: Client, repo: Repo, machines: Machines, tmp_path: Path) -> None:
    fonts = Repo(tmp_path / "fonts")
    fonts.commit("A face", {"face.txt": "slab"})
    repo.git("submodule", "add", "-q", "../fonts", "data/fonts")
    pointer = "version https://quillback.example/spec/v1\noid sha256:" + "a" * 64 + "\nsize 12345\n"
    repo.commit("Fonts", {"art/large.psb": pointer})
    client.sources.connect(TITLE, SourceIn(address=str(repo.root), submodules=True, every=0))
    head = repo.git("rev-parse", "HEAD")
    until(lambda: next(iter(client.sources.commits(TITLE))).commit == head, "the new commit was fetched")
    machines.agent("kiln-1")
    (number,) = start(client, "linux-unsigned")
    run = ended(client, number)
    assert run.state == "done"
    assert "data/fonts/face.txt" in {f.path for f in client.builds.files(TITLE, run.build)}
    assert "warning: art/large.psb is a large-file pointer" in text(client, number)
    repo.commit("A pointer where players look", {"data/bog.arc": pointer})
    client.sources.fetch(TITLE)
    head = repo.git("rev-parse", "HEAD")
    until(lambda: next(iter(client.sources.commits(TITLE))).commit == head, "the new commit was fetched")
    (number,) = start(client, "linux-unsigned")
    failed = ended(client, number)
    assert failed.cause
    assert failed.cause.sentence == "The source holds large-file pointers in place of files: data/bog.arc"


def test_a_worker_killed_in_a_job_loses_it_to_another(
    client: Client, live: Live, machines: Machines, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The job is a fetch from a server that answers nothing; the second time it hangs up."""
    add_key(client)
    client.titles.add(document())
    monkeypatch.setenv("RAMPA_STALLED_SECONDS", "3")
    machines.end_workers()
    worker = machines.worker()
    silent = socket.create_server(("127.0.0.1", 0))
    address = f"git://127.0.0.1:{silent.getsockname()[1]}/peatlight"
    client.sources.connect(TITLE, SourceIn(address=address, every=0))
    silent.settimeout(30)
    first, _ = silent.accept()
    worker.send_signal(signal.SIGKILL)
    worker.wait()
    assert client.sources.get(TITLE).tried_at is None
    machines.worker()
    second, _ = silent.accept()
    for each in (first, second, silent):
        each.close()
    until(lambda: client.sources.get(TITLE).error, "the second worker said what came of it")


def test_the_stand_in_engine_and_its_licence(client: Client, machines: Machines, tmp_path: Path) -> None:
    from demo.peatlight.repository import make

    add_key(client)
    root = make(tmp_path / "demo-peatlight")
    client.titles.add((root / "rampa.toml").read_text())
    client.variables.put(
        "desktop", StepVariablesIn(variables={"LANTERN_PACE": "0"}, secrets={"LANTERN_TOKEN": "lantern-4f9c"})
    )
    client.sources.connect(TITLE, SourceIn(address=str(root), every=0))
    until(lambda: client.sources.get(TITLE).fetched_at, "the repository was fetched")
    chains = install(tmp_path / "toolchains", "3.3.0", ["linux", "windows"], accepted=False)
    machines.agent("kiln-1", "--toolchains", str(chains))
    good, broken = start(client, "linux-release")[0], start(client, "linux-testing", of="fog-drift")[0]
    until(
        lambda: "has not accepted the licence" in client.runs.get(TITLE, good).waits_for, "the run says what is missing"
    )
    words = [sys.executable, "-m", "demo.lantern_export.lantern_export", "--installation", str(chains / "3.3.0")]
    subprocess.run([*words, "licence", "accept"], check=True, cwd=Path(__file__).parents[2], env={**os.environ})
    run = ended(client, good, 90)
    assert run.state == "done", run.cause
    build = client.builds.get(TITLE, run.build)
    assert build.tools == {"lantern-export": "3.3.0"}
    failed = ended(client, broken, 90)
    assert failed.cause
    assert failed.cause.sentence.startswith("The step export ended with exit code 1: ")
    assert failed.errors > 0
