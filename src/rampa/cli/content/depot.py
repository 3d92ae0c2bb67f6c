"""rampa depot …: which depots a device gets, and a proposal of depots."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import err, facts, larger_downloads, mb, out, print_json, table
from rampa.cli.base.progress import Bars
from rampa.cli.content.choice import ADDON, ARCHITECTURE, LANGUAGE, QUALITY, choice_words
from rampa.core.build.life import BuildState
from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.quantity import counted
from rampa.schema import updates as wire

if TYPE_CHECKING:
    from rampa.core.content.depots.proposal import TooSmall
    from rampa.core.content.tree.tree import Tree

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Depots: what each device gets.")


@app.command("plan")
def plan(
    build: str = typer.Argument(
        "", help="A build, as in peatlight#14; without it the newest ready one of the platform."
    ),
    platform: str = typer.Option("linux", "--platform", help="The platform whose builds it is worked out from."),
    architecture: str = ARCHITECTURE,
    language: list[str] = LANGUAGE,
    addon: list[str] = ADDON,
    quality: str = QUALITY,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Which depots a device gets, and what it downloads and keeps."""
    query = wire.DepotPlanQuery(**choice_words(architecture, language, addon, quality))
    with signed_in() as client:
        if build:
            slug, number = the_build(client, build, title)
        else:
            slug = the_title(client, title)
            newest = next(iter(client.builds.all(slug, platform=platform, state=BuildState.READY)), None)
            if newest is None:
                raise NotFound(
                    "build.none", f"{slug} has no ready build for {platform}", hint="Make one: `rampa build create`."
                )
            number = newest.number
        found = client.updates.depot_plan(slug, number, query)
    if as_json:
        print_json(found)
        return
    rows = [
        (
            Text("● gets it", style="green") if d.taken else Text("○ does not", style="dim"),
            d.name,
            ", ".join(x for x in (d.language, d.addon, d.quality, *d.architectures) if x) or "everybody",
            f"{d.files:,}",
            mb(d.download),
            mb(d.size),
        )
        for d in found.depots
    ]
    table(["this device", "depot", "for", ">files", ">download", ">disk"], rows)
    larger_downloads(found.depots)
    facts(
        [
            (
                "in all",
                f"{mb(found.download)} to download, {mb(found.size)} on the disk, {found.files:,} files, of {found.name}",
            )
        ]
    )


@app.command("unseal")
def unseal(
    build: str = typer.Argument(..., help="A build with encrypted depots, as in peatlight#14."),
    title: str = TITLE,
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Give out the key of a build's encrypted depots: whoever has the content can read it from then on."""
    with signed_in() as client:
        slug, number = the_build(client, build, title)
        seen = client.signing.content_keys(slug, number)
        if not seen.keys:
            raise Conflict("content.plain", f"{slug}#{number} has no encrypted depot: there is nothing to unseal")
        if seen.unsealed_at is None:
            keys = counted(len(seen.keys), "content key")
            err().print(
                f"The {keys} of {slug}#{number} can be opened by everybody from now on. This cannot be taken back."
            )
            if not confirmed("Unseal its content?", yes):
                raise typer.Exit(1)
            seen = client.signing.unseal(slug, number)
    if as_json:
        print_json(seen)
    else:
        out().print(f"{slug}#{number}: unsealed {seen.unsealed_at:%Y-%m-%d %H:%M} UTC.")


@app.command("propose")
def propose(
    folders: list[str] = typer.Argument(
        ..., metavar="PLATFORM=FOLDER...", help="An exported folder for each platform."
    ),
    least_share: float = typer.Option(
        3.0, "--least-share", min=0, max=100, help="Percent of an install that a depot saves some player at least."
    ),
    least_size: float = typer.Option(5.0, "--least-size", min=0, help="Or so many MB."),
    as_json: bool = JSON,
) -> None:
    """Propose depots for exported folders: by language, addon and quality, and what each saves whom."""
    from rampa.core.content.depots.proposal import Worth
    from rampa.core.content.depots.proposal import propose as work_out

    worth = Worth(least_share / 100, round(least_size * 1e6))
    found = work_out(_read(folders, as_json), worth)
    if as_json:
        rows = {name: [_row(v) for v in getattr(found, name)] for name in ("depots", "too_small", "savings")}
        print_json(rows | {"text": found.text})
        return
    rows_of_depots = [
        (
            d.name,
            ", ".join(x for x in (d.language, d.addon, d.quality, *d.platforms) if x) or "everybody",
            f"{d.files:,}",
            mb(d.size),
            ", ".join(f"{mb(size)} on {platform}" for platform, size in d.saves.items()) or "-",
        )
        for d in found.depots
    ]
    table(["depot", "for", ">files", ">size", "saves who does without it"], rows_of_depots)
    _say_too_small(found.too_small, least_share, least_size)
    if len(found.depots) == 1:
        out().print("\nOne depot is enough: no player would install less with more of them.")
        return
    lines = [
        (s.platform, s.language or "any", mb(s.now), mb(s.then), f"{1 - s.then / max(1, s.now):.0%}")
        for s in found.savings
    ]
    out().print("\nWhat a player installs, without addons and with one quality:")
    table(["platform", "language", ">one depot", ">proposed", ">saved"], lines)
    err().print("\nFor the profile document, in place of its [depots.…] tables:\n")
    typer.echo(found.text)


def _read(folders: list[str], quiet: bool) -> dict[str, Tree]:
    from rampa.core.content.scan.files import read_tree
    from rampa.core.content.select.selection import ContentRules, Pattern, class_patterns, select

    rules = ContentRules((Pattern("*", "all"),), tuple(class_patterns({})))
    trees = {}
    with Bars({"read": "reading"}, quiet=quiet) as bars:
        for word in folders:
            platform, equals, folder = word.partition("=")
            if not equals:
                hint = "For example: rampa depot propose linux=export/linux windows=export/windows"
                raise Invalid("folder.not-set", f"{word!r} does not say a platform and its folder", hint=hint)
            selection = select(Path(folder), rules)
            total, done = selection.files.size, 0

            def progress(size: int, total: int = total) -> None:
                nonlocal done
                done += size
                bars.show("read", done, total)

            trees[platform] = read_tree(selection, progress=progress)
    return trees


def _say_too_small(small: Sequence[TooSmall], share: float, size: float) -> None:
    """What could be split off, and would save nobody enough: it goes with everybody's."""
    if not small:
        return
    most, sum_ = small[0], sum(t.saves for t in small)
    named = ", ".join(t.what for t in small[:6]) + (f" and {len(small) - 6} more" if len(small) > 6 else "")
    out().print(
        f"\nNot proposed, since it saves no player {share:g} % or {size:g} MB: {named}. "
        f"The most is {mb(most.saves)} on {most.platform} ({most.what}); all of it together is {mb(sum_)}. "
        "Lower --least-share and --least-size to have them."
    )


def _row(value: object) -> dict[str, object]:
    return {name: getattr(value, name) for name in value.__slots__}  # type: ignore[attr-defined]
