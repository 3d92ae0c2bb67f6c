"""Checklists: what a person who plays a build looks at. They stand in `checklists.toml` (TOML 1.0), beside the profile document.

[checklists.night-run]
title = "One night on the bog"
platforms = ["linux", "windows"]        every platform without it
purposes = ["testing", "release"]       every purpose without it

[[checklists.night-run.points]]
name = "fog"
text = "The fog at Marrow Bend hides the wagons."     or text = { en = "…", fi = "…" }
picture = true                                        a picture is asked for; not without it
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from rampa.core.errors import Invalid
from rampa.core.platform.purposes import PURPOSE_RULES
from rampa.core.platform.table import PLATFORMS

FILE_NAME = "checklists.toml"
LARGEST = 200_000
"""Characters of the file."""
MOST_LISTS, MOST_POINTS, LONGEST_TEXT = 50, 200, 1000
NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,48}")
LANGUAGE = re.compile(r"[a-z]{2,3}(-[A-Za-z0-9]{2,8})*")
ANY = ""
"""The language of a text that is not said in several."""


@dataclass(frozen=True)
class Point:
    """`text` by language (BCP 47); `picture`: one is asked for."""

    name: str
    text: Mapping[str, str]
    picture: bool = False


@dataclass(frozen=True)
class Checklist:
    """`platforms` and `purposes` empty: of every one."""

    name: str
    title: str
    platforms: tuple[str, ...]
    purposes: tuple[str, ...]
    points: tuple[Point, ...]

    def is_for(self, platform: str, purpose: str) -> bool:
        return platform in (self.platforms or (platform,)) and purpose in (self.purposes or (purpose,))


def read_checklists(text: str) -> tuple[Checklist, ...]:
    """In the file's order. Raises `Invalid` with the place of what is wrong."""
    if len(text) > LARGEST:
        raise Invalid("checklists.large", f"{FILE_NAME} has more than {LARGEST:,} characters", where=FILE_NAME)
    try:
        body = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise Invalid("checklists.toml", f"{FILE_NAME} is no TOML: {error}", where=FILE_NAME) from error
    _only(body, ("checklists",), FILE_NAME)
    tables = body.get("checklists", {})
    if not isinstance(tables, dict) or len(tables) > MOST_LISTS:
        raise _wrong("checklists", f"is a table of at most {MOST_LISTS} checklists")
    return tuple(_checklist(name, table) for name, table in tables.items())


def order(points: Iterable[Point], failed_before: Collection[str]) -> list[Point]:
    """Those that failed last time come first; the others stay as they are written."""
    return sorted(points, key=lambda p: p.name not in failed_before)


def _checklist(name: str, table: Any) -> Checklist:
    at = f"checklists.{name}"
    if not NAME.fullmatch(name):
        raise _wrong(at, "has a name of small letters, digits and hyphens")
    if not isinstance(table, dict):
        raise _wrong(at, "is a table")
    _only(table, ("title", "platforms", "purposes", "points"), at)
    points = table.get("points")
    if not isinstance(points, list) or not 0 < len(points) <= MOST_POINTS:
        raise _wrong(f"{at}.points", f"is 1 to {MOST_POINTS} points, each written as [[{at}.points]]")
    read = tuple(_point(f"{at}.points[{n}]", p) for n, p in enumerate(points, 1))
    names = [p.name for p in read]
    twice = next((n for n in names if names.count(n) > 1), None)
    if twice is not None:
        raise _wrong(f"{at}.points", f"names {twice!r} twice; each point has a name of its own")
    return Checklist(
        name,
        _text(f"{at}.title", table.get("title", name)),
        _among(f"{at}.platforms", table.get("platforms", []), PLATFORMS),
        _among(f"{at}.purposes", table.get("purposes", []), PURPOSE_RULES),
        read,
    )


def _point(at: str, table: Any) -> Point:
    if not isinstance(table, dict):
        raise _wrong(at, "is a table with a name and a text")
    _only(table, ("name", "text", "picture"), at)
    name, text, picture = table.get("name"), table.get("text"), table.get("picture", False)
    if not isinstance(name, str) or not NAME.fullmatch(name):
        raise _wrong(f"{at}.name", "is small letters, digits and hyphens")
    if not isinstance(picture, bool):
        raise _wrong(f"{at}.picture", "is true or false")
    if isinstance(text, dict) and text:
        for language in text:
            if not LANGUAGE.fullmatch(language):
                raise _wrong(f"{at}.text", f"is by language, and {language!r} is none")
        return Point(name, {lang: _text(f"{at}.text.{lang}", said) for lang, said in text.items()}, picture)
    return Point(name, {ANY: _text(f"{at}.text", text)}, picture)


def _text(at: str, said: Any) -> str:
    if not isinstance(said, str) or not said.strip() or len(said) > LONGEST_TEXT or "\0" in said:
        raise _wrong(at, f"is a text of at most {LONGEST_TEXT:,} characters")
    return said.strip()


def _among(at: str, said: Any, known: Collection[str]) -> tuple[str, ...]:
    if not isinstance(said, list) or not all(isinstance(one, str) for one in said):
        raise _wrong(at, "is a list")
    unknown = next((one for one in said if one not in known), None)
    if unknown is not None:
        raise _wrong(at, f"names {unknown!r}, which is none of {', '.join(known)}")
    return tuple(said)


def _only(table: Mapping[str, Any], known: tuple[str, ...], at: str) -> None:
    unknown = next((key for key in table if key not in known), None)
    if unknown is not None:
        raise _wrong(at, f"has no {unknown!r}; it has {', '.join(known)}")


def _wrong(at: str, said: str) -> Invalid:
    return Invalid("checklists.invalid", f"{at} {said}", where=at)
