"""Programs whose libraries nobody brings: found on the files, before a player finds out."""

from __future__ import annotations

from rampa.core.check.findings import Finding
from rampa.core.content.select.provided_libraries import lacking
from rampa.core.content.select.selection import Selection
from rampa.core.profile.resolved import ResolvedProfile

SHOWN = 20
HINT = "Include the library beside the program, or name it in content.provided_libraries where the platform brings it."


def check_provided_libraries(selection: Selection, profile: ResolvedProfile) -> list[Finding]:
    """A warning for each: the table of what platforms bring cannot know everything."""
    found = lacking(selection, profile.platform.name, profile.settings.content.provided_libraries)
    return [
        Finding(
            "warning",
            "content.library-missing",
            f"{x.path} needs {x.name}, which neither the build nor {profile.platform.title} has",
            x.path,
            HINT,
        )
        for x in found[:SHOWN]
    ]
