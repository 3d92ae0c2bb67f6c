"""rampa release …"""

from __future__ import annotations

import sys
from pathlib import Path

import typer

from rampa.cli.base.common import JSON, LIMIT, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import ago, out, print_json, table
from rampa.cli.channels.release_views import draft_shown, notes_shown, preview_shown, release_shown
from rampa.cli.channels.rollout_views import WAIT, followed
from rampa.core.errors import Invalid, Refused
from rampa.core.placement.plan import plan_text, read_plan
from rampa.core.placement.share import read_share
from rampa.core.quantity import counted
from rampa.schema.releases import NewRelease, ReleaseNote

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Releases: builds of one version over platforms, placed as one."
)
NUMBER = typer.Argument(..., help="The release's number.")
ON = typer.Option(..., "--on", help="The channel.")


@app.command("make")
def make(
    spoken: list[str] = typer.Argument(None, metavar="BUILD", help="Builds, as in peatlight#14; one for each line."),
    run: int = typer.Option(0, "--run", help="In place of builds: what was made by the runs started with this one."),
    commit: str = typer.Option("", "--commit", help="In place of builds: the newest of each line that it gave."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Make a release of builds of one version."""
    with signed_in() as client:
        named = [the_build(client, each, title) for each in spoken or []]
        titles = {slug for slug, _ in named}
        if len(titles) > 1:
            raise Invalid("release.titles", f"builds of two titles: {', '.join(sorted(titles))}", where="builds")
        slug = titles.pop() if titles else the_title(client, title)
        asked = NewRelease(builds=[n for _, n in named], run=run or None, commit=commit.lower())
        made = client.releases.make(slug, asked)
    release_shown(made, as_json)


@app.command("list")
def list_(title: str = TITLE, limit: int = LIMIT, as_json: bool = JSON) -> None:
    """A title's releases, newest first."""
    with signed_in() as client:
        found = client.releases.all(the_title(client, title), limit=limit)[:limit]
    if as_json:
        print_json(found)
        return
    rows = [
        (
            r.number,
            r.version_name,
            ", ".join(f"#{n}" for n in r.builds),
            ", ".join(r.live_on),
            ago(r.created_at),
            r.created_by,
        )
        for r in found
    ]
    table(
        [">release", "version", "~builds", "live on", "made", "~by"], rows, "No release yet: rampa release make BUILD …"
    )


@app.command("show")
def show(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """A release: its lines, what lags or was left out and why, its notes."""
    with signed_in() as client:
        found = client.releases.get(the_title(client, title), number)
    release_shown(found, as_json)


@app.command("add")
def add(
    number: int = NUMBER,
    spoken: str = typer.Argument(..., metavar="BUILD", help="A build of a line that has none yet."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Add a build that follows."""
    with signed_in() as client:
        slug, build = the_build(client, spoken, title)
        done = client.releases.add(slug, number, build)
    release_shown(done, as_json)


@app.command("leave-out")
def leave_out(
    number: int = NUMBER,
    profile: str = typer.Argument(..., help="The profile whose line goes without."),
    reason: str = typer.Option("", "--reason", help="Why; everybody reads it."),
    back: bool = typer.Option(False, "--back", help="Expect it again."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Let a line go without, with a reason; its build may follow later."""
    if bool(reason.strip()) == back:
        raise Invalid("release.reason", "say why with --reason, or --back to expect it again", where="--reason")
    with signed_in() as client:
        done = client.releases.leave_out(the_title(client, title), number, profile, reason)
    release_shown(done, as_json)


@app.command("notes")
def notes(
    number: int = NUMBER,
    audience: str = typer.Option("players", "--for", help="players or testers."),
    language: str = typer.Option("en", "--language", help="A language tag, such as en, fi or es-419."),
    file: str = typer.Option("", "--file", help="The text's file; - reads it from standard input."),
    draft: str = typer.Option(
        "", "--draft", help="A channel: what the commits since its live build say, to begin from."
    ),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Show or write notes for players or testers, in one language. An empty text takes them away."""
    with signed_in() as client:
        slug = the_title(client, title)
        if draft:
            draft_shown(client.releases.draft_notes(slug, number, draft), as_json)
            return
        if file:
            text = sys.stdin.read() if file == "-" else Path(file).read_text()
            note = ReleaseNote(audience=audience, language=language, text=text)
            found = client.releases.write_notes(slug, number, note)
        else:
            found = client.releases.get(slug, number)
    if as_json:
        print_json(found.notes)
        return
    notes_shown(found)


@app.command("place")
def place(
    number: int = NUMBER,
    on: str = ON,
    dry: bool = typer.Option(False, "--preview", help="Show what it would do, and stop."),
    share: str = typer.Option("", "--share", help="Percent of the devices that get it at first; all without it."),
    plan: str = typer.Option(
        "", "--plan", help="How it grows: 1 %, 5 % after 4 h, 20 % after 1 day, all after 2 days."
    ),
    wait: bool = WAIT,
    title: str = TITLE,
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Show what placing a release will do, line by line; then, confirmed, place all lines or none."""
    first = read_share(share, "--share") / 10 if share else None
    growth = plan_text(read_plan(plan)) if plan else ""
    with signed_in() as client:
        slug = the_title(client, title)
        seen = client.releases.preview(slug, number, on)
        if as_json and dry:
            print_json(seen)
            return
        if not as_json:
            preview_shown(seen)
        if dry:
            return
        if not seen.possible and not as_json:
            raise Refused("release.blocked", f"nothing is placed: {counted(len(seen.obstacles), 'obstacle')}, above")
        reach = growth or (f"{first:g} % of the devices" if first is not None else "every device")
        what = f"Place release {number} ({seen.version_name}) on {on} for {reach}?"
        if seen.possible and not confirmed(what, yes):
            raise typer.Exit(1)
        # With --json the service says what is in the way, and the exit code says so too.
        done = client.releases.place(slug, number, on, seen.etag, first, growth)
        if wait:
            for placed in [p for p in client.channels.get(slug, on).live if p.build.number in done.builds]:
                followed(client, slug, on, client.rollouts.get(slug, on, placed.number))
            done = client.releases.get(slug, number)
    if as_json:
        print_json(done)
        return
    count = sum(line.placing is not None for line in seen.lines)
    how = f"begins on {on}, {reach}" if growth or (first or 100) < 100 else f"is live on {on}"
    out().print(f"Release {number} ({done.version_name}) {how}: {counted(count, 'line')}.")
