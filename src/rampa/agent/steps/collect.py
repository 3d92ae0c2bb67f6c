"""The steps `collect` and `check`: what goes in, whether baked content is as new as its sources, what would stop the build."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

from rampa.agent.context import AttemptContext, StepFailed
from rampa.agent.steps.symbols import split_symbols
from rampa.core.check.findings import Finding
from rampa.core.check.profile import check_profile
from rampa.core.check.selection import check_selection
from rampa.core.content.select.leave_out_classes import SYMBOLS
from rampa.core.content.select.left_out import LeftOut
from rampa.core.content.select.selection import ContentRules, Pattern, Selection, select
from rampa.core.content.tree.chosen_files import SelectedFiles
from rampa.core.content.tree.paths import path_problem
from rampa.core.errors import RampaError
from rampa.core.quantity import counted
from rampa.core.run import baked
from rampa.core.run.step import Step

SHOWN = 10
MB = 1e6


def collect(a: AttemptContext, step: Step) -> None:
    """Selects from what the export made, or from the source where nothing was exported."""
    root = a.root or a.folder.source
    _look_at_baked(a, root)
    a.selection = select(root, a.profile.rules)
    # Splitting rewrites files and leaves others: what goes in is looked at once more.
    if a.profile.settings.code.symbols == "split" and split_symbols(a, a.selection):
        a.selection = select(root, a.profile.rules)
    a.selection = _without_record(a.selection)
    pointers = set(a.pointers) & set(a.selection.files.paths) if root == a.folder.source else set()
    if pointers:
        raise StepFailed("source.pointer", ", ".join(sorted(pointers)[:SHOWN]))
    size = a.selection.files.size
    out = sum(o.size for o in a.selection.left_out)
    a.report.say(f"Goes in: {_files_of(len(a.selection.files))}, {size / MB:.1f} MB.")
    a.report.say(f"Stays out: {_files_of(len(a.selection.left_out))}, {out / MB:.1f} MB.")
    for why, files in _by_rule(a.selection.left_out).items():
        a.report.say(f"  by {why}: {_files_of(len(files))}, such as {files[0].path}")


def _files_of(count: int) -> str:
    return "1 file" if count == 1 else f"{count:,} files"


def _without_record(selection: Selection) -> Selection:
    """The record of baked content is for Rampa, not for players."""
    return replace(selection, files=SelectedFiles(f for f in selection.files if f.path != baked.NAME))


def _by_rule(left_out: tuple[LeftOut, ...]) -> dict[str, list[LeftOut]]:
    found: dict[str, list[LeftOut]] = {}
    for one in left_out:
        found.setdefault(one.why + (f" ({one.origin})" if one.origin else ""), []).append(one)
    return found


def _look_at_baked(a: AttemptContext, root: Path) -> None:
    record = baked.read_record(root)
    if not record:
        return
    stale = baked.find_stale(record, a.folder.source)
    for one in stale[:SHOWN]:
        what = "is gone" if one.gone else "changed since"
        a.report.say(f"error: {one.path} is older than its source: {one.source} {what}", "error")
    if stale:
        more = f" and {len(stale) - 1} more" if len(stale) > 1 else ""
        raise StepFailed("content.stale", f"{stale[0].path} was baked from another {stale[0].source}{more}")
    preview = [b.path for b in record if b.quality == "preview"]
    if preview and a.profile.settings.purpose == "release":
        raise StepFailed(
            "content.preview", f"{preview[0]}{f' and {len(preview) - 1} more' if len(preview) > 1 else ''}"
        )
    if preview:
        a.report.say(f"warning: {len(preview)} baked files are of preview quality, such as {preview[0]}", "warning")
        message = f"{len(preview)} baked files are of preview quality"
        a.findings.append(
            Finding(severity="warning", code="content.preview", message=message, where=preview[0], hint="")
        )
    a.report.say(f"Baked content: {len(record):,} files, all as new as their sources.")


def check(a: AttemptContext, step: Step) -> None:
    """The profile's own findings, and what only shows on the files."""
    assert a.selection is not None
    found = [f.plain() for f in check_profile(a.document, a.resolved)]
    found += check_selection(a.selection, a.profile)
    for f in found:
        level = {"blocker": "error", "warning": "warning"}.get(f.severity, "")
        word = {"blocker": "error: ", "warning": "warning: "}.get(f.severity, "")
        a.report.say(f"{word}{f.message}{f' ({f.where})' if f.where else ''}. {f.hint}", level)  # type: ignore[arg-type]
    a.findings += found
    blockers = [f for f in found if f.severity == "blocker"]
    if blockers:
        more = f" and {len(blockers) - 1} more" if len(blockers) > 1 else ""
        raise StepFailed("check.blocked", f"what stops the build: {blockers[0].message}{more}")
    a.report.say(f"{counted(len(found), 'finding')}, no blocker." if found else "No findings.")


def symbols_of(a: AttemptContext) -> Selection | None:
    """Symbols are kept beside the build: those that were split off, and files that stay out as symbols. None without any."""
    assert a.selection is not None
    for left in a.selection.left_out:
        if left.leave_out_class == SYMBOLS and path_problem(left.path) == "":
            target = a.folder.symbols / left.path
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(a.selection.root / left.path, target, follow_symlinks=False)
    try:
        found = select(a.folder.symbols, ContentRules((Pattern("*", "symbols"),), ()))
    except RampaError:
        return None
    return replace(found, links=()) if found.files else None
