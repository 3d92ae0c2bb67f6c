"""What shows on the files of a selection, before anything is made of them: launch entries, units, libraries nobody brings."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.core.check.budgets import check_budgets
from rampa.core.check.findings import Finding, in_order
from rampa.core.check.provided_libraries import check_provided_libraries
from rampa.core.content.depots.depots import files_by_depot
from rampa.core.content.select.selection import Selection
from rampa.core.platform.rules import Platform
from rampa.core.profile.resolved import ResolvedProfile


def check_selection(selection: Selection, profile: ResolvedProfile) -> list[Finding]:
    """Blockers first. The same rules stop a placement (rampa.core.check.placement); here there is still time to export again."""
    return in_order(
        [
            *check_launch(selection, profile),
            *_units(selection, profile.settings.content.units),
            *check_provided_libraries(selection, profile),
            *check_sizes(selection, profile),
        ]
    )


def check_launch(selection: Selection, profile: ResolvedProfile) -> Iterator[Finding]:
    """The launch entry, and those for single architectures, go in and are executable where that counts."""
    executable = {f.path: f.executable for f in selection.files}
    launch = profile.settings.launch
    for entry in sorted({launch.entry, *launch.entries.values()} - {""}):
        if entry not in executable:
            hint = "See that the export makes it and no rule leaves it out: launch.entry, content.include."
            yield Finding("blocker", "launch.missing", f"the launch entry {entry} does not go in", entry, hint)
        elif not executable[entry] and needs_bit(profile.platform):
            yield not_executable(entry)


def check_sizes(selection: Selection, profile: ResolvedProfile) -> Iterator[Finding]:
    """Depots and folders against their budgets."""
    files = [(f.path, f.size) for f in selection.files]
    yield from check_budgets(profile.budgets, files_by_depot(files, profile.depots))


def needs_bit(platform: Platform) -> bool:
    """Whether the platform starts only files with the executable bit."""
    return platform.name != "windows"


def not_executable(entry: str) -> Finding:
    hint = f"Run `chmod +x {entry}` in the source folder, and commit that where it comes from a repository; then build again."
    return Finding("blocker", "launch.not-executable", f"the launch entry {entry} is not executable", entry, hint)


def _units(selection: Selection, units: tuple[str, ...]) -> Iterator[Finding]:
    there = set(selection.files.paths)
    for unit in units:
        if unit not in there and not any(p.startswith(unit.rstrip("/") + "/") for p in there):
            message = f"the unit {unit} does not go in"
            yield Finding("blocker", "content.unit-missing", message, unit, "Export it, or take it out.")
