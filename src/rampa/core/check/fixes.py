"""Where a fix is made: in the profile's own table, or in the facet that said the wrong value, when all who have it agree."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable
from dataclasses import replace

from rampa.core.check.profile_findings import ProfileFinding
from rampa.core.profile.document import Document
from rampa.core.profile.edits import Edit
from rampa.core.profile.settings.table import SETTINGS


def at_the_source(document: Document, found: list[ProfileFinding]) -> list[ProfileFinding]:
    """The findings, their fixes moved to the facet or the document's own table where a value was said.

    Only when every profile that has the value from there has the finding, with the same fix: for any other the value is right.
    """
    alike: dict[Hashable, list[ProfileFinding]] = defaultdict(list)
    for finding in found:
        if _movable(finding):
            alike[_group(finding)].append(finding)
    moved = {_group(group[0]) for group in alike.values() if {f.profile for f in group} == _sharers(document, group[0])}
    return [_move(f) if _movable(f) and _group(f) in moved else f for f in found]


def _movable(finding: ProfileFinding) -> bool:
    scope = f"profile {finding.profile}"
    return len(finding.fix) == 1 and bool(finding.origin.line) and finding.origin.layer != scope


def _group(finding: ProfileFinding) -> Hashable:
    return finding.code, finding.key, finding.origin, repr(finding.fix[0].value)


def _sharers(document: Document, finding: ProfileFinding) -> set[str]:
    """The profiles whose value was said at the same place."""
    values = ((name, profile.values.get(finding.key)) for name, profile in document.profiles.items())
    return {name for name, value in values if value is not None and value.origin == finding.origin}


def _move(finding: ProfileFinding) -> ProfileFinding:
    kind, _, name = finding.origin.layer.partition(" ")
    table = ("facets", name) if kind == "facet" else ()
    return replace(finding, fix=(Edit((*table, *SETTINGS[finding.key].path), finding.fix[0].value),))
