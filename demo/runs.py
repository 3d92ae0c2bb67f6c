"""The demo's runs: the repository connected, step variables, toolchains, and a history in which everything has happened.

Agents are real processes; one of them is really killed. Nothing of the history is written by hand.
"""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

from demo.lantern_export.installing import install
from demo.peatlight.repository import make, push_to
from rampa.client import Client
from rampa.schema.devices import NewDevice
from rampa.schema.releases import NewRelease, ReleaseNote
from rampa.schema.runs import NewRuns, Run, RunSummary
from rampa.schema.signing.grants import NewGrant
from rampa.schema.sources import BranchDefault, NewTrigger, SourceIn, StepVariablesIn
from rampa.schema.versions import TakenIn

TITLE = "peatlight"
EVERYWHERE = ["linux", "windows", "macos", "android", "ios", "headset"]
FIVE = ["linux-release", "windows-release", "macos-release", "visor-release", "linux-testing"]
ENDED = {"done", "failed", "cancelled", "superseded"}
QUICK, WATCHED = "0.1", "1"
"""LANTERN_PACE while the history is made, and then for people who watch."""
PATIENCE = 180

NOTES = (
    ("players", "en", "The drift of the fog is slower, and the third wagon keeps its lantern."),
    ("players", "fi", "Sumu liikkuu hitaammin, ja kolmas vaunu pitää lyhtynsä."),
    ("testers", "en", "Drive from Sluice Junction to Kiln Yard twice, once without a lantern."),
)


def fill_with_runs(client: Client, folder: Path, address: str) -> None:
    toolchains = folder / "toolchains"
    install(toolchains / "kiln-1", "3.3.0", EVERYWHERE)
    install(toolchains / "loft-2", "3.4.1", EVERYWHERE)
    install(toolchains / "loft-2", "3.1.4", ["linux", "windows"], accepted=False)
    _variables(client, QUICK)
    repository = make(folder / "peatlight")
    before = client.sources.connect(TITLE, SourceIn(address=str(repository), every=15)).tried_at
    _until(lambda: client.sources.get(TITLE).tried_at != before, "the repository was not fetched")
    document = client.sources.proposal(TITLE).document
    client.titles.revise(TITLE, document, "From the repository: the program is compiled now.", 3)
    client.sources.set_defaults(TITLE, [
        BranchDefault(pattern="main", profiles=FIVE),
        BranchDefault(pattern="release/*", profiles=["linux-release", "windows-release"]),
        BranchDefault(pattern="*", profiles=["linux-testing"]),
    ])  # fmt: skip
    _until(
        lambda: sum(bool(a.abilities.toolchains) for a in client.agents.all()) == 2,
        "the agents did not find their toolchains",
    )
    _history(client, repository, folder, address)
    _variables(client, WATCHED)


def _variables(client: Client, pace: str) -> None:
    for name, note in (("desktop", "Desktop exports."), ("phones", "Phones and tablets."), ("headsets", "Headsets.")):
        variables = {"LANTERN_PACE": pace, "ASSET_SERVER": "assets.quillback.example"}
        secrets: dict[str, str | None] = {"LANTERN_TOKEN": f"{name}-lantern-4f9c2a7e"}
        client.variables.put(name, StepVariablesIn(variables=variables, secrets=secrets, note=note))


def _history(client: Client, repository: Path, folder: Path, address: str) -> None:
    both = ["linux-release", "windows-release"]
    _tell(client, _start(client, both, of="v1.4.0", note="The first night, from its commit.", version_name="1.4.0"))
    _tell(client, _start(client, ["linux-testing"], of="fog-drift", note="Does the drift compile yet?"))
    _tell(client, _start(client, FIVE, of="main", note="Everything for the weekend."))
    _phones(client)
    _cancelled(client)
    _killed(client, folder, address)
    _superseded(client, repository)


def _phones(client: Client) -> None:
    """Packages for phones, signed inside by two identities; a grant, and a handset that came after it."""
    _device(client, "moss-handset")
    client.signing.make_grant(TITLE, NewGrant(profile="ios-testing", days=60))
    for profile in (
        "android-release",
        "android-testing",
        "ios-testing",
    ):  # one by one: the README names builds by number
        _tell(client, _start(client, [profile], of="main", note="Phones."))
    _device(client, "loft-tablet")
    newest = next(b for b in client.builds.all(TITLE, profile="linux-release") if b.state == "ready")
    _release(client, newest.commit)
    client.versions.mark_taken(TITLE, TakenIn(place="mossgate", code=3, note="Uploaded by hand before Rampa was here."))


def _release(client: Client, commit: str) -> None:
    """All platforms of the weekend's commit but one, on testers; it replaces the first night, made by hand from a folder."""
    made = client.releases.make(TITLE, NewRelease(commit=commit))
    client.releases.leave_out(TITLE, made.number, "ios-release", "Its certificate comes on Monday.")
    for audience, language, text in NOTES:
        note = ReleaseNote.model_validate({"audience": audience, "language": language, "text": text})
        client.releases.write_notes(TITLE, made.number, note)
    client.releases.place(TITLE, made.number, "testers", client.releases.preview(TITLE, made.number, "testers").etag)


def _device(client: Client, name: str) -> None:
    client.devices.register(TITLE, NewDevice(name=name, platform="ios", channel="testers", simulated=True))


def _start(client: Client, profiles: list[str], of: str, note: str = "", version_name: str = "") -> list[RunSummary]:
    asked = NewRuns(profiles=profiles, of=of, note=note, version_name=version_name)
    return client.runs.start(TITLE, asked)


def _tell(client: Client, runs: list[RunSummary]) -> None:
    for run in runs:
        ended = _ended(client, run.number)
        made = f", {TITLE}#{ended.build}" if ended.build else f": {ended.cause.sentence}" if ended.cause else ""
        print(f"  run {ended.number} {ended.profile}: {ended.state}{made}", flush=True)


def _ended(client: Client, number: int) -> Run:
    _until(lambda: client.runs.get(TITLE, number).state in ENDED, f"run {number} did not end")
    return client.runs.get(TITLE, number)


def _cancelled(client: Client) -> None:
    run = _start(client, ["windows-release"], of="marrow-bend", note="The wrong branch, after all.")[0]
    _until(lambda: client.runs.get(TITLE, run.number).step == "export", f"run {run.number} did not come to its export")
    client.runs.cancel(TITLE, run.number)
    _tell(client, [run])


def _killed(client: Client, folder: Path, address: str) -> None:
    """A third agent, alone for a moment, is killed in the middle of a run; another takes the run over."""
    code = client.agents.make_code("yard-3").code
    for name in ("kiln-1", "loft-2"):
        client.agents.change(name, paused=True)
    install(folder / "toolchains" / "yard-3", "3.3.0", EVERYWHERE)
    process = _agent("yard-3", folder, address, code)
    try:
        _until(
            lambda: any(a.name == "yard-3" and a.abilities.toolchains for a in client.agents.all()),
            "yard-3 did not come",
        )
        run = _start(client, ["linux-release"], of="release/1.5", note="For the last hour's new line.")[0]
        _until(
            lambda: client.runs.get(TITLE, run.number).step == "export", f"run {run.number} did not come to its export"
        )
    finally:
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
    for name in ("kiln-1", "loft-2"):
        client.agents.change(name, paused=False)
    print(
        "  killed the agent yard-3 in the middle of a run; another takes it over when its silence was noticed",
        flush=True,
    )
    _tell(client, [run])


def _agent(name: str, folder: Path, address: str, code: str) -> subprocess.Popen[bytes]:
    environment = {**os.environ, "RAMPA_ADDRESS": address, "RAMPA_AGENT_CODE": code, "RAMPA_HOME": str(folder / name)}
    words = [
        "--name",
        name,
        "--folder",
        str(folder / name),
        "--toolchains",
        str(folder / "toolchains" / name),
        "--same-user",
    ]
    command = [sys.executable, "-m", "rampa.cli.main", "agent", "start", *words]
    return subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def _superseded(client: Client, repository: Path) -> None:
    """Two commits come while no agent is free: the trigger starts both, and the newer one wins."""
    client.runs.add_trigger(TITLE, NewTrigger(name="main-testing", kind="branch", pattern="main", profiles=["linux-testing"],
                                         paths=["src/", "art/", "texts/", "maps/"]))  # fmt: skip
    for name in ("kiln-1", "loft-2"):
        client.agents.change(name, paused=True)
    seen = max(r.number for r in client.runs.all(TITLE))
    for number, (path, text, message) in enumerate(
        (
            ("maps/alder-halt.places", "60 60 9000\n120 90 20000\n", "Alder Halt gets its second hill"),
            ("maps/alder-halt.places", "60 60 9000\n120 90 24000\n200 200 8000\n", "And a third"),
        ),
        1,
    ):
        push_to(repository, "main", path, text, message, "Iida")
        client.sources.fetch(TITLE)
        _until(
            lambda n=number: max(r.number for r in client.runs.all(TITLE)) >= seen + n, "the trigger started nothing"
        )
    for name in ("kiln-1", "loft-2"):
        client.agents.change(name, paused=False)
    _tell(client, [r for r in client.runs.all(TITLE) if r.number > seen])


def _until(true, otherwise: str) -> None:  # type: ignore[no-untyped-def]
    end = time.monotonic() + PATIENCE
    while not true():
        if time.monotonic() > end:
            raise SystemExit(f"The demo is not whole: {otherwise}.")
        time.sleep(0.2)
