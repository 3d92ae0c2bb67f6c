"""rampa version …"""

from __future__ import annotations

from pathlib import Path

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import ago, err, out, print_json, table
from rampa.core.errors import Invalid
from rampa.core.version.name import bumped
from rampa.schema.versions import CodeHeld, NextCode, TakenIn

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Version names and version codes.")
STATES = {
    "held": Text("○ held", style="cyan"),
    "used": Text("✓ used", style="green"),
    "burned": Text("▲ burned", style="yellow"),
    "taken": Text("■ taken", style="magenta"),
}
PARTS = ("major", "minor", "patch", "stage")


@app.command("next")
def next_(
    profile: str = typer.Option("", "--profile", help="This profile alone."), title: str = TITLE, as_json: bool = JSON
) -> None:
    """The version code that each profile's next build would get, or why it would get none. Reserves nothing."""
    with signed_in() as client:
        items = [n for n in client.versions.next(the_title(client, title)) if profile in ("", n.profile)]
    if profile and not items:
        raise Invalid("profile.unknown", f"there is no profile {profile!r}", where="--profile")
    if as_json:
        print_json(items)
        return
    rows = [
        (n.profile, n.place, n.version_name, n.forming, _code(n), f"{n.limit:,}", f"{n.stops} {n.hint}".strip())
        for n in items
    ]
    table(["profile", "rises at", "version", "formed by", ">next code", ">limit", "~why none"], rows)


def _code(n: NextCode) -> str:
    return "–" if n.code is None else f"{n.code:,}"


@app.command("history")
def history(
    place: str = typer.Option(None, "--place", help="A storefront or platform."),
    identifier: str = typer.Option(None, "--identifier", help="Of one identifier only."),
    code: int = typer.Option(None, "--code", help="Who holds this one?"),
    rows: int = typer.Option(30, "--rows", min=1, help="How many, newest first."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Who holds which version code, and why."""
    query = {"place": place, "identifier": identifier, "code": code, "limit": min(rows, 200)}
    found: list[CodeHeld] = []
    with signed_in() as client:
        for held in client.versions.all(the_title(client, title), **{k: v for k, v in query.items() if v is not None}):
            found.append(held)
            if len(found) >= rows:
                break
    if as_json:
        print_json(found)
        return
    several = len({h.identifier for h in found}) > 1
    shown = [
        (
            f"{h.code:,}",
            f"{h.place} as {h.identifier}" if several else h.place,
            h.version_name,
            STATES[h.state],
            h.why,
            h.by,
            ago(h.at),
        )
        for h in found
    ]
    table([">code", "at", "version", "state", "~held by", "by", "when"], shown, "No version code was given yet.")


@app.command("mark-taken")
def taken(
    code: int = typer.Argument(None, help="A code that the storefront knows already."),
    place: str = typer.Option(..., "--place", help="The storefront, or the platform."),
    identifier: str = typer.Option("", "--identifier", help="A profile's own; the title's without it."),
    note: str = typer.Option("", "--note", help="How it came there."),
    bundle: Path = typer.Option(None, "--from", help="Learn it from a bundle that is at the storefront."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Record a version code that is taken at a storefront: it and lower ones are never given again."""
    asked = _learned(bundle, place, note) if bundle else None
    if asked is None:
        if code is None:
            raise Invalid("version.not-set", "give the code, or --from a bundle", where="CODE")
        asked = TakenIn(place=place, code=code, identifier=identifier, note=note)
    with signed_in() as client:
        held = client.versions.mark_taken(the_title(client, title), asked)
    if as_json:
        print_json(held)
        return
    out().print(f"Version code {held.code:,} of {held.identifier} is taken at {held.place}.")


def _learned(bundle: Path, place: str, note: str) -> TakenIn:
    from rampa.core.bundle.package import read_facts
    from rampa.core.bundle.sources import FileBytes
    from rampa.core.bundle.zip_reader import read_zip

    with FileBytes(bundle) as source:
        facts = read_facts(read_zip(source))
    if not facts.identifier or facts.version_code is None:
        raise Invalid(
            "version.not-set", f"this {facts.kind} bundle says no identifier and version code", where=str(bundle)
        )
    return TakenIn(
        place=place, code=facts.version_code, identifier=facts.identifier, version_name=facts.version_name[:64],
        note=note or f"read from {bundle.name}"[:300], origin="bundle",
    )  # fmt: skip


@app.command("bump")
def bump(
    part: str = typer.Argument("patch", help="major, minor, patch, or stage: the number of a pre-release."),
    to: str = typer.Option("", "--to", help="This very version name instead."),
    title: str = TITLE,
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Raise the version name in the profile document, as a new revision. Says what it would write first."""
    from rampa.core.profile.document import read_document
    from rampa.core.profile.edits import Edit, apply_edits

    if part not in PARTS:
        raise Invalid("version.part", f"there is no part {part!r}", hint=f"Choose: {', '.join(PARTS)}.")
    with signed_in() as client:
        slug = the_title(client, title)
        described = client.titles.get(slug)
        text = client.titles.revision(slug, described.revision).document
        before = read_document(text.encode()).title("version.name")
        try:
            after = to or bumped(before, part)
        except ValueError as error:
            raise Invalid(
                "version.name", str(error), where="version.name", hint="Give the new name: --to NAME."
            ) from error
        err().print(f"{slug}: version {before} -> {after}")
        if not confirmed("Write it as a new revision?", yes):
            raise typer.Exit(1)
        changed = apply_edits(text, [Edit(("version", "name"), after)])
        made = client.titles.revise(slug, changed, f"Version {after}.", described.revision)
    if as_json:
        print_json(made)
        return
    out().print(f"Version {after} is revision {made.revision}.")
