"""Where the files of an export lie in a package.

An export is laid out as the package is (its manifest where the container wants it), or it has the container's own
files in `package/` and content beside it: then content goes into the package's folder for it.
"""

from __future__ import annotations

from collections.abc import Iterable

OWN = "package/"
CONTENT = {"apk": "assets/", "aab": "base/assets/"}


def place(path: str, kind: str, program_name: str, separate: bool) -> str:
    """The path in the package. `separate`: the export has a folder `package/`. `program_name` names an IPA's application."""
    if not separate:
        return path
    inside = f"Payload/{program_name}.app/" if kind == "ipa" else ""
    if path.startswith(OWN):
        return inside + path.removeprefix(OWN)
    return (inside or CONTENT.get(kind, "")) + path


def has_own(paths: Iterable[str]) -> bool:
    return any(p.startswith(OWN) for p in paths)
