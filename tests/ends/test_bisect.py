"""From a crash on one class of device to the commit that made it: real agents compile, bundle and try each commit."""

from __future__ import annotations

import base64
import datetime as dt
import os
import shutil
import subprocess
from pathlib import Path

import pytest
from demo.peatlight import drawing, sources

from rampa.client import Client
from rampa.core.bundle.desktop import unpack
from rampa.core.bundle.sources import FileBytes
from rampa.core.health.comparison import Trouble
from rampa.core.health.crash import left_behind
from rampa.core.run.bisect import BisectState, By
from rampa.core.signing.offer import verify
from rampa.schema.bisects import Bisect, NewBisect
from rampa.schema.crashes import crash_in
from rampa.schema.health import HealthBatch, HealthEvent
from rampa.schema.runs import NewRuns
from rampa.schema.sources import SourceIn
from tests.ends.machines import ENDED, Machines, until
from tests.gits import Repo
from tests.samples import DOCUMENT, add_key

pytestmark = pytest.mark.skipif(not shutil.which("cc") or not shutil.which("objcopy"), reason="no compiler")
TITLE, PROFILE, FORM = "peatlight", "linux-testing", "visor-2"
COMPILED = """[profiles.linux-testing]
platform = "linux"
purpose = "testing"
code.architectures = ["x86_64"]
signing.identity = "quillback-2026"
launch.entry = "bin/peatlight"
toolchain.steps = ["fetch", "compile", "collect", "check", "bundle", "sign", "complete"]

[steps.compile]
command = ["sh", "-c", "mkdir bin; cc -std=c11 -g -O2 -Wl,--build-id=sha1 -ffile-prefix-map=$PWD=. -o bin/peatlight src/*.c"]

"""
CULPRIT, COUNT = 4, 8


@pytest.fixture
def commits(client: Client, machines: Machines, tmp_path: Path) -> list[str]:
    document = DOCUMENT.replace("[depots.base]", COMPILED + "[depots.base]", 1)
    add_key(client)
    client.titles.add(document)
    repo = Repo(tmp_path / "peatlight")
    written = {"main.c": sources.MAIN, "night.c": sources.NIGHT, "night.h": sources.NIGHT_H, "crash.c": sources.CRASH}
    written["draw.c"] = drawing.IN_C
    code = {f"src/{name}": text for name, text in {**written, "fog.c": sources.FOG_MENDED}.items()}
    made = [
        repo.commit("A night on the bog", {"rampa.toml": document, "locale/en.json": "{}", "data/bog": "0", **code})
    ]
    for number in range(1, COUNT + 1):
        files = {"src/fog.c": sources.FOG_DEEP} if number == CULPRIT else {"data/bog": f"{number}"}
        made.append(repo.commit(f"Commit {number}", {**files}))
    client.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
    until(lambda: client.sources.get(TITLE).fetched_at, "the repository was fetched")
    for name in ("kiln-1", "loft-2"):
        machines.agent(name)
    return made


def test_it_names_the_commit_that_a_device_crashed_on(client: Client, commits: list[str], tmp_path: Path) -> None:
    good, bad = (built(client, commits[n]) for n in (0, COUNT))
    client.channels.place(TITLE, "studio", bad, client.channels.preview(TITLE, "studio", bad).etag)
    report_crash(client, bad, tmp_path)
    until(lambda: client.health.crashes(TITLE).items, "the crash was looked up")
    (group,) = client.health.crashes(TITLE).items
    assert (group.place, [f.name for f in group.forms]) == ("fog_at, src/fog.c:22", [FORM])
    started = client.bisects.start(
        TITLE, NewBisect(good=str(good), bad=str(bad), by=By.CRASH, subject=str(group.number))
    )
    assert (started.form, started.profile, started.commits) == (FORM, PROFILE, COUNT)
    found = ended(client, started)
    assert found.state == BisectState.FOUND, found.said
    assert found.found
    assert (found.found.commit, found.found.subject) == (commits[CULPRIT], f"Commit {CULPRIT}")
    diff = client.bisects.diff(TITLE, started.number).text
    assert "src/fog.c" in diff
    assert "data/bog" not in diff
    (search,) = client.health.crash(TITLE, group.number).bisects
    assert (search.number, search.state, search.commit) == (started.number, BisectState.FOUND, commits[CULPRIT])
    told = [e for e in client.events.all() if e.act == "bisect.find"]
    assert len(told) == 1
    assert [b.number for b in client.builds.all(TITLE)] == [bad, good], "to try a commit keeps no build"
    assert {b.why for b in client.builds.all(TITLE, state="abandoned")} == {"bisect"}
    assert max(v.code for v in client.versions.all(TITLE)) == 2, "and takes no version code"
    # Where no device of the class is meant, nothing crashes, and the search says so.
    plain = NewBisect(good=str(good), bad=str(bad), by=By.SELF_TEST)
    assert ended(client, client.bisects.start(TITLE, plain)).state == BisectState.REFUTED


def built(client: Client, commit: str) -> int:
    (run,) = client.runs.start(TITLE, NewRuns(profiles=[PROFILE], of=commit))
    until(lambda: client.runs.get(TITLE, run.number).state in ENDED, "the run ended", 60)
    build = client.runs.get(TITLE, run.number).build
    assert build, b"".join(client.runs.log_text(TITLE, run.number)).decode()
    return build


def ended(client: Client, started: Bisect) -> Bisect:
    until(lambda: client.bisects.get(TITLE, started.number).state != BisectState.WORKING, "the search ended", 120)
    return client.bisects.get(TITLE, started.number)


def report_crash(client: Client, build: int, folder: Path) -> None:
    """The build's own program, started as on such a device, and what it leaves behind."""
    bundle, top, left = folder / "bundle", folder / "unpacked", folder / "crash.json"
    client.builds.save_bundle(TITLE, build, bundle)
    top.mkdir()
    with FileBytes(bundle) as source:
        unpack(source, top)
    (program,) = top.glob("*/bin/peatlight")
    environment = {**os.environ, "RAMPA_CRASH_REPORT": str(left), "RAMPA_DEVICE_CLASS": FORM}
    assert subprocess.run([program, "--self-test"], env=environment, capture_output=True, check=False).returncode < 0
    report = left_behind(left)
    assert report
    offer = verify(base64.b64decode(client.channels.offer(TITLE, "studio", "linux").signed), key_of(client))
    now = dt.datetime.now(dt.UTC)
    event = HealthEvent(at=now, build=build, kind=Trouble.SESSION, bad=True, crash=crash_in(report))
    batch = HealthBatch(
        token=offer.reports, device=f"{7:032x}", number=0, sent_at=now, form=FORM, level="7", events=[event]
    )
    assert client.health.report("example.quillback.peatlight", batch).taken == 1


def key_of(client: Client) -> bytes:
    return bytes.fromhex(client.titles.get(TITLE).manifest_key)
