"""Version names: SemVer 2.0.0, with its ordering (section 11)."""

from __future__ import annotations

import re

# The regular expression that semver.org suggests.
SEMVER = re.compile(
    r"(0|[1-9]\d*)\.(0|[1-9]\d*)\.(0|[1-9]\d*)"
    r"(?:-((?:0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*)(?:\.(?:0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*))*))?"
    r"(?:\+([0-9a-zA-Z-]+(?:\.[0-9a-zA-Z-]+)*))?"
)


def version_name_problem(text: str) -> str:
    """What is wrong with a version name, as a clause; empty when nothing is."""
    if len(text) > 64 or not SEMVER.fullmatch(text):
        return "it must be a SemVer 2.0 version such as 1.4.0 or 1.4.0-rc.2"
    return ""
