"""rampa device …"""

from __future__ import annotations

import base64
import datetime as dt
import re
import secrets
import time
from contextlib import suppress
from dataclasses import asdict, replace
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import ago, duration, err, facts, mb, out, print_json, table
from rampa.cli.base.progress import Bars
from rampa.client import Client
from rampa.client.devices.delivery import HttpDelivery, device_report
from rampa.core.errors import Damaged, NotFound, RampaError
from rampa.core.health.comparison import Trouble
from rampa.core.install.rate import RateLimited
from rampa.core.platform.table import PLATFORMS
from rampa.core.quantity import counted
from rampa.schema.devices import NewDevice
from rampa.system import CLOCK

if TYPE_CHECKING:
    from rampa.core.install.fill import FillReport, Progress
    from rampa.standin.device import SimulatedDevice

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Simulated devices: a folder stands for a player's machine. Install, update, verify, repair, start.",
)
FOLDER = typer.Argument(..., help="The simulated device's folder.")
WORDS = {"reuse": "reusing what is there", "download": "downloading", "verify": "verifying"}


@app.command("add")
def add(
    folder: Path = typer.Argument(..., help="A new folder; it stands for a player's machine."),
    channel: str = typer.Option("studio", "--channel", help="The channel that it follows."),
    platform: str = typer.Option("linux", "--platform", help="What the device runs."),
    name: str = typer.Option("", "--name", help="By default the folder's name."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Register a simulated device. It pins the title's key: from now on only what that key signed is installed."""
    from rampa.standin.device import DeviceIdentity, SimulatedDevice

    SimulatedDevice.must_be_free(folder)
    with signed_in() as client:
        found = client.titles.get(the_title(client, title))
        name = name or re.sub(r"[^a-z0-9]+", "-", folder.resolve().name.lower()).strip("-")[:49] or "device"
        number = secrets.token_hex(16)
        asked = NewDevice(name=name, platform=platform, channel=channel, number=number, simulated=True)
        device = client.devices.register(found.slug, asked)
        identity = DeviceIdentity(
            device.name,
            found.slug,
            found.identifier,
            platform,
            channel,
            client.connection.address,
            found.manifest_key,
            number,
        )
        SimulatedDevice.add(folder, identity)
    if as_json:
        print_json(device)
        return
    out().print(f"{device.name} is registered: a simulated {platform} device that follows {channel} of {found.name}.")
    out().print(f"Next: rampa device update {folder}")


@app.command("update")
def update(
    folder: Path = FOLDER,
    watch: bool = typer.Option(False, "--watch", help="Go on following the channel until interrupted."),
    limit: float = typer.Option(0.0, "--limit-mbit", min=0, help="Download at most so fast, in Mbit/s."),
    as_json: bool = JSON,
) -> None:
    """Install what is live on the device's channel, or update to it, downloading only what changed.

    Killed at any moment, the same command goes on where it stopped.
    """
    device = _device(folder)
    with signed_in() as client:
        while True:
            _update(client, device, as_json, limit)
            if not watch:
                return
            time.sleep(5)


@app.command("verify")
def verify(folder: Path = FOLDER, as_json: bool = JSON) -> None:
    """Check every installed file against the signed manifest. Needs no network."""
    device = _device(folder)
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


@app.command("repair")
def repair(folder: Path = FOLDER, as_json: bool = JSON) -> None:
    """Find damaged files and make them again, downloading only what is bad."""
    device = _device(folder)
    now = device.installed()
    if now is None:
        raise NotFound("install.none", "nothing is installed on this device", hint="Run `rampa device update`.")
    with signed_in() as client, Bars(WORDS, quiet=as_json) as bars:
        delivery = HttpDelivery(client, device.identity.title, now.statement.build)
        report = device.repair(delivery, lambda p: bars.show(p.phase, p.done, p.total))
    if as_json:
        print_json(asdict(report))
        return
    table(["~repaired"], [(p,) for p in report.repaired], "Nothing was damaged.")
    if report.repaired:
        _report(report)


@app.command("choose")
def choose(
    folder: Path = FOLDER,
    architecture: str = typer.Option("", "--architecture", help="What its processor is, such as x86_64."),
    language: list[str] = typer.Option(None, "--language", help="Only these languages; all without any."),
    addon: list[str] = typer.Option(None, "--addon", help="Only these addons; all without any; `-` for none."),
    quality: str = typer.Option("", "--quality", help="The asset quality; the first without it."),
    form: str = typer.Option("", "--class", help="What class of device it is, such as visor-2."),
    keep_previous: bool = typer.Option(False, "--keep-previous", help="Keep the build before, to roll back to."),
    reports: bool = typer.Option(True, "--reports/--no-reports", help="Report installs, launches and crashes."),
) -> None:
    """What the player chose: languages, addons, quality. It counts from the next update on."""
    device = _device(folder)
    device.choose(
        replace(
            device.identity,
            architecture=architecture,
            languages=language or None,
            addons=[a for a in addon if a != "-"] if addon else None,
            quality=quality,
            form=form,
            keep_previous=keep_previous,
            reports=reports,
        )
    )
    out().print(f"Chosen. It counts from the next update on: rampa device update {folder}")


@app.command("roll-back")
def roll_back(folder: Path = FOLDER, as_json: bool = JSON) -> None:
    """Go back to the build before, from what was kept of it. Needs no network."""
    device = _device(folder)
    before = device.installed_build()
    now = device.roll_back()
    if as_json:
        print_json({"from": before, "to": now.statement.build})
        return
    out().print(f"{device.identity.title}#{now.statement.build} is installed again, in place of #{before}.")
    out().print("The next update brings what is live on its channel.")


@app.command("uninstall")
def uninstall(folder: Path = FOLDER, yes: bool = YES) -> None:
    """Remove what is installed. Player files that the player changed are set aside first."""
    device = _device(folder)
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


@app.command("start", context_settings={"ignore_unknown_options": True})
def start(folder: Path = FOLDER, arguments: list[str] = typer.Argument(None, help="Given to the title.")) -> None:
    """Start the installed build's launch entry."""
    raise typer.Exit(_device(folder).start(arguments or []))


@app.command("show")
def show(folder: Path = FOLDER, as_json: bool = JSON) -> None:
    """What a simulated device is, and what is installed on it."""
    device = _device(folder)
    now = device.installed()
    if as_json:
        statement = {k: v for k, v in asdict(now.statement).items() if k != "depots"} if now else None
        print_json({"device": asdict(device.identity), "installed": statement})
        return
    identity = device.identity
    rows: list[tuple[str, object]] = [
        ("device", f"{identity.name} (simulated), {identity.platform}"),
        ("follows", f"{identity.channel} of {identity.title}"),
        ("pinned key", identity.key),
    ]
    if now:
        s = now.statement
        rows.append(("installed", f"{identity.title}#{s.build}, {s.version_name}, code {s.version_code}"))
        rows.append(("files", f"{len(now.tree.files):,}, {mb(now.tree.size)}"))
        rows.append(("launch entry", str(device.installation.tree_folder(now) / s.launch)))
    else:
        rows.append(("installed", "nothing yet"))
    facts(rows)


@app.command("list")
def list_(title: str = TITLE, as_json: bool = JSON) -> None:
    """The registered devices of a title."""
    with signed_in() as client:
        devices = client.devices.all(the_title(client, title))
    if as_json:
        print_json(devices)
        return
    rows = [
        (
            d.name,
            d.platform,
            d.channel,
            d.build_name or "nothing yet",
            "simulated" if d.simulated else "",
            ago(d.last_seen_at),
        )
        for d in devices
    ]
    empty = "No device yet. Add a simulated one: rampa device add FOLDER --channel studio"
    table(["device", "platform", "channel", "has", "", "last seen"], rows, empty)


@app.command("remove")
def remove(name: str = typer.Argument(..., help="The device."), title: str = TITLE, yes: bool = YES) -> None:
    """Forget a registered device. What is installed on it stays."""
    with signed_in() as client:
        slug = the_title(client, title)
        err().print(f"The service forgets the device {name} of {slug}.")
        if not confirmed("Forget it?", yes):
            raise typer.Exit(1)
        client.devices.remove(slug, name)
    out().print(f"{name} is forgotten.")


def _device(folder: Path) -> SimulatedDevice:
    """Loaded here, so that `rampa device list` does not pay for the installer."""
    from rampa.standin.device import SimulatedDevice

    return SimulatedDevice(folder)


def _update(client: Client, device: SimulatedDevice, as_json: bool, limit: float) -> None:
    identity = device.identity
    signed = base64.b64decode(client.channels.offer(identity.title, identity.channel, identity.platform).signed)
    before = device.installed_build()
    try:
        build = device.wanted(signed).build
    except NotFound as error:
        _nothing(device, before, str(error), as_json)
        return
    _must_be_granted(client, device, build)
    with Bars(WORDS, quiet=as_json) as bars:

        def on(progress: Progress) -> None:
            bars.show(progress.phase, progress.done, progress.total)

        delivery = RateLimited(HttpDelivery(client, identity.title, build), limit * 1e6 / 8, CLOCK)
        statement = client.builds.statement(identity.title, build)
        try:
            report = device.update(signed, statement, delivery, on)
        except RampaError as error:
            device.note(build, Trouble.INSTALL, bad=True, cause=error.code)
            raise
    if before != build:
        device.note(build, Trouble.INSTALL, bad=False, seconds=report.seconds)
    client.devices.report(identity.title, identity.name, device_report(build, report))
    _report_health(client, device, signed)
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


def _report_health(client: Client, device: SimulatedDevice, signed: bytes) -> None:
    """What the device kept; where that cannot be sent now, it goes with the next look."""
    batch = device.to_report(signed)
    if batch is None:
        return
    with suppress(RampaError):
        client.health.report(device.identity.identifier, batch)
        device.reported(batch)


def _nothing(device: SimulatedDevice, before: int | None, why: str, as_json: bool) -> None:
    """Its channel has builds, and none of them is for this device."""
    if as_json:
        print_json({"build": "", "before": before})
        return
    out().print(f"{device.identity.name}: {why}.")


def _must_be_granted(client: Client, device: SimulatedDevice, number: int) -> None:
    """Where the platform wants it, a test build is installed only with a grant that lists this device."""
    identity = device.identity
    if not PLATFORMS[identity.platform].needs_grant:
        return
    build = client.builds.get(identity.title, number)
    if build.purpose == "release" or build.bundle is None:
        return
    said = build.bundle.says.facts.identifier if build.bundle.says else ""
    signed = client.signing.grant_of(identity.title, number)
    device.must_be_granted(signed, said or identity.identifier, build.bundle.fingerprint, dt.datetime.now(dt.UTC))


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
