"""rampa content …: on folders, without a service where a profile document is at hand."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import JSON, TITLE, signed_in, the_title
from rampa.cli.base.output import BLOCKED, WARNED, err, print_json
from rampa.cli.base.progress import Bars
from rampa.cli.content import tables as shown
from rampa.cli.content.ways import ways_of_packing
from rampa.core.content.layout.audience import USUAL, Audience, read_audience
from rampa.core.errors import Invalid
from rampa.schema import content as wire
from rampa.system import CLOCK

if TYPE_CHECKING:
    from rampa.core.content.select.selection import Selection
    from rampa.core.profile.resolved import ResolvedProfile
    from rampa.schema.layout import LayoutChoice

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="What goes in, what stays out, and how it is packed."
)
FOLDER = typer.Argument(..., help="The folder that the title was exported to.")
PROFILE = typer.Option("", "--profile", help="The profile; may be left out where the document has only one.")
DOCUMENT = typer.Option(None, "--document", help="A profile document on disk; FOLDER/rampa.toml when it is there.")


@app.command("preview")
def preview(
    folder: Path = FOLDER,
    profile: str = PROFILE,
    document: Path = DOCUMENT,
    title: str = TITLE,
    depth: int = typer.Option(2, "--depth", min=1, help="How deep the tree is shown."),
    under: str = typer.Option("", "--under", help="Only this folder of it, with all its files."),
    show: str = typer.Option("tree", "--show", help="tree, in, out, unmatched or leftovers."),
    as_json: bool = JSON,
) -> None:
    """What a profile takes of a folder: each file with its rule, what matches none, leftovers, missing libraries.

    Exit code 6 when the build could not be placed: the launch entry is missing or not executable. Exit code 9 when a leftover
    goes in, a depot or folder is over its budget, or a program needs a library that nothing brings.
    """
    from rampa.core.check.findings import blocks
    from rampa.core.check.selection import check_launch, check_sizes
    from rampa.core.content.depots.preview import preview as look

    if show not in shown.VIEWS:
        raise Invalid("show.unknown", f"--show {show} is not known", hint=f"There is: {', '.join(shown.VIEWS)}.")
    resolved = _profile(folder, profile, document, title)
    seen = look(
        folder, resolved.rules, resolved.depots, resolved.platform.name, resolved.settings.content.provided_libraries
    )
    found = [*check_launch(seen.selection, resolved), *check_sizes(seen.selection, resolved)]
    answer = wire.preview_out(str(folder), resolved.name, seen, found)
    if as_json:
        print_json(answer)
    else:
        shown.preview(seen, answer, show, under.strip("/"), depth)
    if blocks(found):
        raise typer.Exit(BLOCKED)
    if found or answer.leftovers or answer.lacking:
        raise typer.Exit(WARNED)


@app.command("tune")
def tune(
    folder: Path = FOLDER,
    profile: str = PROFILE,
    document: Path = DOCUMENT,
    title: str = TITLE,
    everything: bool = typer.Option(False, "--everything", help="All files of the folder; no profile is needed."),
    sample: int = typer.Option(64, "--sample-mb", min=1, help="How much of the content is measured."),
    seconds: float = typer.Option(120.0, "--seconds", min=1, help="How long measuring may take."),
    packing: float = typer.Option(0.0, "--packing-seconds", min=0, help="Recommend a level that packs in this time."),
    players: bool = typer.Option(
        False, "--players", help="Try ways of packing for players, too: codecs, frames, filters."
    ),
    audience: str = typer.Option(
        str(USUAL), "--audience", help="Who they are: RATE:WEIGHT in Mbit/s, with commas between."
    ),
    as_json: bool = JSON,
) -> None:
    """Measure levels on a sample: packed size, packing and unpacking time, how long players wait; propose rules."""
    from rampa.core.content.pack.proposed_rules import rules_text
    from rampa.core.content.pack.trials import tune as measure
    from rampa.core.content.select.selection import ContentRules, Pattern, select

    whom = read_audience(audience)
    rules = ContentRules((Pattern("*", "all"),), ()) if everything else _profile(folder, profile, document, title).rules
    selection = select(folder, rules)
    with Bars({"measure": "measuring levels"}, quiet=as_json) as bars:
        found = measure(
            selection,
            sample=sample * 1_000_000,
            seconds=seconds,
            packing=packing,
            on=lambda done, total: bars.show("measure", done, total),
            clock=CLOCK,
        )
    choice = _for_players(selection, whom, as_json) if players else None
    frame = next((w.frame for w in choice.ways if w.chosen), 0) if choice else 0
    text = rules_text(found, frame)
    if as_json:
        print_json(wire.tuned_out(found).model_copy(update={"players": choice, "rules": text}))
        return
    shown.tuned(found)
    if choice:
        ways_of_packing(choice)
    if text:
        err().print("\nUnder [content] in the profile document:\n")
        typer.echo(text)
    else:
        err().print("\nThe usual packing suits it: the profile document need say nothing.")


def _for_players(selection: Selection, audience: Audience, quiet: bool) -> LayoutChoice:
    """What the service tries when a build is placed for many, on this machine."""
    from rampa.core.content.layout.order import order_of
    from rampa.core.content.layout.trial import try_ways
    from rampa.core.content.scan.files import read_tree
    from rampa.schema.layout_choice import described

    def read(path: str, offset: int, size: int) -> bytes:
        with selection.sources[path].open("rb") as stream:
            stream.seek(offset)
            return stream.read(size)

    total, done, steps = selection.files.size, 0, ("filters", "codecs", "frames")
    with Bars({"read": "reading", "try": "trying ways of packing for players"}, quiet=quiet) as bars:

        def progress(size: int) -> None:
            nonlocal done
            done += size
            bars.show("read", done, total)

        tree = read_tree(selection, progress=progress)
        order = order_of(tree, read)
        bars.show("try", 0, len(steps), steps[0])
        trial = try_ways(
            tree,
            order,
            read,
            audience,
            CLOCK,
            on=lambda what: bars.show("try", steps.index(what) + 1, len(steps), what),
        )
    return described(trial, audience, 0, [])


def _profile(folder: Path, name: str, document: Path | None, title: str) -> ResolvedProfile:
    """From a document on disk, or the title's newest at the service."""
    from rampa.client.profiles.documents import file_bytes
    from rampa.core.profile.document import read_document
    from rampa.core.profile.resolved import resolve

    beside = folder / "rampa.toml"
    path = document or (beside if beside.is_file() and not title else None)
    if path is not None:
        data = file_bytes(path)
    else:
        with signed_in() as client:
            slug = the_title(client, title)
            data = client.titles.revision(slug, client.titles.get(slug).revision).document.encode()
    read = read_document(data)
    if not name and len(read.profiles) == 1:
        name = next(iter(read.profiles))
    if not name:
        raise Invalid(
            "profile.not-set",
            "which profile is not clear: give --profile",
            hint=f"There is: {', '.join(sorted(read.profiles))}.",
        )
    return resolve(read, name)
