"""rampa profile …"""

from __future__ import annotations

from pathlib import Path

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import err, facts, out, print_json, table
from rampa.cli.profiles import tables
from rampa.core.errors import Invalid, NotFound
from rampa.core.files import disk_error, replace_file
from rampa.core.profile.text_changes import difference
from rampa.core.profile.values import FILE_NAME
from rampa.core.quantity import counted
from rampa.schema.profiles import profiles as wire

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Profiles: resolve, compare, check, fix, lay side by side; propose a first document.",
)
DOCUMENT = typer.Option(None, "--document", help="A document's file or folder, read here: no service is needed.")
REVISION = typer.Option(0, "--revision", help="Which revision; the newest by default.")


@app.command("resolve")
def resolve(
    name: str = typer.Argument(..., help="The profile."),
    title: str = TITLE,
    revision: int = REVISION,
    document: Path = DOCUMENT,
    everything: bool = typer.Option(False, "--all", help="Settings at their default too."),
    as_json: bool = JSON,
) -> None:
    """One profile: every setting with its value and where it was set."""
    if document:
        from rampa.client.profiles.documents import resolve_file

        found = resolve_file(document, name)
    else:
        with signed_in() as client:
            found = client.profiles.resolved(the_title(client, title), name, revision or None)
    if as_json:
        print_json(found)
        return
    shop = f", for {found.storefront}" if found.storefront else ""
    facts(
        [
            ("profile", f"{found.name}: {found.platform_title}, {found.purpose}{shop}"),
            ("facets", ", then ".join(found.facets) or "none"),
        ]
    )
    tables.resolved(found, everything)
    tables.findings(found.findings)


@app.command("compare")
def compare(
    left: str = typer.Argument(..., help="PROFILE, PROFILE@REVISION, or #BUILD for the profile that made it."),
    right: str = typer.Argument(..., help="The same."),
    title: str = TITLE,
    document: Path = DOCUMENT,
    as_json: bool = JSON,
) -> None:
    """What differs between two profiles, two revisions of one profile, or a profile and the one that made a build."""
    if document:
        from rampa.client.profiles.documents import compare_file

        found = compare_file(document, left, right)
    else:
        with signed_in() as client:
            found = client.profiles.compare(the_title(client, title), left, right)
    if as_json:
        print_json(found)
    else:
        tables.comparison(found)


@app.command("matrix")
def matrix(
    names: list[str] = typer.Argument(None, help="Only these profiles; all without any."),
    title: str = TITLE,
    revision: int = REVISION,
    document: Path = DOCUMENT,
    group: str = typer.Option("", "--group", help="Only one group of settings, such as code."),
    differing: bool = typer.Option(False, "--differing", help="Only settings that differ."),
    with_findings: bool = typer.Option(False, "--findings", help="Only settings in which checks found something."),
    as_json: bool = JSON,
) -> None:
    """All settings of all profiles, side by side; the odd ones out are marked."""
    if document:
        from rampa.client.profiles.documents import matrix_file

        found = matrix_file(document)
    else:
        with signed_in() as client:
            found = client.profiles.matrix(the_title(client, title), revision or None)
    groups = [g.name for g in found.groups]
    if group and group not in groups:
        raise Invalid("group.unknown", f"there is no group {group!r}", hint=f"There is: {', '.join(groups)}.")
    found = tables.only(found, names or [])
    broken = {f.key for f in found.findings}
    rows = [
        row
        for row in found.rows
        if (not group or row.group == group)
        and (not differing or row.differs)
        and (not with_findings or row.key in broken)
    ]
    if as_json:
        print_json(found.model_copy(update={"rows": rows}))
    elif rows:
        tables.matrix(found, rows)
    else:
        err().print("No setting is left. Leave out --differing or --findings.")


@app.command("check")
def check(
    title: str = TITLE,
    revision: int = REVISION,
    document: Path = DOCUMENT,
    profile: str = typer.Option("", "--profile", help="Only this profile's."),
    as_json: bool = JSON,
) -> None:
    """All findings of all profiles, by severity. Exit code 6 with a blocker, 9 with a warning and no blocker, else 0."""
    if document:
        from rampa.client.profiles.documents import check_file

        found = check_file(document)
    else:
        with signed_in() as client:
            found = client.profiles.check(the_title(client, title), revision or None)
    if profile:
        kept = [f for f in found.findings if f.profile == profile]
        found = found.model_copy(update={"findings": kept, "profiles": 1})
    severities = [f.severity for f in found.findings]
    if as_json:
        print_json(found)
    else:
        tables.findings(found.findings, f" --document {document}" if document else "")
        counts = [counted(severities.count(s), s) for s in ("blocker", "warning", "note")]
        out().print(f"{counted(found.profiles, 'profile')}: {', '.join(counts)}.")
    raise typer.Exit(6 if "blocker" in severities else 9 if "warning" in severities else 0)


@app.command("fix")
def fix(
    names: list[str] = typer.Argument(None, help="Findings by name, as `rampa profile check` shows them."),
    every: bool = typer.Option(False, "--all", help="All findings that have a fix."),
    title: str = TITLE,
    document: Path = DOCUMENT,
    message: str = typer.Option("", "--message", "-m", help="Why, for the new revision."),
    yes: bool = YES,
) -> None:
    """Make the edits that findings propose: shows the difference, asks, then writes the file or adds a revision."""
    from rampa.client.profiles import documents

    if document:
        data = documents.file_bytes(document)
        found = documents.check_file(document).findings
        changed = _fixed(data.decode(), found, names or [], every)
        if changed and confirmed(f"Write this to {documents.document_path(document)}?", yes):
            _write(documents.document_path(document), changed)
        return
    with signed_in() as client:
        name = the_title(client, title)
        drafts = client.titles.drafts(name)
        found = client.profiles.check(name).findings
        changed = _fixed(drafts.document, found, names or [], every)
        if changed and confirmed(f"Make this revision {drafts.revision + 1} of {name}?", yes):
            done = client.titles.revise(name, changed, message or "Fixes of findings.", drafts.revision)
            out().print(f"{done.name} is at revision {done.revision} now.")


def _fixed(text: str, found: list[wire.ProfileFindingOut], names: list[str], every: bool) -> str:
    """The text with the fixes made, after showing the difference; empty when there is nothing to do."""
    from rampa.client.profiles.documents import edited

    able = {f.name: f for f in found if f.fix}
    unknown = [n for n in names if n not in able]
    if unknown or not (names or every):
        said = f"no finding with a fix is named {unknown[0]}" if unknown else "which finding is not said"
        hint = f"There is: {', '.join(able)}; or --all." if able else "No finding has a fix that a machine could make."
        raise NotFound("finding.unknown", said, hint=hint)
    edits = [edit for f in (able.values() if every else [able[n] for n in names]) for edit in f.fix]
    changed = edited(text, edits)
    show_difference(text, changed)
    return changed if changed != text else ""


def show_difference(old: str, new: str) -> None:
    for line in difference(old, new, "now", "then").splitlines():
        style = {"+": "green", "-": "red", "@": "dim"}.get(line[:1], "")
        out().print(line, style=style, markup=False, soft_wrap=True)


def _write(path: Path, text: str) -> None:
    try:
        replace_file(path, text.encode())
    except OSError as error:
        raise disk_error(error, path) from error


@app.command("propose")
def propose(
    folder: Path = typer.Argument(..., help="The folder that holds the title's files."),
    write: bool = typer.Option(False, "--write", help=f"Write it as {FILE_NAME} into the folder."),
    studio: str = typer.Option("", "--studio", help="Who ships it."),
    domain: str = typer.Option("", "--domain", help="The studio's domain, from which the identifier is made."),
    as_json: bool = JSON,
) -> None:
    """Propose a first profile document for a folder; each line says why. No service is needed."""
    from rampa.client.profiles.documents import propose_folder

    made = propose_folder(folder, studio=studio, domain=domain)
    if as_json:
        print_json({"document": made.text, "reasons": [{"line": line, "why": why} for line, why in made.reasons]})
        return
    if not write:
        typer.echo(made.text, nl=False)
        return
    target = folder / FILE_NAME
    if target.exists():
        hint = "Leave out --write to see the proposal, or move the document away."
        raise Invalid("document.exists", "there is a profile document already", where=str(target), hint=hint)
    _write(target, made.text)
    out().print(f"Written to {target}. Correct it, then: rampa profile check --document {folder}")


@app.command("settings")
def settings(
    word: str = typer.Argument("", help="A key or a part of one."),
    as_json: bool = JSON,
) -> None:
    """Every setting that a profile document can have, with type, default and example. No service is needed."""
    from rampa.schema.profiles.of_core import settings_out

    found = settings_out()
    rows = [s for s in found.settings if word.lower() in f"{s.key} {s.label}".lower()]
    if as_json:
        print_json(rows)
        return
    shown = [(s.key, s.kind, ", ".join(s.allowed) or s.unit, s.help, s.example) for s in rows]
    table(["setting", "type", "~allowed", "~what it is", "~example"], shown, f"No setting is named like {word!r}.")
