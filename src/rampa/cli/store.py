"""rampa store …: the content store."""

from __future__ import annotations

import time

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, YES, confirmed, signed_in
from rampa.cli.base.output import day, err, facts, mb, out, print_json, table
from rampa.cli.base.progress import Bars
from rampa.core.quantity import counted
from rampa.core.store.check_life import CheckState
from rampa.schema import store as wire

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="The content store: usage, checking, collecting, repacking."
)
YOUNG = typer.Option(24.0, "--young-hours", min=0, help="What arrived later than this is left alone.")
GRACE = typer.Option(1.0, "--grace-hours", min=0, help="How long a condemned pack waits before it is removed.")
BARS = 30


@app.command("usage")
def usage(as_json: bool = JSON) -> None:
    """What the store holds, by title, channel and age, and how it grew."""
    with signed_in() as client:
        found = client.store.usage()
    if as_json:
        print_json(found)
        return
    facts(
        [
            ("stored", f"{mb(found.size)} in {counted(found.packs, 'pack')}"),
            ("needed", mb(found.needed)),
            ("condemned", f"{mb(found.condemned)}: it goes with the next collections"),
            ("differences", mb(found.differences)),
            ("past builds", f"{mb(found.past)}: what only they have, packed again"),
        ]
    )
    out().print()
    table(
        ["title", ">builds", ">stored"], [(t.name, f"{t.builds:,}", mb(t.size)) for t in found.titles], "No build yet."
    )
    if found.channels:
        out().print()
        table(["live on", ">stored"], [(c.name, mb(c.size)) for c in found.channels])
    if found.players:
        out().print()
        lines = [(p.name, _for_whom(p), f"{p.packs:,}", mb(p.size)) for p in found.players]
        table(["packs for players of", "kept", ">packs", ">stored"], lines)
    out().print()
    table(["age", ">packs", ">stored"], [(a.name, f"{a.packs:,}", mb(a.size)) for a in found.ages])
    out().print()
    most = max((p.size for p in found.growth), default=0) or 1
    rows = [
        (str(p.day), mb(p.size), Text("█" * round(BARS * p.size / most), style="yellow")) for p in found.growth[-14:]
    ]
    table(["day", ">stored", "growth"], rows)


def _for_whom(kept: wire.KeptForPlayers) -> str:
    if kept.live_on:
        return f"live on {', '.join(kept.live_on)}"
    return f"until {day(kept.until)}, should it come back" if kept.until else "asked for by hand"


@app.command("check")
def check(
    fix: bool = typer.Option(False, "--fix", help="What a broken pack held counts as missing from then on."),
    latest: bool = typer.Option(False, "--latest", help="Only show how far the latest check is."),
    cancel: bool = typer.Option(False, "--cancel", help="Stop the running check."),
    as_json: bool = JSON,
) -> None:
    """Check every pack against its digest, and every manifest's chunks. After an interruption the same command goes on.

    Exit code 7 when something is wrong.
    """
    with signed_in() as client:
        if cancel:
            found = client.store.cancel_check()
        elif latest:
            found = client.store.latest_check()
        else:
            found = client.store.check(fix)
            with Bars({"check": "checking"}, quiet=as_json) as bars:
                while found.state == CheckState.RUNNING:
                    bars.show("check", found.size_done, max(1, found.size))
                    time.sleep(0.5)
                    found = client.store.latest_check()
    if as_json:
        print_json(found)
    else:
        _checked(found)
    if found.problems:
        raise typer.Exit(7)


def _checked(found: wire.StoreCheckOut) -> None:
    lines = [
        (p.what, p.name[:24], ", ".join(p.builds) or "nothing", f"{p.problem}. {p.advice}") for p in found.problems
    ]
    if lines:
        table(["what", "name", "~hurts", "~what is wrong, and what to do"], lines)
    said = {"running": "so far", "cancelled": "before it was cancelled", "done": "in all"}[found.state]
    out().print(
        f"{found.packs_done:,} of {counted(found.packs, 'pack')} ({mb(found.size_done)}) were read {said}: "
        f"{counted(len(found.problems), 'problem') if found.problems else 'everything is as it was written'}."
    )


@app.command("collect")
def collect(young: float = YOUNG, grace: float = GRACE, yes: bool = YES, as_json: bool = JSON) -> None:
    """Remove what no kept build needs: condemned first, removed some time later. The service does it every hour, too."""
    asked = wire.CollectIn(young_hours=young, grace_hours=grace)
    with signed_in() as client:
        seen = client.store.preview_collect(asked)
        if not as_json:
            _collected(seen, "would go now", "would be condemned")
        if not (seen.condemned or seen.removed or seen.files or seen.manifests or seen.differences):
            if as_json:
                print_json(seen)
            else:
                err().print("Nothing is idle.")
            return
        if not confirmed("Collect?", yes):
            raise typer.Exit(1)
        done = client.store.collect(asked)
    if as_json:
        print_json(done)
    else:
        _collected(done, "are gone", "are condemned, and go after the grace")


def _collected(found: wire.CollectOut, gone: str, waiting: str) -> None:
    facts(
        [
            ("not needed", f"{mb(found.idle)} in {counted(found.packs_in_all, 'pack')}"),
            ("packs", f"{found.removed:,} {gone}, {found.condemned:,} {waiting}"),
            (
                "left over",
                f"{counted(found.files, 'pack file')} and {counted(found.manifests, 'manifest')} that no build names",
            ),
            ("differences", f"{counted(found.differences, 'set')} that nobody needs any more"),
            ("frees", mb(found.frees)),
        ]
    )


@app.command("repack")
def repack(
    share: float = typer.Option(0.5, "--share", min=0, max=1, help="Packs of which at most this share is needed."),
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Pack again what is left of packs with little live content. Devices that read the old ones are not disturbed."""
    asked = wire.RepackIn(share=share)
    with signed_in() as client:
        seen = client.store.preview_repack(asked)
        if not as_json:
            facts(
                [
                    ("packs", f"{seen.packs:,} of which at most {share:.0%} is needed"),
                    ("they take", mb(seen.size)),
                    ("needed of it", mb(seen.live)),
                    ("frees about", mb(seen.frees)),
                ]
            )
        if not seen.packs:
            if as_json:
                print_json(seen)
            return
        if not confirmed("Pack them again?", yes):
            raise typer.Exit(1)
        done = client.store.repack(asked)
    if as_json:
        print_json(done)
    else:
        out().print(
            f"{counted(done.made, 'new pack')}, {mb(done.made_size)}. The old ones go with the next collections: "
            "rampa store collect"
        )
