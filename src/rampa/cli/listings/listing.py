"""rampa listing …"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import BLOCKED, WARNED, ago, err, mb, out, print_json, table
from rampa.cli.base.progress import Bars
from rampa.cli.listings import tables
from rampa.core.devices.screen import Form
from rampa.core.errors import Conflict, NotFound
from rampa.core.files import disk_error, replacing
from rampa.core.listing.link import LinkState
from rampa.core.quantity import counted

if TYPE_CHECKING:
    from rampa.client import Client

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Listings: what a title says of itself on storefronts."
)
FOLDER = typer.Argument(..., metavar="FOLDER", help="The listing's folder, or the one that holds it.")
MESSAGE = typer.Option("", "--message", "-m", help="Why it changed.")
LINK_MARKS = {
    LinkState.UNKNOWN: "not looked at yet",
    LinkState.GOOD: "✓ answers",
    LinkState.FAILING: "▲ fails",
    LinkState.DEAD: "■ dead",
    LinkState.REFUSED: "■ leads inside",
}


@app.command("show")
def show(title: str = TITLE, as_json: bool = JSON) -> None:
    """How a title's listing stands for each storefront and language."""
    with signed_in() as client:
        slug = the_title(client, title)
        found = client.listings.check(slug)
    if as_json:
        print_json(found)
        return
    if not found.number:
        err().print("There is no listing yet. Begin one in the console, or: rampa listing import FOLDER")
        return
    out().print(f"Listing of {slug}, state {found.number}, in {counted(len(found.languages), 'language')}.")
    tables.standings(found)


@app.command("check")
def check(
    folder: Path = typer.Argument(
        None, metavar="[FOLDER]", help="A listing's folder here; without one, the service's."
    ),
    storefront: str = typer.Option("", "--storefront", help="Only this storefront's, and what is of all."),
    draft: bool = typer.Option(False, "--draft", help="Your draft in the service."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """All findings, by severity. Exit code 6 with a blocker, 9 with a warning and no blocker, else 0.

    A folder is checked against the storefronts of the profile document beside it, without any service; links are not looked at.
    """
    if folder:
        from rampa.client.listings.checked import check_folder

        found = check_folder(folder)
    else:
        with signed_in() as client:
            found = client.listings.check(the_title(client, title), draft).findings
    kept = [f for f in found if not storefront or f.storefront in ("", storefront)]
    if as_json:
        print_json(kept)
    else:
        tables.findings(kept)
    severities = {f.severity for f in kept}
    raise typer.Exit(BLOCKED if "blocker" in severities else WARNED if "warning" in severities else 0)


@app.command("import")
def import_(
    folder: Path = FOLDER,
    message: str = MESSAGE,
    commit: str = typer.Option("", "--commit", help="The commit that it comes from, where a repository owns it."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Send a whole folder as the next state; all that is wrong with it is said at once, and then nothing changes."""
    from rampa.client.listings import folder as folders

    read = folders.read_folder(folders.find_folder(folder))
    if read.others:
        err().print(
            f"Left alone, no part of a listing: {', '.join(read.others[:5])}{' …' if len(read.others) > 5 else ''}"
        )
    with signed_in() as client, Bars({"send": "Sending pictures"}, as_json) as bars:
        slug = the_title(client, title)
        before = client.listings.get(slug).number
        done = folders.send_folder(
            client.listings, slug, read, message, commit, before, lambda at, of: bars.show("send", at, of)
        )
    if as_json:
        print_json(done)
        return
    said = "has not changed" if done.number == before else f"is at state {done.number} now"
    out().print(f"The listing of {slug} {said}.")


@app.command("export")
def export(
    folder: Path = typer.Argument(..., metavar="FOLDER", help="Where to write it; made if it is not there."),
    state: int = typer.Option(None, "--state", help="An earlier state."),
    replace: bool = typer.Option(False, "--replace", help="Write over the listing that is there."),
    title: str = TITLE,
) -> None:
    """Write the listing as a folder of text files and pictures."""
    from rampa.client.listings import folder as folders

    with signed_in() as client:
        slug = the_title(client, title)
        left = folders.write_folder(client.listings, slug, folder, state, replace)
    out().print(f"The listing of {slug} is in {folder}.", soft_wrap=True)
    if left:
        err().print(f"Not in it, and left as they are: {', '.join(left)}", soft_wrap=True)


@app.command("history")
def history(title: str = TITLE, as_json: bool = JSON) -> None:
    """All states, newest first."""
    with signed_in() as client:
        states = client.listings.states(the_title(client, title))
    if as_json:
        print_json(states)
        return
    rows = [(s.number, s.created_by, ago(s.created_at), s.commit[:10], s.message) for s in states]
    table([">state", "by", "when", "commit", "~message"], rows, "There is no state yet.")


@app.command("compare")
def compare(
    state: int = typer.Argument(..., help="A state's number."),
    against: int = typer.Option(None, "--against", help="Another state; without it, the one before."),
    live: str = typer.Option(
        "", "--live", metavar="STOREFRONT", help="In place of a state: what players see there now."
    ),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """What a state changed, value by value."""
    with signed_in() as client:
        slug = the_title(client, title)
        found = client.listings.compare(slug, state, _live(client, slug, live) if live else against)
    if as_json:
        print_json(found)
        return
    tables.changes(found.changes, f"state {found.before}" if found.before else "nothing", f"state {found.after}")


def _live(client: Client, title: str, storefront: str) -> int:
    """The state that players see there."""
    standing = next((s for s in client.listings.check(title).storefronts if s.name == storefront), None)
    if standing is None or not standing.live:
        message = f"nothing of the listing is live at {storefront} yet"
        raise NotFound("listing.not-live", message, where="--live", hint="rampa submission list says what is where.")
    return standing.live


@app.command("fix")
def fix(
    names: list[str] = typer.Argument(None, help="Findings by name, as `rampa listing check` shows them."),
    every: bool = typer.Option(False, "--all", help="All findings that have a fix."),
    message: str = MESSAGE,
    title: str = TITLE,
    yes: bool = YES,
) -> None:
    """Make the edits that findings propose: shows them, asks, then saves the next state."""
    with signed_in() as client:
        slug = the_title(client, title)
        draft = client.listings.draft(slug)
        if draft.version and not draft.same:
            hint = "Save it or throw it away in the console; its findings have their fixes there."
            raise Conflict("listing.draft", "you have a draft of this listing", hint=hint)
        able = {f.name: f for f in client.listings.check(slug).findings if f.fix}
        unknown = [n for n in names or [] if n not in able]
        if unknown or not (names or every):
            said = f"no finding with a fix is named {unknown[0]}" if unknown else "which finding is not said"
            hint = (
                f"There is: {', '.join(able)}; or --all." if able else "No finding has a fix that a machine could make."
            )
            raise NotFound("finding.unknown", said, hint=hint)
        chosen = list(able.values()) if every else [able[n] for n in names]
        tables.fixes(chosen)
        if not chosen:
            out().print("No finding has a fix.")
            return
        if not confirmed(f"Save this as the next state of the listing of {slug}?", yes):
            raise typer.Exit(1)
        client.listings.edit(slug, draft.newest, [edit for f in chosen for edit in f.fix])
        done = client.listings.save(slug, message or "Fixes of findings.")
    out().print(f"The listing of {slug} is at state {done.number} now.")


@app.command("preview")
def preview(
    storefront: str = typer.Option(..., "--storefront", help="The storefront, as in northquay."),
    language: str = typer.Option("en", "--language", help="What the player reads, as en or pt-BR."),
    form: Form | None = typer.Option(None, "--form", help="Form of device; without it, the storefront's first."),
    draft: bool = typer.Option(False, "--draft", help="Your draft, in place of the newest state."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """What a simulated storefront would show, as words; the console draws it."""
    with signed_in() as client:
        slug = the_title(client, title)
        if form is None:
            rules = next((r for r in client.listings.rules().items if r.storefront == storefront), None)
            if rules is None:
                raise NotFound("storefront.unknown", f"there is no storefront {storefront!r}")
            form = Form(next(iter(rules.pictures)))
        found = client.listings.shown(slug, storefront, language, form, draft)
    if as_json:
        print_json(found)
        return
    tables.shown(found)


@app.command("links")
def links(
    look: bool = typer.Option(False, "--look", help="Have all of them looked at now, in the background."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """The links that it names, and whether they answered when they were looked at."""
    with signed_in() as client:
        slug = the_title(client, title)
        found = client.listings.look_at_links(slug) if look else client.listings.links(slug)
    if as_json:
        print_json(found)
        return
    rows = [
        (x.address, x.where, LINK_MARKS[x.state], ago(x.looked_at) if x.looked_at else "", x.said) for x in found.items
    ]
    table(["~address", "~where", "state", "looked at", "~said"], rows, "The listing names no link.")
    if look:
        err().print("They are looked at within seconds: ask again.")


@app.command("source-archive")
def source_archive(
    build: str = typer.Argument(..., help="A build, as in peatlight#14."),
    to: Path = typer.Option(None, "--to", metavar="FILE", help="Where to write it."),
    title: str = TITLE,
) -> None:
    """Fetch the source of a build's commit as a tar.zst: what an open licence asks to be given along."""
    with signed_in() as client:
        slug, number = the_build(client, build, title)
        file = to or Path(f"{slug}-{number}-source.tar.zst")
        size = 0
        try:
            with replacing(file) as written:
                for piece in client.listings.source_archive(slug, number):
                    size += written.write(piece)
        except OSError as error:
            raise disk_error(error, file) from error
    out().print(f"{file}: {mb(size)}. Read it with: tar --zstd -tf {file}", soft_wrap=True)
