"""rampa review …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, LIMIT, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import ago, facts, findings, mb, moment, out, print_json, table, usual_words
from rampa.core.quantity import hours
from rampa.core.submission.desk import REASONS
from rampa.schema import reviews as wire

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="The studio's own review desk: what waits, claim it, ask, refuse, pass.",
)
NUMBER = typer.Argument(..., help="The review's number.")
WORDS = typer.Option(..., "--words", help="What you say.")
ABOUT = typer.Option("", "--about", help="The place that it is about, as permission camera.")


@app.command("list")
def list_(
    title: str = TITLE,
    over: bool = typer.Option(False, "--over", help="What has its verdict, in place of what waits."),
    mine: bool = typer.Option(False, "--mine", help="What you have claimed."),
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """What waits for a verdict, what was promised earliest first."""
    with signed_in() as client:
        found = list(client.reviews.all("over" if over else "open", title, mine=mine))[:limit]
    if as_json:
        print_json(found)
        return
    rows = [
        (
            r.number,
            r.build_name,
            r.version_name,
            r.platform,
            r.channel,
            r.words,
            r.claimed_by,
            ago(r.since),
            _promise(r),
        )
        for r in found
    ]
    columns = [">review", "build", "version", "platform", "for", "state", "~who has it", "waits since", "promised"]
    table(columns, rows, "Nothing waits for the studio's reviewers.")


@app.command("put")
def put(
    build: str = typer.Argument(..., metavar="BUILD", help="The build, as in peatlight#14."),
    channel: str = typer.Option("public", "--for", metavar="CHANNEL", help="The channel that it is to go to."),
    notes: str = typer.Option("", "--notes", help="What the reviewers should look at."),
    promise: int = typer.Option(24, "--within", min=1, max=720, metavar="HOURS", help="When a verdict is promised."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Put a build before the studio's own reviewers."""
    with signed_in() as client:
        slug, number = the_build(client, build, title)
        found = client.reviews.make(slug, wire.NewReview(build=number, channel=channel, notes=notes, hours=promise))
    _shown(found, as_json)


@app.command("show")
def show(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """A review with everything about it."""
    with signed_in() as client:
        found = client.reviews.get(the_title(client, title), number)
    _shown(found, as_json)


@app.command("claim")
def claim(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Take it: nobody else then, for a quarter of an hour without a word of yours."""
    _act(number, title, "claim", as_json)


@app.command("give-back")
def give_back(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Put it back in line."""
    _act(number, title, "lapse", as_json)


@app.command("note")
def note(number: int = NUMBER, words: str = WORDS, title: str = TITLE, as_json: bool = JSON) -> None:
    """Say something to the other reviewers alone."""
    _act(number, title, "note", as_json, words)


@app.command("ask")
def ask(number: int = NUMBER, words: str = WORDS, about: str = ABOUT, title: str = TITLE, as_json: bool = JSON) -> None:
    """Ask who made it; it waits for their answer."""
    _act(number, title, "ask", as_json, words, about)


@app.command("refuse")
def refuse(
    number: int = NUMBER,
    words: str = WORDS,
    reason: str = typer.Option(..., "--reason", help=f"One of: {', '.join(REASONS)}."),
    about: str = ABOUT,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Refuse it, with a reason of the list and in words."""
    _act(number, title, "refuse", as_json, words, about, reason)


@app.command("pass")
def pass_(
    number: int = NUMBER,
    words: str = typer.Option("", "--words", help="What you say."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Pass it."""
    _act(number, title, "pass", as_json, words)


@app.command("answer")
def answer(number: int = NUMBER, words: str = WORDS, title: str = TITLE, as_json: bool = JSON) -> None:
    """Answer a reviewer's question; it waits in line again."""
    _act(number, title, "answer", as_json, words)


@app.command("appeal")
def appeal(number: int = NUMBER, words: str = WORDS, title: str = TITLE, as_json: bool = JSON) -> None:
    """Ask for another look at what was refused."""
    _act(number, title, "appeal", as_json, words)


@app.command("withdraw")
def withdraw(number: int = NUMBER, yes: bool = YES, title: str = TITLE, as_json: bool = JSON) -> None:
    """Take it back from the reviewers."""
    if not confirmed(f"Withdraw review {number}? Whoever has it stops looking.", yes):
        raise typer.Exit(1)
    _act(number, title, "withdraw", as_json)


@app.command("times")
def times(as_json: bool = JSON) -> None:
    """How long first verdicts took, week by week."""
    with signed_in() as client:
        found = client.reviews.times()
    if as_json:
        print_json(found)
        return
    rows = [(f"{w.monday:%Y-%m-%d}", w.count, w.late, usual_words(w.usual)) for w in found.weeks]
    table(["week from", "#verdicts", "#late", "usually after"], rows, "No verdict in the last half year.")


def _act(number: int, title: str, act: str, as_json: bool, text: str = "", about: str = "", reason: str = "") -> None:
    with signed_in() as client:
        found = client.reviews.act(the_title(client, title), number, act, text, about, reason)
    _shown(found, as_json)


def _promise(row: wire.ReviewRowOut) -> str:
    return f"▲ {hours(row.late)} late" if row.late > 0 else f"in {hours(-row.late)}"


def _shown(found: wire.BuildReview, as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    out().print(
        f"Review {found.number} of {found.title}: {found.build_name}, {found.version_name}, for {found.channel}"
    )
    who = f", {found.claimed_by} has it" if found.claimed_by else ""
    rows: list[tuple[str, object]] = [
        ("is", f"{found.words}{who}"),
        ("promised", f"{moment(found.promised)}, {_promise(found)}"),
    ]
    rows.append(("put there by", f"{found.made_by}, {ago(found.since)}"))
    rows += [("notes", found.notes)] if found.notes else []
    if found.bundle is not None:
        rows += _bundle(found.bundle)
    listing = found.listing
    rows.append(
        (
            "listing",
            f"state {listing.state}: {listing.name}, in {', '.join(listing.languages)}" if listing.state else "none",
        )
    )
    rows += [("beside the last", _beside(found.since_last))] if found.since_last else []
    facts(rows)
    findings(found.findings)
    for word in found.said:
        about = f" on {word.about}" if word.about else ""
        reason = f" ({REASONS.get(word.reason, word.reason)})" if word.reason else ""
        out().print(f"{word.by}, {word.kind}{about}{reason}, {moment(word.at)}:", style="bold")
        out().print(f"  {word.text}" if word.text else "  no words")


def _bundle(bundle: wire.ReviewedBuild) -> list[tuple[str, object]]:
    levels = f", levels {bundle.minimum} to {bundle.target}" if bundle.target else ""
    permissions = "; ".join(f"{name}: {reason}" for name, reason in bundle.permissions.items()) or "it asks for none"
    frameworks = ", ".join(f"{f.name} {f.version}" for f in bundle.frameworks) or "none that says its version"
    return [
        (
            "bundle",
            f"{bundle.kind}, {mb(bundle.size)}, {bundle.files:,} files, signed by {bundle.signed_by or 'nobody'}",
        ),
        ("identity", f"{bundle.identifier}, {', '.join(bundle.architectures)}{levels}"),
        ("permissions", permissions),
        ("frameworks", frameworks),
    ]


def _beside(last: wire.SinceLast) -> str:
    counts = f"{last.added:,} added, {last.changed:,} changed, {last.removed:,} removed"
    new = f"; asks newly for {', '.join(last.permissions_new)}" if last.permissions_new else ""
    return f"#{last.build} ({last.version_name}) passed; since then {counts}{new}"
