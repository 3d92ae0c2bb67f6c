"""rampa title …"""

from __future__ import annotations

from pathlib import Path

import typer

from rampa.cli.common import JSON, TITLE, signed_in, the_title
from rampa.cli.output import ago, facts, out, print_json, table
from rampa.core.errors import NotFound
from rampa.core.profile.document import FILE_NAME, read_document
from rampa.schema.titles import Title

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Titles and their profile documents.")


@app.command("import")
def import_(
    path: Path = typer.Argument(..., help=f"A profile document, or a folder that holds {FILE_NAME}."),
    message: str = typer.Option("", "--message", "-m", help="Why it changed."),
    as_json: bool = JSON,
) -> None:
    """Read a profile document: a new title, or a new revision of a known one. Every error comes with line and column."""
    file = path / FILE_NAME if path.is_dir() else path
    try:
        data = file.read_bytes()
    except OSError as error:
        raise NotFound(
            "document.missing",
            f"there is no profile document here ({error.strerror})",
            where=str(file),
            hint=f"Name a file, or a folder that holds {FILE_NAME}.",
        ) from error
    document = read_document(data)
    identifier = document.values["title"]["identifier"]
    with signed_in() as client:
        known = next((t for t in client.titles() if t.identifier == identifier), None)
        if known is None:
            title = client.import_title(document.text, message)
            done = "imported"
        else:
            title = client.add_revision(known.slug, document.text, message, known.revision)
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
        titles = client.titles()
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
        found, ramp = client.title(name), client.ramp(name)
    if as_json:
        print_json({"title": found.model_dump(mode="json"), "ramp": ramp.model_dump(mode="json")})
        return
    facts([("title", found.slug), ("name", found.name), ("identifier", found.identifier), ("revision", found.revision)])
    _profiles(found)
    rows = []
    for row in ramp.rows:
        for build in row.builds:
            station = ramp.stations[build.height].name
            live = ", ".join(f"{c} {build.shares[c]}%" if c in build.shares else c for c in build.live_on)
            stop = build.stop.message if build.stop else (build.next.name if build.next and build.next.possible else "")
            rows.append((row.profile, f"#{build.number}", build.version_name, build.version_code, station, live, stop))
    columns = ["profile", "build", "version", ">code", "reached", "~live on", "~what comes next"]
    table(columns, rows, "No build yet. Make one: rampa build create --profile PROFILE --from FOLDER")


@app.command("revisions")
def revisions(title: str = TITLE, as_json: bool = JSON) -> None:
    """The revisions of the profile document, newest first."""
    with signed_in() as client:
        found = client.revisions(the_title(client, title))
    if as_json:
        print_json(found)
        return
    rows = [(r.number, ago(r.created_at), r.created_by, r.message) for r in found]
    table([">revision", "when", "who", "~why"], rows)


@app.command("export")
def export(
    title: str = TITLE, revision: int = typer.Option(0, "--revision", help="Which one; the newest by default.")
) -> None:
    """Print a revision of the profile document, byte for byte."""
    with signed_in() as client:
        name = the_title(client, title)
        text = client.revision(name, revision or client.title(name).revision).document
    typer.echo(text, nl=False)


def _profiles(title: Title) -> None:
    rows = [
        (p.name, p.platform_title, p.purpose, ", ".join(p.architectures), p.identity or "unsigned", p.launch)
        for p in title.profiles
    ]
    table(["profile", "platform", "purpose", "architectures", "~signing identity", "~launch entry"], rows)
