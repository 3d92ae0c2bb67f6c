"""Tables and trees of `rampa content`."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from rich.text import Text
from rich.tree import Tree

from rampa.cli.base.output import duration, err, facts, findings, mb, out, table
from rampa.core.quantity import counted

if TYPE_CHECKING:
    from rampa.core.content.depots.preview import Preview, PreviewedFile, PreviewedFolder
    from rampa.core.content.pack.trials import Tuned
    from rampa.schema.content import PreviewOut

VIEWS = ("tree", "in", "out", "unmatched", "leftovers")
SHOWN = 200
WIDE = 40


def preview(seen: Preview, answer: PreviewOut, show: str, under: str, depth: int) -> None:
    rows = [r for r in seen.rows if not under or r.path == under or r.path.startswith(under + "/")]
    if show == "tree":
        _tree(rows, under, depth)
    else:
        unmatched = set(seen.unmatched)
        _rows([r for r in rows if _shown(r, show, unmatched)])
    facts(
        [
            ("goes in", f"{answer.files:,} files, {mb(answer.size)}"),
            ("stays out", f"{answer.out_files:,} files, {mb(answer.out_size)}"),
            ("matches no rule", f"{counted(answer.unmatched, 'file')}   (--show unmatched)"),
        ]
    )
    for line in answer.leftovers[:10]:
        err().print(Text("▲ ", style="yellow") + Text(f"{line.path} goes in, and looks like a leftover: {line.why}"))
    if len(answer.leftovers) > 10:
        err().print(f"  and {len(answer.leftovers) - 10:,} more: --show leftovers")
    from rampa.core.content.select.provided_libraries import by_library, lacking_sentence

    findings(answer.findings)
    for name, paths in by_library(seen.lacking).items():
        err().print(Text("▲ ", style="yellow") + Text(lacking_sentence(name, paths, "the platform")))


def _shown(row: PreviewedFile, show: str, unmatched: set[PreviewedFile]) -> bool:
    if show == "leftovers":
        return bool(row.leftover)
    if show == "unmatched":
        return row in unmatched
    return row.inside == (show == "in")


def _rows(rows: list[PreviewedFile]) -> None:
    table(
        ["~file", ">size", "", "~rule", "~where it says so", "~depots"],
        [
            (
                r.path,
                mb(r.size),
                "in" if r.inside else "out",
                r.leftover or r.rule,
                r.origin,
                ", ".join(r.depots),
            )
            for r in rows[:SHOWN]
        ],
        "No file.",
    )
    if len(rows) > SHOWN:
        err().print(f"and {len(rows) - SHOWN:,} more: narrow it with --under, or take --json.")


def _tree(rows: Iterable[PreviewedFile], under: str, depth: int) -> None:
    from rampa.core.content.depots.preview import tree

    top = tree(rows)
    for name in under.split("/") if under else ():
        if name not in top.folders:
            break
        top = top.folders[name]
    drawn = Tree(_line(under or ".", top), guide_style="dim")
    _branch(drawn, top, depth, bool(under))
    out().print(drawn)


def _branch(at: Tree, folder: PreviewedFolder, depth: int, files: bool) -> None:
    folders = sorted(folder.folders.values(), key=lambda f: -(f.size + f.out_size))
    for inner in folders[:WIDE]:
        branch = at.add(_line(inner.name, inner))
        if depth > 1:
            _branch(branch, inner, depth - 1, files)
    if len(folders) > WIDE:
        at.add(Text(f"and {len(folders) - WIDE:,} more folders", style="dim"))
    listed = sorted(folder.rows, key=lambda r: -r.size)
    for row in listed[: WIDE if files else 6]:
        at.add(_file(row))
    rest = len(listed) - (WIDE if files else 6)
    if rest > 0:
        at.add(Text(f"and {counted(rest, 'more file', 'more files')}", style="dim"))


def _line(name: str, folder: PreviewedFolder) -> Text:
    text = Text(f"{name}/  ", style="bold")
    text.append(f"{folder.files:,} in, {mb(folder.size)}", style="not bold")
    if folder.out_files:
        text.append(f"   {folder.out_files:,} out, {mb(folder.out_size)}", style="not bold yellow")
    return text


def _file(row: PreviewedFile) -> Text:
    if row.inside:
        text = Text(f"{row.path.rpartition('/')[2]}  {mb(row.size)}")
        text.append(f"  by {row.rule}", style="dim")
        if row.leftover:
            text.append(f"  ▲ {row.leftover}", style="yellow")
        return text
    said = f"  out: {row.rule}" + (f" ({row.origin})" if row.origin else "")
    return Text(f"{row.path.rpartition('/')[2]}  {mb(row.size)}", style="dim").append(said, style="yellow")


def tuned(found: Tuned) -> None:
    from rampa.core.content.pack.trials import RATES

    most = max(m.packed for m in found.levels)
    rows = []
    for m in found.levels:
        bar = "█" * max(1, round(10 * m.packed / most))
        mark = " ◀ best" if m.level == found.best else ""
        rows.append(
            (
                m.level,
                mb(m.packed),
                f"{m.packed / found.size:.1%}",
                duration(m.packing),
                duration(m.unpacking),
                *(duration(m.waits(r)) for r in RATES),
                Text(bar + mark, style="green" if mark else "dim"),
            )
        )
    heads = [">level", ">packed", ">of it", ">pack", ">unpack", *(f">{r} Mbit/s" for r in RATES), "size"]
    table(heads, rows)
    for level in found.skipped:
        err().print(f"Level {level} found no time: give more with --seconds.")
    out().print(f"\nLevel {found.best}: {found.why}.")
    share = found.sample / max(1, found.size)
    out().print(
        f"Measured on {mb(found.sample)} of {mb(found.size)} ({min(1, share):.0%}), on all cores of this machine."
    )
    said = [e for e in found.endings if e.rule]
    if said:
        out().print("\nBy kind of file, at level 3:")
        names = {
            "stored": "does not gain: store it",
            "long": "gains by matches over long distances",
            "filtered": "gains behind its filter",
        }
        lines = [
            (e.ending, mb(e.size), *(f"{r:.1%}" for r in (e.ratio, e.long_ratio, e.filtered_ratio)),
             names[e.rule], _rule(e.ending, e.rule))
            for e in said
        ]  # fmt: skip
        table(["files", ">size", ">packed", ">long", ">filtered", "~", "~content.packing"], lines)


def _rule(ending: str, rule: str) -> str:
    from rampa.core.content.pack.proposed_rules import rule_of

    return "{} = {}".format(*(f'"{word}"' for word in rule_of(ending, rule)))
