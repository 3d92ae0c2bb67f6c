"""`rampa trigger`: what starts runs by itself."""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import ago, err, out, print_json, table
from rampa.core.errors import Invalid

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Triggers: what starts runs by itself.")
NAME = typer.Argument(..., metavar="TRIGGER", help="The trigger's name.")


@app.command("add")
def add(
    name: str = NAME,
    branch: str = typer.Option("", "--branch", help="When a branch of this pattern moves."),
    tag: str = typer.Option("", "--tag", help="When a tag of this pattern appears."),
    schedule: str = typer.Option("", "--schedule", help='Five fields as in crontab(5), UTC: "30 2 * * 1-5".'),
    call: bool = typer.Option(False, "--call", help="When a signed call comes; its secret is shown once."),
    of: str = typer.Option("", "--at", help="With --schedule or --call: the branch or pattern of branches."),
    path: list[str] = typer.Option([], "--path", help="Only when such a path changed (gitignore(5)); repeatable."),
    profile: list[str] = typer.Option([], "--profile", help="Profiles; none: those that the branch has as its own."),
    place: str = typer.Option("", "--place", help="The channel that finished builds go to by themselves."),
    yes: bool = YES,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Add a trigger; shows first which of today's branches or tags its pattern matches."""
    from rampa.schema.sources import NewTrigger

    given = [
        kind for kind, is_so in (("branch", branch), ("tag", tag), ("schedule", schedule), ("call", call)) if is_so
    ]
    if len(given) != 1:
        raise Invalid("trigger.kind", "give one of --branch, --tag, --schedule and --call")
    pattern = branch or tag or of or ("*" if call else "")
    asked = NewTrigger(
        name=name, kind=given[0], pattern=pattern, schedule=schedule, paths=list(path), profiles=list(profile), place=place
    )  # fmt: skip
    with signed_in() as client:
        slug = the_title(client, title)
        if pattern and not schedule:
            found = client.sources.matches(slug, "tag" if tag else "branch", pattern)
            err().print(f"{pattern} matches today: {', '.join(found.matched) or 'nothing'}.")
            err().print(f"It does not match: {', '.join(found.others) or 'nothing'}.", style="dim")
        if not confirmed("Add the trigger?", yes):
            raise typer.Exit(1)
        made = client.runs.add_trigger(slug, asked)
    if as_json:
        print_json(made)
        return
    then = f" It next starts at {made.next_at:%Y-%m-%d %H:%M} UTC." if made.next_at else ""
    out().print(f"The trigger {made.name} is there.{then}")
    if made.secret:
        err().print(f"Call {made.call} with a JSON body; sign it with this secret, which is shown this once:")
        out().print(made.secret)


@app.command("list")
def list_(title: str = TITLE, as_json: bool = JSON) -> None:
    """All triggers, and what each did last."""
    with signed_in() as client:
        found = client.runs.triggers(the_title(client, title))
    if as_json:
        print_json(found)
        return
    table(
        ["trigger", "kind", "~when", "~paths", "~profiles", "last", "~said"],
        [
            (
                t.name,
                t.kind if t.active else f"{t.kind}, off",
                t.schedule or t.pattern,
                ", ".join(t.paths) or "all",
                ", ".join(t.profiles) or "the branch's own",
                ago(t.last_at),
                t.last_said,
            )
            for t in found
        ],
        "No trigger is there: rampa trigger add NAME --branch PATTERN",
    )


@app.command("match")
def match(
    pattern: str = typer.Argument(..., help="* any characters, ? one, [..] a set."),
    tags: bool = typer.Option(False, "--tags", help="Of tags instead of branches."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Which of today's branches or tags a pattern matches."""
    with signed_in() as client:
        found = client.sources.matches(the_title(client, title), "tag" if tags else "branch", pattern)
    if as_json:
        print_json(found)
        return
    rows = [(n, "matches") for n in found.matched] + [(n, "") for n in found.others]
    table(["tag" if tags else "branch", pattern], rows)


@app.command("switch")
def switch(
    name: str = NAME,
    on: bool = typer.Option(..., "--on/--off", help="On, or off."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Switch a trigger on or off."""
    from rampa.schema.sources import TriggerIn

    with signed_in() as client:
        slug = the_title(client, title)
        found = next((t for t in client.runs.triggers(slug) if t.name == name), None)
        if found is None:
            raise Invalid("trigger.unknown", f"{slug} has no trigger {name!r}", hint="rampa trigger list")
        fields = found.model_dump(include=set(TriggerIn.model_fields)) | {"active": on}
        changed = client.runs.change_trigger(slug, name, TriggerIn(**fields))
    if as_json:
        print_json(changed)
        return
    out().print(f"The trigger {name} is {'on' if on else 'off'}.")


@app.command("remove")
def remove(name: str = NAME, title: str = TITLE, yes: bool = YES) -> None:
    """Remove a trigger. What it started stays."""
    with signed_in() as client:
        slug = the_title(client, title)
        if not confirmed(f"Remove the trigger {name} of {slug}?", yes):
            raise typer.Exit(1)
        client.runs.remove_trigger(slug, name)
    out().print(f"The trigger {name} is removed.")
