"""rampa studio …"""

from __future__ import annotations

from pathlib import Path

import typer

from rampa.cli.base.common import JSON, YES, confirmed, signed_in
from rampa.cli.base.files import read_file, write_private
from rampa.cli.base.output import ago, day, err, facts, mb, out, print_json, table
from rampa.core.quantity import counted
from rampa.core.studio.verification import OWN, WAITING, DocumentKind, VerificationState
from rampa.schema.studio import StudioFacts, StudioOut, VerdictIn, VerifiedAt

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="The studio: who it is, its documents, its verification.",
)
KIND = typer.Option(..., "--kind", help="What it is: register, address or signatory.")
VERIFIER = typer.Argument(
    ..., metavar="VERIFIER", help=f"A storefront's short name, or {OWN} for the studio's own reviewers."
)
MARKS = {VerificationState.VERIFIED: "✓", VerificationState.REFUSED: "■", VerificationState.ASKED: "▲"}


@app.command("show")
def show(as_json: bool = JSON) -> None:
    """Who the studio is, what lies there to show it, and where each verification is."""
    with signed_in() as client:
        _said(client.studio.get(), as_json)


@app.command("say")
def say(
    legal_name: str = typer.Option(None, "--legal-name", help="Its name by law."),
    address: str = typer.Option(None, "--address", help="Where it is, as on a letter."),
    contact: str = typer.Option(None, "--contact", help="A mail address of it."),
    register: str = typer.Option(None, "--register-number", help="Its number in the register of companies."),
    as_json: bool = JSON,
) -> None:
    """Say who the studio is. What is not said here stays."""
    said = {"legal_name": legal_name, "postal_address": address, "contact": contact, "register_number": register}
    with signed_in() as client:
        before = client.studio.get().facts.model_dump()
        changed = {name: value for name, value in said.items() if value is not None}
        _said(client.studio.say(StudioFacts(**(before | changed))), as_json)


@app.command("add-document")
def add_document(
    file: Path = typer.Argument(..., metavar="FILE", help="A PDF, PNG or JPEG of up to 8 MiB."),
    kind: DocumentKind = KIND,
    as_json: bool = JSON,
) -> None:
    """Add a document, in place of one of its kind. It rests sealed; owners and reviewers read it."""
    data = read_file(file)
    with signed_in() as client:
        _said(client.studio.add_document(kind, file.name, data), as_json)


@app.command("drop-document")
def drop_document(kind: DocumentKind = KIND, yes: bool = YES) -> None:
    """Remove a document. What was handed in stays handed in."""
    if not confirmed(f"Remove the document for {kind}?", yes):
        raise typer.Exit(1)
    with signed_in() as client:
        client.studio.drop_document(kind)
    out().print(f"The document for {kind} is gone.")


@app.command("save-document")
def save_document(
    file: Path = typer.Argument(..., metavar="FILE", help="Where it is written; nothing may be there."),
    kind: DocumentKind = KIND,
) -> None:
    """Save a document here. That you read it is written down."""
    with signed_in() as client:
        write_private(file, client.studio.document(kind))
    out().print(f"{file} is written.", soft_wrap=True)


@app.command("hand-in")
def hand_in(verifier: str = VERIFIER, as_json: bool = JSON) -> None:
    """Hand in what is said and lies there, to be verified."""
    with signed_in() as client:
        _said(client.studio.hand_in(verifier), as_json, verifier)


@app.command("look")
def look(verifier: str = VERIFIER, as_json: bool = JSON) -> None:
    """Ask a storefront now where the verification is."""
    with signed_in() as client:
        _said(client.studio.look(verifier), as_json, verifier)


@app.command("decide")
def decide(
    verdict: str = typer.Argument(..., metavar="VERDICT", help="verify, ask, refuse, or end."),
    text: str = typer.Option("", "--words", help="In words; needed to ask and to refuse."),
    as_json: bool = JSON,
) -> None:
    """The word of the studio's own reviewers, for Rampa's own lines. Whoever handed it in does not decide."""
    with signed_in() as client:
        _said(client.studio.decide(VerdictIn(verdict=verdict, text=text)), as_json, OWN)


def _said(found: StudioOut, as_json: bool, verifier: str = "") -> None:
    if as_json:
        print_json(found)
        return
    if not verifier:
        _who(found)
    shown = [v for v in found.verifications if verifier in ("", v.verifier)]
    table(["verified by", "", "state", "since", "~what now"], [_row(v) for v in shown])
    for each in shown:
        for word in each.words[-3:]:
            out().print(f"{word.by} at {each.title}, {ago(word.at)}: {word.text}", soft_wrap=True, highlight=False)
    if not found.verified:
        err().print("Nothing goes to everybody on Rampa's own lines before somebody verified the studio.")


def _who(found: StudioOut) -> None:
    said = found.facts
    facts(
        [
            ("studio", found.name),
            ("name by law", said.legal_name or "not said"),
            ("address", said.postal_address or "not said"),
            ("contact", said.contact or "not said"),
            ("register", said.register_number or "not said"),
        ]
    )
    kinds = {k.kind: k.words for k in found.kinds}
    rows = [(d.kind, d.name, mb(d.size), d.added_by, ago(d.added_at), kinds[d.kind]) for d in found.documents]
    empty = "No document yet: rampa studio add-document FILE --kind register"
    table(["document", "~file", ">size", "added by", "when", "~what it is"], rows, empty)


def _row(at: VerifiedAt) -> tuple[str, str, str, str, str]:
    return at.title, at.verifier, f"{MARKS.get(at.state, '●')} {at.state_words}", ago(at.since), _now(at)


def _now(at: VerifiedAt) -> str:
    if at.state in WAITING:
        return f"waits for {counted(at.days, 'day')}; said to take {counted(at.usual_days, 'day')}"
    if at.state is VerificationState.VERIFIED:
        return f"until {day(at.until)}" if at.until else ""
    first = [*at.lacking, *at.missing]
    return f"first: {', '.join(first)}" if first else f"rampa studio hand-in {at.verifier}"
