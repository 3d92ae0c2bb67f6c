"""Reading a listing's folder: all of what is wrong is said at once, and what can be read is read beside it."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from rampa.core.devices.screen import Form
from rampa.core.errors import Invalid
from rampa.core.listing.layout import (
    FACTS,
    LARGEST_TEXT,
    MOST_LANGUAGES,
    MOST_PICTURES,
    check_place,
    language_of,
    picture_place,
)
from rampa.core.listing.licence import read_licence
from rampa.core.listing.listing import PARTS, Listing, Path, Picture
from rampa.core.listing.rating import QUESTIONS
from rampa.core.listing.rules import CATEGORIES, FIELDS, LINKS
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.profile.problems import nearest
from rampa.core.quantity import counted

LONGEST_VALUE = 20_000
LONGEST_ADDRESS = 500
SHOWN = 50
CONTROL = re.compile(r"[\x00-\x08\x0b-\x1f\x7f]")
"""All but line feeds and tabs."""


@dataclass(frozen=True, slots=True)
class ListingProblem:
    """Something that is not as a listing is written. `where` is a file, with the key in it."""

    where: str
    message: str
    hint: str = ""


@dataclass(frozen=True, slots=True)
class PictureFacts:
    """Of a picture's file: SHA-256, sides in pixels."""

    digest: str
    width: int
    height: int
    transparent: bool = False


def read_listing(
    texts: Mapping[str, str], pictures: Mapping[str, PictureFacts]
) -> tuple[Listing, tuple[ListingProblem, ...]]:
    """The files by their paths in the folder. A file that cannot be read is left out, and is a problem."""
    problems: list[ListingProblem] = list(_places([*texts, *pictures]))
    facts: dict[Path, str] = {}
    by_language: dict[str, dict[Path, str]] = {}
    for path, text in sorted(texts.items()):
        language = language_of(path)
        if path != FACTS and not language:
            continue
        reader = _File(path)
        found = reader.leaves(text, FACT_KEYS if path == FACTS else TEXT_KEYS)
        problems += reader.problems
        if language:
            by_language[language] = found
        else:
            facts = found
    main = facts.get(("main",), "")
    if FACTS in texts and main not in by_language:
        said = f"names {main!r}, and there is no texts/{main}.toml" if main else "is not said"
        problems.append(
            ListingProblem(f"{FACTS}: main", f"the main language {said}", 'Write main = "en", and its file.')
        )
    made = tuple(_pictures(pictures))
    return Listing(main, facts, by_language, made), tuple(problems)


def must_read(texts: Mapping[str, str], pictures: Mapping[str, PictureFacts]) -> Listing:
    """Raises `Invalid` with all that is wrong."""
    listing, problems = read_listing(texts, pictures)
    if problems:
        lines = [f"{p.where}: {p.message}. {p.hint}".rstrip() for p in problems[:SHOWN]]
        if len(problems) > SHOWN:
            lines.append(f"and {len(problems) - SHOWN} more")
        raise Invalid(
            "listing.invalid", f"the listing has {counted(len(problems), 'problem')}:\n  " + "\n  ".join(lines)
        )
    return listing


def _places(paths: list[str]) -> Iterator[ListingProblem]:
    for path in paths:
        try:
            check_place(path)
        except Invalid as error:
            yield ListingProblem(error.where, error.message, error.hint)
    for what, most, count in (
        ("languages", MOST_LANGUAGES, sum(bool(language_of(p)) for p in paths)),
        ("pictures", MOST_PICTURES, sum(picture_place(p) is not None for p in paths)),
    ):
        if count > most:
            yield ListingProblem("", f"it has {count:,} {what}, and at most {most} are read")


def _pictures(pictures: Mapping[str, PictureFacts]) -> Iterator[Picture]:
    for path, facts in sorted(pictures.items()):
        place = picture_place(path)
        if place is not None:
            yield Picture(
                path, place.form, place.language, place.name, facts.digest, facts.width, facts.height, facts.transparent
            )


Keys = Mapping[str, Any]
"""Name of a key -> how its value is checked, or the keys of its table."""


def _address(value: str) -> str:
    if not value.startswith(("https://", "http://")) or any(c.isspace() for c in value):
        return "is no address; it reads https://HOST/PATH"
    return f"has more than {LONGEST_ADDRESS} characters" if len(value) > LONGEST_ADDRESS else ""


def _text(value: str) -> str:
    if len(value) > LONGEST_VALUE:
        return f"has more than {LONGEST_VALUE:,} characters"
    odd = CONTROL.search(value)
    return f"holds a control character (U+{ord(odd[0]):04X})" if odd else ""


def _licence(value: str) -> str:
    try:
        read_licence(value)
    except Invalid as error:
        return f"is no licence: {error.message}"
    return ""


class _Among:
    def __init__(self, known: Iterable[str]) -> None:
        self.known = list(known)

    def __call__(self, value: str) -> str:
        return "" if value in self.known else f"is {value[:40]!r}. {nearest(value, self.known)}"


SHARED: Keys = {
    "category": _Among(CATEGORIES),
    "links": {name: _address for name in LINKS},
    "videos": {str(form): _address for form in Form},
}
FACT_KEYS: Keys = {
    "main": _text,
    "licence": _licence,
    **SHARED,
    "rating": {name: _Among(q.answers) for name, q in QUESTIONS.items()},
    PARTS: {name: SHARED for name in STOREFRONTS},
}
TEXT_KEYS: Keys = {
    **{name: _text for name in FIELDS},
    PARTS: {name: {field: _text for field in FIELDS} for name in STOREFRONTS},
}


class _File:
    """One file's values by their paths; what is wrong gathers in `problems`."""

    def __init__(self, path: str) -> None:
        self.path = path
        self.problems: list[ListingProblem] = []

    def leaves(self, text: str, keys: Keys) -> dict[Path, str]:
        if len(text) > LARGEST_TEXT:
            self._say((), f"has more than {LARGEST_TEXT:,} characters")
            return {}
        try:
            body = tomllib.loads(text)
        except (tomllib.TOMLDecodeError, RecursionError) as error:
            self._say((), f"is no TOML: {error}")
            return {}
        return dict(self._walk(body, keys, ()))

    def _walk(self, table: Mapping[str, Any], keys: Keys, at: Path) -> Iterator[tuple[Path, str]]:
        for name, value in table.items():
            path, rule = (*at, name), keys.get(name)
            if rule is None:
                self._say(path, "is no key of it", nearest(name, list(keys)))
            elif isinstance(rule, dict):
                if isinstance(value, dict):
                    yield from self._walk(value, rule, path)
                else:
                    self._say(path, f"is a table, with {', '.join(rule)}")
            elif not isinstance(value, str):
                self._say(path, "is a text, in quotation marks")
            elif wrong := rule(value):
                self._say(path, wrong)
            else:
                yield path, value.strip()

    def _say(self, path: Path, message: str, hint: str = "") -> None:
        where = f"{self.path}: {'.'.join(path)}"[:200] if path else self.path
        self.problems.append(ListingProblem(where, message, hint))
