"""How releases are shown in a terminal: their lines, what placing does, their notes."""

from __future__ import annotations

from rich.text import Text

from rampa.cli.base.output import ago, err, facts, mb, out, print_json, table
from rampa.core.placement.release import ReleaseLineState
from rampa.core.quantity import counted
from rampa.schema.releases import NotesDraft, Release, ReleasePreview

SHAPES = {
    ReleaseLineState.READY: ("○ ready", "green"),
    ReleaseLineState.LEFT_OUT: ("◇ left out", "yellow"),
    ReleaseLineState.MAKING: ("◐ making", "default"),
    ReleaseLineState.FAILED: ("■ failed", "red"),
    ReleaseLineState.LAGS: ("▲ lags", "yellow"),
}


def preview_shown(seen: ReleasePreview) -> None:
    out().print(Text(f"Release {seen.number} ({seen.version_name}) on {seen.channel}", style="bold"))
    rows = []
    for each in seen.lines:
        goes = each.placing
        build = each.line.build.name if each.line.build else ""
        over = goes.replaces.name if goes and goes.replaces else ""
        cost = (
            mb(goes.update.download) if goes and goes.update else mb(goes.fresh.download) if goes and goes.fresh else ""
        )
        shape, style = SHAPES[each.line.state]
        rows.append(
            (Text(shape, style=style), each.line.line, build, over, cost, goes.devices if goes else "", each.said)
        )
    table(["", "for", "build", "replaces", ">download", ">devices", "~said"], rows)
    for obstacle in seen.obstacles:
        out().print(Text(f"■ {obstacle}", style="red"))


def release_shown(found: Release, as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    rows: list[tuple[str, object]] = [
        ("release", f"{found.number} of {found.title}, {found.version_name}, {found.purpose}"),
        ("made", f"{ago(found.created_at)} by {found.created_by}"),
        ("live on", ", ".join(found.live_on) or "no channel yet"),
    ]
    facts(rows)
    out().print()
    lines = []
    for line in found.lines:
        shape, style = SHAPES[line.state]
        build = line.build.name if line.build else ""
        live = ", ".join(line.build.live_on) if line.build else ""
        lines.append((Text(shape, style=style), line.line, line.profile, build, live, line.said))
    table(["", "for", "profile", "build", "live on", "~said"], lines)
    notes_shown(found)


def notes_shown(found: Release) -> None:
    if not found.notes:
        err().print(
            f"No notes yet: rampa release notes {found.number} --for players --language en --file FILE", style="dim"
        )
    for note in found.notes:
        out().print()
        out().print(Text(f"For {note.audience}, {note.language}, by {note.by}", style="bold"))
        out().print(note.text, highlight=False, markup=False)


def draft_shown(draft: NotesDraft, as_json: bool) -> None:
    if as_json:
        print_json(draft)
        return
    err().print(f"Commits since {draft.since or 'the beginning'}, for a person to write notes from:", style="dim")
    for subject in draft.subjects:
        out().print(f"- {subject}", highlight=False, markup=False)
    if draft.left:
        out().print(f"and {counted(draft.left, 'more commit')}")
    if not draft.subjects:
        err().print("No commits are known between the two.")
