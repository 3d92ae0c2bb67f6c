"""rampa grant …"""

from __future__ import annotations

from pathlib import Path

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, TITLE, signed_in, the_build, the_title
from rampa.cli.base.output import ago, out, print_json, table
from rampa.core.quantity import counted
from rampa.schema.signing.grants import GrantOut, NewGrant

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Grants: which devices a restricted build may run on."
)


@app.command("make")
def make(
    profile: str = typer.Argument(..., help="A testing or development profile of a platform that wants grants."),
    devices: list[str] = typer.Option([], "--device", help="A registered device; can be repeated. All without it."),
    days: int = typer.Option(90, "--days", min=1, max=366, help="When it ends."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Sign the list of devices that builds of a profile may run on."""
    with signed_in() as client:
        made = client.signing.make_grant(
            the_title(client, title), NewGrant(profile=profile, devices=devices, days=days)
        )
    if as_json:
        print_json(made)
        return
    out().print(f"Grant {made.number}: {counted(len(made.devices), 'device')} until {made.expires_at:%Y-%m-%d}.")
    out().print("Builds from now on have it. To give it to a build that is there: rampa build re-sign BUILD")


@app.command("list")
def list_(title: str = TITLE, as_json: bool = JSON) -> None:
    """Grants, and the builds that must be signed again because a device came later."""
    with signed_in() as client:
        found = client.signing.grants(the_title(client, title))
    if as_json:
        print_json(found)
        return
    columns = [">grant", "for", "purpose", "signed by", "~devices", "ends", "~builds"]
    table(columns, [_row(g) for g in found.items], "There is no grant yet. Make one: rampa grant make PROFILE")
    for one in found.behind:
        which = f"grant {one.grant}" if one.grant else "no grant"
        first = f"rampa grant make {one.profile}, then " if one.newest else ""
        text = f"▲ {one.name} ({which}) does not run on {', '.join(one.devices)}: {first}rampa build re-sign {one.name}"
        out().print(Text(text, style="yellow"))


def _row(g: GrantOut) -> tuple[object, ...]:
    ends = Text(f"ended {ago(g.expires_at)}", style="yellow") if g.ended else f"{g.expires_at:%Y-%m-%d}"
    builds = ", ".join(f"#{n}" for n in g.builds) or "–"
    return g.number, g.identifier, g.purpose, g.identity, ", ".join(g.devices), ends, builds


@app.command("show")
def show(
    build: str = typer.Argument(..., metavar="BUILD", help="Such as peatlight#14."),
    to: Path = typer.Option(None, "--out", help="Write the signed grant (CMS) there."),
) -> None:
    """The grant that a build was signed with, verified here."""
    from rampa.core.signing.grant import read

    with signed_in() as client:
        title, number = the_build(client, build)
        signed = client.signing.grant_of(title, number)
    grant = read(signed)
    if to:
        to.write_bytes(signed)
    out().print(f"Grant {grant.number} for {grant.identifier}, {grant.purpose}, until {grant.expires_at:%Y-%m-%d}")
    out().print(f"Signed with the certificate {grant.certificate}; the signature holds.")
    for device in grant.devices:
        out().print(f"  {device}")
