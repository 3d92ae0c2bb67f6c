"""rampa title …"""

from __future__ import annotations

from pathlib import Path

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import ago, err, facts, out, print_json, table
from rampa.core.placement.life import PlacementState
from rampa.core.profile.values import FILE_NAME
from rampa.schema.titles.titles import RampBuild, RampPlace, Title

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Titles and their profile documents.")


@app.command("import")
def import_(
    path: Path = typer.Argument(..., help=f"A profile document, or a folder that holds {FILE_NAME}."),
    message: str = typer.Option("", "--message", "-m", help="Why it changed."),
    commit: str = typer.Option(
        "", "--commit", help="The commit that it comes from, where a repository owns the document."
    ),
    as_json: bool = JSON,
) -> None:
    """Read a profile document: a new title, or a new revision of a known one. Every error comes with line and column."""
    from rampa.client.profiles.documents import read_file

    document = read_file(path)
    identifier = document.title("title.identifier")
    with signed_in() as client:
        known = next((t for t in client.titles.all() if t.identifier == identifier), None)
        if known is None:
            title = client.titles.add(document.text, message, commit)
            done = "imported"
        else:
            title = client.titles.revise(known.slug, document.text, message, known.revision, commit)
            done = "has not changed" if title.revision == known.revision else f"is at revision {title.revision} now"
    if as_json:
        print_json(title)
        return
    out().print(f"{title.name} ({title.slug}) {done}.")
    _profiles(title)


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """All titles."""
    with signed_in() as client:
        titles = client.titles.all()
    if as_json:
        print_json(titles)
        return
    rows = [(t.slug, t.name, t.identifier, t.version_name, t.revision, len(t.profiles)) for t in titles]
    empty = "There is no title yet. Import one: rampa title import FOLDER"
    table(["title", "name", "~identifier", "version", ">revision", ">profiles"], rows, empty)


@app.command("show")
def show(title: str = typer.Argument("", help="The title's short name."), as_json: bool = JSON) -> None:
    """One title: its profiles, and what is live where."""
    with signed_in() as client:
        name = the_title(client, title)
        found, ramp = client.titles.get(name), client.titles.ramp(name)
    if as_json:
        print_json({"title": found.model_dump(mode="json"), "ramp": ramp.model_dump(mode="json")})
        return
    facts([("title", found.slug), ("name", found.name), ("identifier", found.identifier), ("revision", found.revision)])
    _profiles(found)
    rows = []
    for row in ramp.rows:
        for build in row.builds:
            station = ramp.stations[build.height].name
            live = ", ".join(_live(build, place) for place in build.places)
            stop = build.stop.message if build.stop else (build.next.name if build.next and build.next.possible else "")
            rows.append((row.profile, f"#{build.number}", build.version_name, build.version_code, station, live, stop))
    columns = ["profile", "build", "version", ">code", "reached", "~live on", "~what comes next"]
    table(columns, rows, "No build yet. Make one: rampa build create --profile PROFILE --from FOLDER")


def _live(build: RampBuild, place: RampPlace) -> str:
    extent = {PlacementState.WHOLE: " the others" if place.rest else "", PlacementState.PLACED: " nobody yet"}
    held = " held at" if place.state == PlacementState.HELD else ""
    have = f" ({build.shares[place.channel]} % have it)" if place.channel in build.shares else ""
    return f"{place.channel}{extent.get(place.state, f'{held} {place.share:g} %')}{have}"


@app.command("revisions")
def revisions(title: str = TITLE, as_json: bool = JSON) -> None:
    """The revisions of the profile document, newest first."""
    with signed_in() as client:
        found = client.titles.revisions(the_title(client, title))
    if as_json:
        print_json(found)
        return
    rows = [(r.number, ago(r.created_at), r.created_by, r.commit[:12], r.message) for r in found]
    table([">revision", "when", "who", "commit", "~why"], rows)


@app.command("change")
def change(
    revision: int = typer.Argument(0, help="Which revision; the newest without it."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """What a revision changed against the one before it: profile by profile, and as text."""
    with signed_in() as client:
        name = the_title(client, title)
        found = client.titles.change(name, revision or client.titles.get(name).revision)
    if as_json:
        print_json(found)
        return
    if not found.before:
        out().print("It is the first revision: there is nothing before it.")
        return
    labels = {"changed": "", "new": " (new)", "gone": " (gone)"}
    rows = [
        (
            f"{profile.name}{labels[profile.state]}",
            d.key,
            d.left.text if d.left else "",
            d.right.text if d.right else "",
        )
        for profile in found.profiles
        for d in profile.differences
    ] + [(f"{p.name}{labels[p.state]}", "", "", "") for p in found.profiles if not p.differences]
    before, after = f"~revision {found.before}", f"~revision {found.number}"
    table(["profile", "setting", before, after], rows, "No profile resolves to anything else: only the text changed.")
    for line in found.difference.splitlines():
        out().print(line, style={"+": "green", "-": "red", "@": "dim"}.get(line[:1], ""), markup=False, soft_wrap=True)


@app.command("restore")
def restore(
    revision: int = typer.Argument(..., help="The revision whose text comes back."),
    title: str = TITLE,
    message: str = typer.Option("", "--message", "-m", help="Why."),
    yes: bool = YES,
) -> None:
    """Make an earlier revision's text the newest one: a new revision, nothing is thrown away."""
    from rampa.cli.profiles.profile import show_difference

    with signed_in() as client:
        name = the_title(client, title)
        now, then = client.titles.drafts(name), client.titles.revision(name, revision)
        if now.document == then.document:
            out().print(f"Revision {now.revision} says the same already.")
            return
        show_difference(now.document, then.document)
        if confirmed(f"Make this revision {now.revision + 1} of {name}?", yes):
            why = message or f"Back to revision {revision}."
            done = client.titles.revise(name, then.document, why, now.revision)
            out().print(f"{done.name} is at revision {done.revision} now, with the text of revision {revision}.")


@app.command("owner")
def owner(
    source: str = typer.Argument("", help="The source repository's address."),
    path: str = typer.Option(FILE_NAME, "--path", help="Where the document is in it."),
    service: bool = typer.Option(False, "--service", help="Give the document back to the service."),
    title: str = TITLE,
) -> None:
    """Say who owns the profile document: the service, or a source repository; the console then shows it read-only."""
    with signed_in() as client:
        name = the_title(client, title)
        given = "" if service else source
        found = client.titles.set_owner(name, given, path) if source or service else client.titles.get(name)
    where = f"{found.source} at {found.source_path}" if found.source else "the service"
    out().print(f"The profile document of {found.name} lives in {where}.")


@app.command("sandbox")
def sandbox(
    needed: bool | None = typer.Option(None, "--needed/--not-needed", help="What is to hold. [shows what holds]"),
    title: str = TITLE,
    yes: bool = YES,
) -> None:
    """Say whether the title's runs go only to agents that keep what they run in a sandbox. An owner's act."""
    with signed_in() as client:
        name = the_title(client, title)
        found = client.titles.get(name)
        if needed is False and found.sandbox_needed:
            err().print("Programs of its runs can then read and change what the agent's user can, its key among it.")
            if not confirmed(f"Let runs of {found.name} go to agents without a sandbox?", yes):
                raise typer.Exit(1)
        if needed is not None:
            found = client.titles.need_sandbox(name, needed=needed)
    where = "only to agents with a sandbox" if found.sandbox_needed else "to agents without a sandbox, too"
    out().print(f"Runs of {found.name} go {where}.")


@app.command("export")
def export(
    title: str = TITLE, revision: int = typer.Option(0, "--revision", help="Which one; the newest by default.")
) -> None:
    """Print a revision of the profile document, byte for byte."""
    with signed_in() as client:
        name = the_title(client, title)
        text = client.titles.revision(name, revision or client.titles.get(name).revision).document
    typer.echo(text, nl=False)


def _profiles(title: Title) -> None:
    rows = [
        (p.name, p.platform_title, p.purpose, ", ".join(p.architectures), p.identity or "unsigned", p.launch)
        for p in title.profiles
    ]
    table(["profile", "platform", "purpose", "architectures", "~signing identity", "~launch entry"], rows)
