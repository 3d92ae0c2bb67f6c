"""`rampa source`: connect a repository, look at branches, tags and commits; upload a folder."""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, LIMIT, TITLE, first_rows, signed_in, the_title
from rampa.cli.base.files import read_file
from rampa.cli.base.output import ago, err, facts, mb, out, print_json, print_text, table
from rampa.core.errors import Unavailable
from rampa.core.quantity import counted

if TYPE_CHECKING:
    from rampa.client import Client
    from rampa.schema.sources import BuiltFrom, SeenDocument, SourceOut

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Sources: a title's repository, or uploaded folders."
)
SEARCH = typer.Option("", "--search", help="Names that hold this.")
WAIT = 600.0
PASSWORD = "RAMPA_SOURCE_PASSWORD"


@app.command("connect")
def connect(
    address: str = typer.Argument(..., help="Any address that git takes: a path, https://…, ssh://…, name@host:path."),
    user: str = typer.Option("", "--user", help=f"For HTTPS; the password comes from {PASSWORD} or is asked for."),
    key: Path = typer.Option(None, "--key", help="An SSH private key's file."),
    submodules: bool = typer.Option(False, "--submodules", help="Builds check out submodules, too."),
    every: int = typer.Option(60, "--every", min=0, help="Look at it every so many seconds; 0: only when asked."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Connect a repository and fetch it."""
    from rampa.schema.sources import SourceIn

    password = _password() if user else ""
    # A path means this folder, wherever the service runs.
    if Path(address).is_dir():
        address = str(Path(address).resolve())
    with signed_in() as client:
        slug = the_title(client, title)
        before = None
        asked = SourceIn(
            address=address,
            user=user,
            password=password,
            key=_key(key),
            submodules=submodules,
            every=every,
        )
        before = client.sources.connect(slug, asked).tried_at
        found = _fetched(client, slug, before)
        seen = client.sources.proposal(slug)
    if as_json:
        print_json(found)
        return
    _source(found)
    if seen.found:
        err().print(f"It has a rampa.toml at {seen.commit[:10]}; `rampa source document --title {slug}` shows it.")
    else:
        err().print(f"It has no rampa.toml; `rampa source document --title {slug}` proposes one from its tree.")


def _password() -> str:
    return os.environ.get(PASSWORD) or typer.prompt("Password or token", hide_input=True, err=True)


def _key(path: Path | None) -> str:
    return read_file(path, "SSH key").decode(errors="replace") if path else ""


def _fetched(client: Client, slug: str, before: object) -> SourceOut:
    """Waits for the fetch that was asked for. Raises what git said."""
    end = time.monotonic() + WAIT
    if sys.stderr.isatty():
        err().print("Fetching …", style="dim")
    while time.monotonic() < end:
        found = client.sources.get(slug)
        if found.tried_at != before:
            if found.error:
                hint = "Fix it, then: rampa source fetch"
                raise Unavailable("source.fetch", f"the repository could not be fetched: {found.error}", hint=hint)
            return found
        time.sleep(0.3)
    raise Unavailable("source.fetch", "the fetch is not done yet; it goes on in the service", hint="rampa source show")


@app.command("fetch")
def fetch(title: str = TITLE, as_json: bool = JSON) -> None:
    """Fetch the repository now."""
    with signed_in() as client:
        slug = the_title(client, title)
        found = _fetched(client, slug, client.sources.fetch(slug).tried_at)
    if as_json:
        print_json(found)
        return
    _source(found)


@app.command("show")
def show(title: str = TITLE, as_json: bool = JSON) -> None:
    """The repository, and the state of its mirror."""
    with signed_in() as client:
        found = client.sources.get(the_title(client, title))
    if as_json:
        print_json(found)
        return
    _source(found)


def _source(found: SourceOut) -> None:
    kept = {"password": f"a password of {found.user}", "key": "an SSH key", "": "none"}[found.credential]
    holds = f"{counted(found.branches, 'branch', 'branches')}, {counted(found.tags, 'tag')}"
    rows: list[tuple[str, object]] = [
        ("repository", Text(found.address, style="bold")),
        ("credential", kept),
        ("holds", f"{holds}; its own is {found.branch or '-'}"),
        ("fetched", f"{ago(found.fetched_at)}{f', every {found.every} s' if found.every else ', only when asked'}"),
        ("submodules", "checked out" if found.submodules else "left alone"),
    ]
    if found.error:
        rows.append(("error", Text(found.error, style="bold red")))
    facts(rows)
    if found.defaults:
        out().print()
        rows_ = [(d.pattern, ", ".join(d.profiles) or "-", d.step_variables or "-") for d in found.defaults]
        table(["branches", "~profiles", "step variables"], rows_)


@app.command("branches")
def branches(
    title: str = TITLE,
    search: str = SEARCH,
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """Branches, the newest commit first, with what was built from it."""
    _refs("branch", title, search, limit, as_json)


@app.command("tags")
def tags(
    title: str = TITLE,
    search: str = SEARCH,
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """Tags, the newest commit first, with what was built from it."""
    _refs("tag", title, search, limit, as_json)


def _refs(kind: str, title: str, search: str, limit: int, as_json: bool) -> None:
    with signed_in() as client:
        rows = first_rows(client.sources.refs, the_title(client, title), kind, limit=limit, search=search)
    if as_json:
        print_json(rows)
        return
    table(
        [kind, "commit", "~message", "author", "when", "~built"],
        [(r.name, r.commit[:10], r.subject, r.author, ago(r.at), _built(r.built)) for r in rows],
        f"There is no such {kind}.",
    )


@app.command("commits")
def commits(
    of: str = typer.Option("", "--at", help="Branch, tag or commit. [the repository's own branch]"),
    title: str = TITLE,
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """Commits, newest first, with what was built from each."""
    with signed_in() as client:
        rows = first_rows(client.sources.commits, the_title(client, title), of, limit=limit)
    if as_json:
        print_json(rows)
        return
    table(
        ["commit", "~message", "author", "when", "~built"],
        [(c.commit[:10], c.subject, c.author, ago(c.at), _built(c.built)) for c in rows],
    )


def _built(built: list[BuiltFrom]) -> str:
    made = [f"#{b.build} {b.profile}" for b in built if b.build]
    other = [f"run {b.run} {b.state}" for b in built if not b.build]
    return ", ".join([*made, *other][:4]) + (" …" if len(built) > 4 else "")


@app.command("document")
def document(
    of: str = typer.Option("", "--at", help="Branch, tag or commit."), title: str = TITLE, as_json: bool = JSON
) -> None:
    """The profile document in the repository, or one proposed from its tree, on standard output."""
    with signed_in() as client:
        found = client.sources.proposal(the_title(client, title), of)
    if as_json:
        print_json(found)
        return
    _told(found)


def _told(found: SeenDocument) -> None:
    where = "stands in the repository" if found.found else "is proposed from the tree"
    err().print(f"It {where}, commit {found.commit[:10]}.")
    print_text([found.document.encode()])


@app.command("try")
def look(
    address: str = typer.Argument(..., help="Any address that git takes."),
    of: str = typer.Option("", "--at", help="Branch, tag or commit. [the repository's own branch]"),
    user: str = typer.Option("", "--user", help=f"For HTTPS; the password comes from {PASSWORD} or is asked for."),
    key: Path = typer.Option(None, "--key", help="An SSH private key's file."),
    as_json: bool = JSON,
) -> None:
    """The profile document of a repository that no title has yet, or one proposed from its tree, on standard output."""
    from rampa.schema.sources import SourceIn, TryIn

    if Path(address).is_dir():
        address = str(Path(address).resolve())
    secret = {"password": _password() if user else "", "key": _key(key)}
    with signed_in() as client:
        found = client.sources.try_repository(TryIn(source=SourceIn(address=address, user=user, **secret), of=of))
    if as_json:
        print_json(found)
        return
    _told(found)


@app.command("default")
def default(
    pattern: str = typer.Argument(..., help="Of branches: * any characters, ? one."),
    profile: list[str] = typer.Option([], "--profile", help="A profile; repeatable. None: the default is removed."),
    step_variables: str = typer.Option("", "--variables", help="A set of step variables."),
    place: str = typer.Option("", "--place", help="The channel that finished builds go to by themselves."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Which profiles, step variables and channel branches have as their own; the first pattern that matches counts."""
    from rampa.schema.sources import BranchDefault

    with signed_in() as client:
        slug = the_title(client, title)
        matched = client.sources.matches(slug, "branch", pattern).matched
        kept = [d for d in client.sources.get(slug).defaults if d.pattern != pattern]
        new = (
            [BranchDefault(pattern=pattern, profiles=profile, step_variables=step_variables, place=place)]
            if profile or step_variables or place
            else []
        )
        found = client.sources.set_defaults(slug, [*kept, *new])
    if as_json:
        print_json(found)
        return
    err().print(f"{pattern} matches today: {', '.join(matched) or 'no branch'}.")
    _source(found)


@app.command("upload")
def upload(
    folder: Path = typer.Argument(..., help="The title's folder."),
    note: str = typer.Option("", "--note", help="What this copy is, for people."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Upload a folder as a source for runs; only what the service lacks travels."""
    from rampa.cli.base.progress import Bars
    from rampa.client.sources.folders import upload_folder

    with signed_in() as client, Bars({"upload": "Sending the folder"}, quiet=as_json) as bars:
        slug = the_title(client, title)
        made, sent, stayed = upload_folder(client, slug, folder, note, lambda d, t, p: bars.show("upload", d, t))
    if as_json:
        print_json(made)
        return
    out().print(f"Folder {made.number}: {counted(made.files, 'file')}, {mb(made.size)}; sent {mb(sent.uploaded)}.")
    if stayed:
        out().print(f"{counted(stayed, 'file')} of version control and secrets stayed out.")
    err().print(f"Build it: rampa run start PROFILE --folder {made.number}")


@app.command("folders")
def folders(title: str = TITLE, as_json: bool = JSON) -> None:
    """Uploaded folders, newest first."""
    with signed_in() as client:
        found = client.sources.folders(the_title(client, title))
    if as_json:
        print_json(found)
        return
    table(
        [">folder", ">files", ">size", "uploaded", "by", "~note"],
        [(f.number, f"{f.files:,}", mb(f.size), ago(f.created_at), f.created_by, f.note) for f in found],
        "No folder was uploaded: rampa source upload FOLDER",
    )
