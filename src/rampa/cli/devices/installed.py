"""rampa device: what is installed on a simulated device: update, verify, repair, go back, uninstall, start."""

from __future__ import annotations

import time
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import JSON, YES, confirmed
from rampa.cli.base.output import duration, err, facts, mb, out, print_json, table
from rampa.cli.base.progress import Bars
from rampa.cli.devices.folders import FOLDER, calling, opened
from rampa.client import Client
from rampa.client.devices.delivery import device_report
from rampa.core import parallel
from rampa.core.errors import Damaged, NotFound, RampaError
from rampa.core.health.comparison import Trouble
from rampa.core.install.rate import RateLimited
from rampa.core.quantity import counted
from rampa.standin.ways import FoundBuild, delivering, looked, must_be_granted
from rampa.standin.ways import report as tell
from rampa.system import CLOCK

if TYPE_CHECKING:
    from rampa.core.install.progress import FillReport, Progress
    from rampa.standin.device import SimulatedDevice

WORDS = {"reuse": "reusing what is there", "download": "downloading", "verify": "verifying"}


def add_to(app: typer.Typer) -> None:
    app.command("update")(update)
    app.command("verify")(verify)
    app.command("repair")(repair)
    app.command("roll-back")(roll_back)
    app.command("uninstall")(uninstall)
    app.command("start", context_settings={"ignore_unknown_options": True})(start)


def update(
    folder: Path = FOLDER,
    watch: bool = typer.Option(False, "--watch", help="Go on following the channel until interrupted."),
    limit: float = typer.Option(0.0, "--limit-mbit", min=0, help="Download at most so fast, in Mbit/s."),
    as_json: bool = JSON,
) -> None:
    """Install what is live on the device's channel, or update to it, downloading only what changed.

    Killed at any moment, the same command goes on where it stopped.
    """
    device = opened(folder)
    with calling(device) as client:
        while True:
            _update(client, device, as_json, limit)
            if not watch:
                return
            time.sleep(5)


def verify(folder: Path = FOLDER, as_json: bool = JSON) -> None:
    """Check every installed file against the signed manifest. Needs no network."""
    device = opened(folder)
    with Bars(WORDS, quiet=as_json) as bars:
        bad = device.verify(lambda p: bars.show(p.phase, p.done, p.total))
    now = device.installed()
    files = len(now.tree.files) if now else 0
    if as_json:
        print_json({"files": files, "damaged": bad})
    else:
        table(["~damaged or missing"], [(b,) for b in bad], f"All {files:,} files are as they were signed.")
    if bad:
        raise Damaged(
            "install.damaged",
            f"{counted(len(bad), 'file')} damaged or missing",
            hint=f"Run `rampa device repair {folder}`.",
        )


def repair(folder: Path = FOLDER, as_json: bool = JSON) -> None:
    """Find damaged files and make them again, downloading only what is bad."""
    device = opened(folder)
    now = device.installed()
    if now is None:
        raise NotFound("install.none", "nothing is installed on this device", hint="Run `rampa device update`.")
    with calling(device) as client, Bars(WORDS, quiet=as_json) as bars:
        with delivering(client, device, now.statement.build, _told) as delivery:
            report = device.repair(delivery, lambda p: bars.show(p.phase, p.done, p.total))
    if as_json:
        print_json(asdict(report))
        return
    table(["~repaired"], [(p,) for p in report.repaired], "Nothing was damaged.")
    if report.repaired:
        _report(report)


def roll_back(folder: Path = FOLDER, as_json: bool = JSON) -> None:
    """Go back to the build before, from what was kept of it. Needs no network."""
    device = opened(folder)
    before = device.installed_build()
    now = device.roll_back()
    if as_json:
        print_json({"from": before, "to": now.statement.build})
        return
    out().print(f"{device.identity.title}#{now.statement.build} is installed again, in place of #{before}.")
    out().print("The next update brings what is live on its channel.")


def uninstall(folder: Path = FOLDER, yes: bool = YES) -> None:
    """Remove what is installed. Player files that the player changed are set aside first."""
    device = opened(folder)
    now = device.installed()
    if now is None:
        raise NotFound("install.none", "nothing is installed on this device")
    err().print(f"{device.identity.title}#{now.statement.build}, {mb(now.tree.size)}, is removed from {folder}.")
    if not confirmed("Remove it?", yes):
        raise typer.Exit(1)
    freed = device.uninstall()
    out().print(f"Removed: {mb(freed)}.")
    aside = folder / "title" / "aside"
    if aside.exists():
        out().print(f"What the player changed is in {aside}.")


def start(folder: Path = FOLDER, arguments: list[str] = typer.Argument(None, help="Given to the title.")) -> None:
    """Start the installed build's launch entry."""
    raise typer.Exit(opened(folder).start(arguments or []))


def _update(client: Client, device: SimulatedDevice, as_json: bool, limit: float) -> None:
    from rampa.core.content.layout.processor import unpacks

    identity, before = device.identity, device.installed_build()
    try:
        with looked(client, device, _told) as found:
            report = _install(client, device, found, limit, as_json)
    except NotFound as error:
        if error.code != "offer.nothing":
            raise
        _nothing(device, before, str(error), as_json)
        return
    build = found.build
    if before != build:
        device.note(build, Trouble.INSTALL, bad=False, seconds=report.seconds)
    # Measured behind an install, not in it, and only where a download of some size says of the line, too.
    speed = unpacks(CLOCK, parallel.WORKERS) if report.rate else 0.0
    if not tell(client, device, found.token, device_report(build, report, speed), changed=before != build):
        err().print("The service does not answer: what is installed is reported with the next look.")
    now = device.installed()
    assert now is not None
    said = f"{identity.title}#{build} ({now.statement.version_name})"
    if as_json:
        print_json({"build": f"{identity.title}#{build}", "before": before, **asdict(report)})
        return
    if before == build:
        out().print(f"{identity.name} has {said} already; {identity.channel} has nothing newer.")
        return
    was = f"was {identity.title}#{before}" if before else "had nothing"
    out().print(f"{identity.name} has {said} now; it {was}.")
    _report(report)


def _install(client: Client, device: SimulatedDevice, found: FoundBuild, limit: float, as_json: bool) -> FillReport:
    must_be_granted(client, device, found.build)
    with Bars(WORDS, quiet=as_json) as bars:

        def on(progress: Progress) -> None:
            bars.show(progress.phase, progress.done, progress.total)

        try:
            return found.install(RateLimited(found.delivery, limit * 1e6 / 8, CLOCK), on)
        except RampaError as error:
            device.note(found.build, Trouble.INSTALL, bad=True, cause=error.code)
            raise


def _told(said: str) -> None:
    err().print(f"An origin failed: {said}.")


def _nothing(device: SimulatedDevice, before: int | None, why: str, as_json: bool) -> None:
    """Its channel has builds, and none of them is for this device."""
    if as_json:
        print_json({"build": "", "before": before})
        return
    out().print(f"{device.identity.name}: {why}.")


def _report(report: FillReport) -> None:
    for paths, said in ((report.kept, "kept as the player has it"), (report.aside, "the player's set aside")):
        for path in paths:
            out().print(f"{path}: {said}.")
    facts(
        [
            (
                "downloaded",
                f"{mb(report.downloaded + report.metadata)} ({mb(report.metadata)} of it manifests and locations)",
            ),
            ("reused", mb(report.reused)),
            ("written", mb(report.written)),
            ("time", duration(report.seconds)),
        ]
    )
