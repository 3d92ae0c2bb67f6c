"""Patterns for a depot's files that hold for those of the next export, too: `*_fi.qm` rather than forty paths."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from rampa.core.patterns import literal, read_patterns


@dataclass(frozen=True, slots=True, order=True)
class Facet:
    """Whom files are for; all empty: everybody."""

    language: str = ""
    addon: str = ""
    quality: str = ""


def patterns_for(paths: set[str], others: set[str], facet: Facet) -> list[str]:
    """Patterns as in gitignore(5) that match all of `paths` and none of `others`: the fewest that are found, the widest first."""
    candidates = {pattern for path in paths for pattern in _candidates(path, facet)}
    # What one file suggests can match more of them.
    wide = {p: _matched(p, paths) for p in candidates if not _matched(p, others)}
    out, left = [], set(paths)
    while left:
        best = max(wide, key=lambda p: (len(wide[p] & left), -len(p), p))
        out.append(best)
        left -= wide[best]
    return sorted(out)


def _matched(pattern: str, paths: Iterable[str]) -> set[str]:
    return set(read_patterns([pattern]).match_files(paths))


def _candidates(path: str, facet: Facet) -> Iterator[str]:
    """From the widest to the path itself."""
    folder, _, name = path.rpartition("/")
    for ending in _endings(name, facet.language):
        yield f"*{ending}"
        yield f"/{literal(folder)}/*{ending}" if folder else f"/*{ending}"
    parts = folder.split("/") if folder else []
    for depth, part in enumerate(parts):
        if part in _spellings(facet.language) or part == facet.addon:
            yield "**/" + "/".join(literal(p) for p in parts[max(0, depth - 1) : depth + 1]) + "/"
    for depth in range(len(parts)):
        yield "/" + "/".join(literal(p) for p in parts[: depth + 1]) + "/"
    yield f"/{literal(path)}"


def _endings(name: str, language: str) -> Iterator[str]:
    """`_fi.qm` of `qt_help_fi.qm`."""
    for spelled in _spellings(language):
        match = re.search(rf"[._-]{re.escape(spelled)}\.[A-Za-z0-9]+$", name)
        if match:
            yield literal(match[0])


def _spellings(language: str) -> set[str]:
    return {language, language.replace("-", "_")} if language else set()
