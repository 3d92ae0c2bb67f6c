"""rampa submission …"""

from __future__ import annotations

from pathlib import Path

import typer

from rampa.cli.base.common import JSON, LIMIT, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.moments import read_moment
from rampa.cli.base.output import BLOCKED, err, out, print_json
from rampa.cli.submissions.views import followed, plan_shown, rows_shown, submission_shown
from rampa.core.errors import Invalid
from rampa.core.quantity import counted
from rampa.schema.storefronts import Going
from rampa.schema.submissions import NewSubmissions

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Submissions: a plan, builds before storefronts, how they go, what to do about them.",
)
NUMBER = typer.Argument(..., help="The submission's number.")
BUILD = typer.Argument("", metavar="[BUILD]", help="The build, as in peatlight#14.")
RELEASE = typer.Option(0, "--release", help="In place of a build: all builds of this release.")
TO = typer.Option("", "--to", metavar="NAMES", help="Storefronts, as northquay,mossgate; else each build's own.")
WORDS = typer.Option(..., "--words", help="What you say to the reviewer.")
SHARE = typer.Option(None, "--share", min=1, max=100, help="Of the players, in per cent.")


@app.command("plan")
def plan(build: str = BUILD, release: int = RELEASE, to: str = TO, title: str = TITLE, as_json: bool = JSON) -> None:
    """What each storefront needs, what is there, what is missing, and the command that mends it. Sends nothing.

    Exit code: 0 when all of it can be sent, 6 when something is missing.
    """
    with signed_in() as client:
        slug, number = _what(client, build, release, title)
        found = client.submissions.plan(slug, number, release or None, to)
    if as_json:
        print_json(found)
    else:
        plan_shown(found)
    raise typer.Exit(0 if all(item.ready for item in found.items) else BLOCKED)


@app.command("send")
def send(
    build: str = BUILD,
    release: int = RELEASE,
    to: str = TO,
    notes: str = typer.Option(None, "--notes", help="For the reviewers; else what was said last."),
    live: str = typer.Option("by-an-act", "--live", help="When it passed: at-once, by-an-act, or a moment as 3h."),
    share: int = SHARE,
    wait: bool = typer.Option(False, "--wait", help="None goes live before the slowest of them passed."),
    replaces: int = typer.Option(0, "--replaces", help="The number of the refused submission that this mends."),
    follow: bool = typer.Option(True, "--follow/--no-follow", help="Show how it is sent until it is there."),
    yes: bool = YES,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Put a build or a release before its storefronts. Shows the plan first; sends all of it, or nothing."""
    with signed_in() as client:
        slug, number = _what(client, build, release, title)
        seen = client.submissions.plan(slug, number, release or None, to, replaces or None)
        if not as_json:
            plan_shown(seen)
        ready = all(item.ready for item in seen.items)
        new = [i for i in seen.items if not i.there or i.there == replaces]
        where = ", ".join(dict.fromkeys(i.storefront_title for i in new))
        if ready and new and not confirmed(f"Send {counted(len(new), 'build')} to {where}?", yes):
            raise typer.Exit(1)
        going, at = _going(live)
        asked = NewSubmissions(
            build=number, release=release or None, to=[n for n in to.split(",") if n], wait=wait, going=going, at=at,
            notes=seen.notes if notes is None else notes, share=seen.share if share is None else share,
            replaces=replaces or None,
        )  # fmt: skip
        made = client.submissions.make(slug, asked)
        if follow:
            made = followed(client, slug, [m.number for m in made], quiet=as_json)
    if as_json:
        print_json(made)
        return
    for each in made:
        out().print()
        submission_shown(each)


@app.command("list")
def list_(
    title: str = TITLE,
    open_only: bool = typer.Option(False, "--open", help="Only those of which something more comes."),
    storefront: str = typer.Option("", "--storefront", help="Of one storefront."),
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """A title's submissions, the newest first."""
    with signed_in() as client:
        slug = the_title(client, title)
        found = list(client.submissions.all(slug, open_only=open_only, storefront=storefront))[:limit]
    if as_json:
        print_json(found)
    else:
        rows_shown(found)


@app.command("show")
def show(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """One submission: where it is, what comes when, every word of the reviewers."""
    with signed_in() as client:
        found = client.submissions.get(the_title(client, title), number)
    if as_json:
        print_json(found)
    else:
        submission_shown(found)


@app.command("look")
def look(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Ask the storefront now how it goes."""
    with signed_in() as client:
        found = client.submissions.look(the_title(client, title), number)
    if as_json:
        print_json(found)
    else:
        submission_shown(found)


@app.command("watch")
def watch(
    numbers: list[int] = typer.Argument(..., metavar="SUBMISSION...", help="Numbers."), title: str = TITLE
) -> None:
    """Follow submissions until each waits for a person or is live. Ctrl-C leaves them as they are."""
    with signed_in() as client:
        slug = the_title(client, title)
        for each in followed(client, slug, numbers, until_verdict=True):
            out().print()
            submission_shown(each)


@app.command("answer")
def answer(number: int = NUMBER, words: str = WORDS, title: str = TITLE, as_json: bool = JSON) -> None:
    """Answer a reviewer's question."""
    _act(number, title, "answer", as_json, text=words)


@app.command("appeal")
def appeal(number: int = NUMBER, words: str = WORDS, title: str = TITLE, as_json: bool = JSON) -> None:
    """Ask for another look at what was refused."""
    _act(number, title, "appeal", as_json, text=words)


@app.command("withdraw")
def withdraw(number: int = NUMBER, yes: bool = YES, title: str = TITLE, as_json: bool = JSON) -> None:
    """Take a submission back; one that is live is offered to nobody any more."""
    with signed_in() as client:
        found = client.submissions.get(the_title(client, title), number)
    said = f"Withdraw {found.build_name} from {found.storefront_title}? It is {found.words} there."
    if not confirmed(said, yes):
        raise typer.Exit(1)
    _act(number, title, "withdraw", as_json)


@app.command("stop")
def stop(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Stop sending; what is there already stays there."""
    _act(number, title, "stop", as_json)


@app.command("go-on-sending")
def go_on_sending(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Go on sending what was halted, from where it ended."""
    _act(number, title, "go-on-sending", as_json)


@app.command("send-again")
def send_again(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Send what the storefront lost, under the same version code."""
    _act(number, title, "send-again", as_json)


@app.command("go-live")
def go_live(number: int = NUMBER, share: int = SHARE, title: str = TITLE, as_json: bool = JSON) -> None:
    """Let what passed go live, for all players or for a share of them."""
    _act(number, title, "go-live", as_json, share=share)


@app.command("grow")
def grow(number: int = NUMBER, share: int = SHARE, title: str = TITLE, as_json: bool = JSON) -> None:
    """Give what is live in parts to more players."""
    _act(number, title, "share", as_json, share=100 if share is None else share)


@app.command("hold")
def hold(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Who has it keeps it, and nobody else gets it."""
    _act(number, title, "hold", as_json)


@app.command("go-on")
def go_on(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Let what was held go on."""
    _act(number, title, "go-on", as_json)


@app.command("roll-back")
def roll_back(number: int = NUMBER, yes: bool = YES, title: str = TITLE, as_json: bool = JSON) -> None:
    """Have the storefront show what it showed before."""
    if not confirmed(f"Roll submission {number} back? Players are offered what was there before.", yes):
        raise typer.Exit(1)
    _act(number, title, "roll-back", as_json)


@app.command("hand-in")
def hand_in(
    number: int = NUMBER,
    to: Path = typer.Option(Path(), "--to", help="A folder; else this one."),
    title: str = TITLE,
) -> None:
    """Fetch what goes with a first bundle that a person hands in: its sheet and the pictures."""
    from rampa.core.files import replace_file

    with signed_in() as client:
        slug = the_title(client, title)
        found, data = client.submissions.get(slug, number), client.submissions.hand_in(slug, number)
    file = to / f"{slug}-{number}-{found.storefront}.zip"
    replace_file(file, data)
    out().print(f"{file}: unpack it; its read-me.txt says what to do at {found.hand_in}", soft_wrap=True)
    err().print(f"The bundle itself: rampa build bundle {found.build_name}")


def _act(number: int, title: str, act: str, as_json: bool, text: str = "", share: int | None = None) -> None:
    with signed_in() as client:
        found = client.submissions.act(the_title(client, title), number, act, text, share)
    if as_json:
        print_json(found)
    else:
        submission_shown(found)


def _what(client, build: str, release: int, title: str) -> tuple[str, int | None]:  # type: ignore[no-untyped-def]
    if bool(build) == bool(release):
        raise Invalid(
            "submission.what", "a build or a release is submitted", hint="Name one: peatlight#14, or --release 3."
        )
    if release:
        return the_title(client, title), None
    return the_build(client, build, title)


def _going(live: str):  # type: ignore[no-untyped-def]
    if live in (Going.AT_ONCE, Going.BY_ACT):
        return Going(live), None
    return Going.AT, read_moment(live, ahead=True)
