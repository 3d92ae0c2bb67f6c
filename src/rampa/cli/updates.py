"""rampa update …: what going from one build to another costs, and the differences that make it small."""

from __future__ import annotations

import time

import typer
from rich.text import Text

from rampa.cli import replays
from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import duration, err, facts, larger_downloads, mb, out, print_json, ruled, table
from rampa.cli.base.shades import shade
from rampa.core.content.patch.life import NEVER_ASKED, DifferenceState
from rampa.core.errors import Invalid
from rampa.core.quantity import counted
from rampa.schema import updates as wire

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="What updates cost, exactly.")
app.add_typer(replays.app, name="replay")
OLD = typer.Argument(..., metavar="FROM", help="The build that players have, as in peatlight#14.")
NEW = typer.Argument(..., metavar="TO", help="The build that they get.")
RATE = typer.Option(50, "--mbit", min=1, help="The connection for which times are said, in Mbit/s.")


@app.command("matrix")
def matrix(
    builds: list[str] = typer.Argument(
        None, help="Builds; without any, those that are live or on devices, and the newest."
    ),
    platform: str = typer.Option("linux", "--platform", help="The platform whose builds are compared."),
    title: str = TITLE,
    rate: int = RATE,
    what: str = typer.Option("download", "--show", help="download, disk (written) or peak (disk while updating)."),
    as_json: bool = JSON,
) -> None:
    """What every update between builds costs: rows are what players have, columns what they get. Exact, not estimated."""
    if what not in ("download", "disk", "peak"):
        raise Invalid("show.unknown", f"--show {what} is not known", hint="There is: download, disk, peak.")
    with signed_in() as client:
        numbers = []
        slug = title
        for spoken in builds or []:
            slug, number = the_build(client, spoken, slug)
            numbers.append(number)
        found = client.updates.matrix(slug or the_title(client, title), platform, numbers)
    if as_json:
        print_json(found)
        return
    _matrix(found, what, rate)


def _matrix(found: wire.UpdateMatrix, what: str, rate: int) -> None:
    if not found.builds:
        err().print(f"There is no ready build for {found.platform} yet.")
        return
    cells = {(c.old, c.new): c for c in found.cells}
    sizes = [_size(c, what) for c in found.cells if c.old]
    grid = ruled(title=f"from (rows) to (columns), {found.platform}, {what}", title_justify="left", title_style="dim")
    grid.add_column("they have", no_wrap=True)
    grid.add_column("devices", justify="right", no_wrap=True)
    for build in found.builds:
        grid.add_column(f"#{build.number}\n{build.version_name}", justify="right", no_wrap=True)
    rows: list[tuple[int, str, int]] = [(0, "nothing", 0)]
    rows += [(b.number, f"#{b.number}  {', '.join(b.live_on)}".rstrip(), b.devices) for b in found.builds]
    for number, name, devices in rows:
        if not any((number, b.number) in cells for b in found.builds):
            continue
        line: list[Text | str] = [name, f"{devices:,}" if number else ""]
        for build in found.builds:
            cell = cells.get((number, build.number))
            line.append(Text("") if cell is None else _cell(cell, what, rate, sizes, bool(number)))
        grid.add_row(*line)
    out().print(grid)
    out().print(
        Text(
            f"Each cell: bytes, and the download's time at {rate} Mbit/s. Redder: dearer.",
            style="dim",
        )
    )
    heavy = max((c for c in found.cells if c.weighted), key=lambda c: c.weighted, default=None)
    if heavy:
        out().print(
            f"Most of all travels from #{heavy.old} to #{heavy.new}: {mb(heavy.weighted)} to all devices that have it."
        )


def _size(cell: wire.MatrixCell, what: str) -> int:
    return {"download": cell.download, "disk": cell.written, "peak": cell.peak_disk}[what]


def _cell(cell: wire.MatrixCell, what: str, rate: int, sizes: list[int], shaded: bool) -> Text:
    seconds = cell.download * 8 / (rate * 1e6)
    text = Text(f" {mb(_size(cell, what))} \n {duration(seconds)} ", justify="right")
    if shaded and sizes:
        text.stylize(shade(_size(cell, what), max(sizes)))
    return text


@app.command("compare")
def compare(old: str = OLD, new: str = NEW, title: str = TITLE, as_json: bool = JSON) -> None:
    """Two builds by depot: files, chunks, download and disk; the files that cost most for how little change, and why."""
    with signed_in() as client:
        slug, before = the_build(client, old, title)
        _, after = the_build(client, new, slug)
        found = client.updates.compare_depots(slug, before, after)
    if as_json:
        print_json(found)
        return
    rows = [
        (
            d.name,
            d.kind,
            f"{d.changed:,}",
            f"{d.added:,}",
            f"{d.moved:,}",
            f"{d.removed:,}",
            f"{d.new_chunks:,}",
            mb(d.download),
            f"{mb(d.size_after)} ({mb(d.size_after - d.size_before, signed=True)})",
        )
        for d in found.depots
    ]
    heads = ["depot", "", ">changed", ">added", ">moved", ">removed", ">chunks", ">plain", ">disk"]
    table(heads, rows)
    larger_downloads(found.depots)
    facts(
        [
            ("travels", f"{mb(found.download)} in all" + _saved(found.download, found.plain)),
            ("peak disk", mb(found.peak_disk)),
        ]
    )
    if found.worst:
        out().print("\nFiles that cost most:")
        lines = [(w.path, w.depot, mb(w.size), mb(w.download), f"{w.why}. {w.advice}") for w in found.worst]
        table(["~file", "depot", ">size", ">plain", "~why, and what to do"], lines)
    out().print(
        "\nplain: as whole chunks, without differences; what several files share counts for the first.", style="dim"
    )


def _saved(download: int, plain: int) -> str:
    return f"; {mb(plain)} without differences" if plain > download else ""


@app.command("prepare")
def prepare(
    old: str = OLD,
    new: str = NEW,
    title: str = TITLE,
    wait: bool = typer.Option(False, "--wait", help="Wait until they are made."),
    again: bool = typer.Option(False, "--again", help="Make them again, even if they are there."),
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Make the differences of an update in the background. Placing a build asks for those of live builds by itself."""
    with signed_in() as client:
        slug, before = the_build(client, old, title)
        _, after = the_build(client, new, slug)
        found = client.updates.differences(slug, before, after)
        if found.state == NEVER_ASKED or again:
            if found.state == DifferenceState.READY:
                err().print(f"The {counted(found.differences, 'difference')} that devices use now will be made again.")
                if not confirmed("Make them again?", yes):
                    raise typer.Exit(1)
            found = client.updates.make_differences(slug, before, after)
        while wait and found.state == DifferenceState.WAITING:
            time.sleep(0.5)
            found = client.updates.differences(slug, before, after)
    if as_json:
        print_json(found)
        return
    said = {
        "waiting": "asked for; the worker makes them",
        "ready": f"{counted(found.differences, 'difference')}, {mb(found.size)}, made in {duration(found.seconds)}",
        "skipped": "none: plain chunks are as small",
        "none": "not asked for",
    }
    rows: list[tuple[str, object]] = [
        ("differences", said[found.state]),
        ("travels", mb(found.download) + _saved(found.download, found.plain)),
    ]
    if not found.within_budget:
        rows.append(
            ("budget", "it ended before everything was tried: see RAMPA_DIFFERENCE_SECONDS and RAMPA_DIFFERENCE_MB")
        )
    facts(rows)
