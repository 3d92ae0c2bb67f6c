"""rampa delivery …"""

from __future__ import annotations

import time
from dataclasses import asdict

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import ago, err, mb, out, print_json, table
from rampa.cli.base.progress import Bars
from rampa.client import Client
from rampa.core.errors import Unavailable
from rampa.core.quantity import counted
from rampa.schema.delivery import DeliveryOrigin, OriginChange, OriginIn

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Delivery: a title's files elsewhere, and where devices find them.",
)
origin = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Origins: places where the files lie, and whether they are current.",
)
app.add_typer(origin, name="origin")
NAME = typer.Argument(..., metavar="ORIGIN", help="The origin.")


@app.command("write")
def write(
    place: str = typer.Argument(
        ..., metavar="PLACE", help="A folder that a web server hands out, or s3://BUCKET/PREFIX."
    ),
    watch: float = typer.Option(0.0, "--watch", min=0, metavar="SECONDS", help="Go on, and look again so often."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Write a title's channels for everybody as files, or bring what was written up to date. Killed anywhere, it goes on.

    Files that never change come first; devices see the delivery before or the one after, never half of one.
    """
    with signed_in() as client:
        slug = the_title(client, title)
        _write(client, slug, place, as_json)
        while watch:
            time.sleep(watch)
            try:
                _write(client, slug, place, as_json, quiet=True)
            except Unavailable as error:
                err().print(f"{error.sentence()} Looking again in {watch:g} s.")


def _write(client: Client, title: str, place: str, as_json: bool, *, quiet: bool = False) -> None:
    from rampa.client.delivery.targets import open_target
    from rampa.client.delivery.writer import write_delivery

    target = open_target(place, client.titles.get(title).identifier)
    with Bars({"write": "writing"}, quiet=as_json) as bars:
        done = write_delivery(client, title, target, lambda at, total: bars.show("write", at, total))
    if as_json:
        print_json(asdict(done))
    elif done.written or done.removed or not quiet:
        removed = f", {counted(done.removed, 'file')} removed" if done.removed else ""
        out().print(
            f"{place}/{done.identifier} is current: {counted(done.written, 'file')} written, {mb(done.size)}{removed}."
        )


@origin.command("list")
def list_(title: str = TITLE, as_json: bool = JSON) -> None:
    """Where devices find the files besides the service, and whether they are current there."""
    with signed_in() as client:
        found = client.delivery.origins(the_title(client, title))
    if as_json:
        print_json(found)
        return
    rows = [(o.name, o.address, o.priority, _state(o), ago(o.looked_at)) for o in found]
    empty = "No origin yet: devices fetch from the service. rampa delivery origin add NAME https://HOST/PATH"
    table(["origin", "~address", "#priority", "~state", "looked at"], rows, empty)


@origin.command("add")
def add(
    name: str = NAME,
    address: str = typer.Argument(
        ..., help="What was written lies below it: https://files.quillback.example/delivery."
    ),
    priority: int = typer.Option(10, "--priority", min=1, max=100, help="The lowest is asked first; the service last."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Have devices fetch from there, too. They are told by what is signed next."""
    with signed_in() as client:
        asked = OriginIn(name=name, address=address, priority=priority)
        found = client.delivery.add_origin(the_title(client, title), asked)
    if as_json:
        print_json(found)
        return
    out().print(f"{name} is asked with priority {priority}. Keep it current: rampa delivery write PLACE --watch 5")


@origin.command("pause")
def pause(name: str = NAME, title: str = TITLE) -> None:
    """Devices fetch nothing from there until it goes on."""
    _change(name, OriginChange(paused=True), title)


@origin.command("resume")
def resume(name: str = NAME, title: str = TITLE) -> None:
    """Let devices fetch from there again."""
    _change(name, OriginChange(paused=False), title)


@origin.command("change")
def change(
    name: str = NAME,
    priority: int = typer.Option(..., "--priority", min=1, max=100, help="The lowest is asked first."),
    title: str = TITLE,
) -> None:
    """Have it asked before or after others."""
    _change(name, OriginChange(priority=priority), title)


@origin.command("remove")
def remove(name: str = NAME, title: str = TITLE, yes: bool = YES) -> None:
    """Devices fetch nothing from there any more; the files stay where they are."""
    with signed_in() as client:
        slug = the_title(client, title)
        others = [o.name for o in client.delivery.origins(slug) if o.name != name and not o.paused]
        rest = f"{', '.join(others)} and the service" if others else "the service alone"
        err().print(f"Devices of {slug} fetch from {rest} then.")
        if not confirmed(f"Remove {name}?", yes):
            raise typer.Exit(1)
        client.delivery.remove_origin(slug, name)
    out().print(f"{name} is removed.")


def _change(name: str, asked: OriginChange, title: str) -> None:
    with signed_in() as client:
        found = client.delivery.change_origin(the_title(client, title), name, asked)
    row = next(o for o in found if o.name == name)
    out().print(f"{row.name}: {row.address}, priority {row.priority}, {_state(row)}.", soft_wrap=True)


def _state(of: DeliveryOrigin) -> str:
    if of.paused:
        return "paused"
    if of.said:
        return of.said
    return "current" if of.good_at else "not looked at yet"
