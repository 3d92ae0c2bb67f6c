"""rampa device …"""

from __future__ import annotations

import re
from dataclasses import asdict, replace
from pathlib import Path

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import ago, err, facts, mb, out, print_json, table
from rampa.cli.devices import installed
from rampa.cli.devices.folders import FOLDER, from_link, opened

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Simulated devices: a folder stands for a player's machine. Install, update, verify, repair, start.",
)


@app.command("add")
def add(
    folder: Path = typer.Argument(..., help="A new folder; it stands for a player's machine."),
    channel: str = typer.Option("studio", "--channel", help="The channel that it follows."),
    platform: str = typer.Option("linux", "--platform", help="What the device runs."),
    name: str = typer.Option("", "--name", help="By default the folder's name."),
    form: str = typer.Option("", "--class", help="What class of device it is, such as visor-2."),
    code: str = typer.Option("", "--code", help="What a tester's page shows, or its link: no sign-in is needed then."),
    address: str = typer.Option("", "--address", help="With a code: the service's address. [the signed-in one]"),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Register a simulated device. It makes a key of its own, and pins the title's: only what that key signed is installed."""
    from rampa.client import Client
    from rampa.standin.device import SimulatedDevice, new_identity

    SimulatedDevice.must_be_free(folder)
    name = name or re.sub(r"[^a-z0-9]+", "-", folder.resolve().name.lower()).strip("-")[:49] or "device"
    at, code = from_link(code, address)
    if not code:
        with signed_in() as client:
            at = client.connection.address
            code = client.testers.registration_code(the_title(client, title), channel).code
    with Client(at) as unknown:
        asked, key = new_identity(code, name, platform, form)
        made = unknown.devices.register_by_code(asked)
        device = SimulatedDevice.add_registered(folder, made, asked, at, key)
    if as_json:
        print_json(made)
        return
    told = device.identity
    out().print(
        f"{told.name} is registered: a simulated {platform} device that follows {told.channel} of {made.title_name}."
    )
    out().print(f"Next: rampa device update {folder}")


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
    device = opened(folder)
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


@app.command("show")
def show(folder: Path = FOLDER, as_json: bool = JSON) -> None:
    """What a simulated device is, and what is installed on it."""
    device = opened(folder)
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
            d.person or f"(by {d.registered_by})",
            d.platform + (f", {d.form}" if d.form else ""),
            d.channel,
            d.build_name or "nothing yet",
            ", ".join(["simulated"] * d.simulated + [f"cannot run #{b}" for b in d.cannot_run]),
            ago(d.last_seen_at),
        )
        for d in devices
    ]
    empty = "No device yet. Add a simulated one: rampa device add FOLDER --channel studio"
    table(["device", "whose", "platform", "channel", "has", "", "last seen"], rows, empty)


@app.command("remove")
def remove(name: str = typer.Argument(..., help="The device."), title: str = TITLE, yes: bool = YES) -> None:
    """Take a device out, such as a lost one: its access ends at once. What is installed on it stays."""
    with signed_in() as client:
        slug = the_title(client, title)
        err().print(f"The service forgets the device {name} of {slug}: it fetches nothing more.")
        if not confirmed("Forget it?", yes):
            raise typer.Exit(1)
        client.devices.remove(slug, name)
    out().print(f"{name} is forgotten.")


@app.command("re-sign")
def re_sign(
    name: str = typer.Argument(..., metavar="DEVICE", help="The device."), title: str = TITLE, as_json: bool = JSON
) -> None:
    """Sign what is live on the device's channel again, where it came after the grant; nothing is rebuilt."""
    with signed_in() as client:
        made = client.devices.re_sign(the_title(client, title), name)
    if as_json:
        print_json(made)
        return
    for item in made.items:
        out().print(f"#{item.build} is signed with grant {item.grant} now, which lists {name}.")


installed.add_to(app)
