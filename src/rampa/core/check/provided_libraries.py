"""Programs whose libraries nobody brings: found on the files, before a player finds out."""

from __future__ import annotations

from rampa.core.check.findings import Finding
from rampa.core.content.select.provided_libraries import by_library, lacking, lacking_sentence
from rampa.core.content.select.selection import Selection
from rampa.core.profile.resolved import ResolvedProfile

HINT = "Include the library beside the program, or name it in content.provided_libraries where the platform brings it."


def check_provided_libraries(selection: Selection, profile: ResolvedProfile) -> list[Finding]:
    """A warning for each library, however many files need it: the table of what platforms bring cannot know everything."""
    found = lacking(selection, profile.platform.name, profile.settings.content.provided_libraries)
    return [
        Finding(
            "warning",
            "content.library-missing",
            lacking_sentence(name, paths, profile.platform.title),
            paths[0],
            HINT,
        )
        for name, paths in by_library(found).items()
    ]
