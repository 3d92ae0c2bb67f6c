"""A listing: what a title says of itself on storefronts. One for all of them, with a part for each where it says otherwise."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from rampa.core.listing.layout import FACTS, texts_file
from rampa.core.listing.rating import QUESTIONS

Path = tuple[str, ...]
PARTS = "storefronts"
"""The table with a storefront's own part: `storefronts.mossgate.name`."""


@dataclass(frozen=True, slots=True)
class Picture:
    """`form` empty: the icon. `language` empty: for every one without its own. `digest` is SHA-256; sides in pixels."""

    path: str
    form: str
    language: str
    name: str
    digest: str
    width: int
    height: int
    transparent: bool = False


@dataclass(frozen=True, slots=True)
class Said:
    """A value and where it was said."""

    value: str
    file: str
    path: Path

    @property
    def where(self) -> str:
        return f"{self.file}: {'.'.join(self.path)}"


@dataclass(frozen=True)
class Listing:
    """`facts` are of listing.toml, `texts` by language; both by the path of their keys."""

    main: str
    facts: Mapping[Path, str]
    texts: Mapping[str, Mapping[Path, str]]
    pictures: tuple[Picture, ...]

    @property
    def languages(self) -> list[str]:
        """The main one first."""
        return sorted(self.texts, key=lambda language: (language != self.main, language))

    def fact(self, storefront: str, *path: str) -> Said | None:
        """As the storefront gets it: its own part goes before what is said for all."""
        return _first(FACTS, self.facts, storefront, path)

    def text(self, language: str, storefront: str, field: str) -> Said | None:
        """None where the language does not say it; nothing is taken from another one."""
        return _first(texts_file(language), self.texts.get(language, {}), storefront, (field,))

    def shown(self, language: str, storefront: str, field: str) -> Said | None:
        """What a player who reads that language sees: the main language's where theirs has none."""
        return self.text(language, storefront, field) or self.text(self.main, storefront, field)

    def answers(self) -> dict[str, str]:
        """Of the rating's questions; those without one are left out."""
        return {name: self.facts["rating", name] for name in QUESTIONS if ("rating", name) in self.facts}

    def icon(self) -> Picture | None:
        return next((p for p in self.pictures if not p.form), None)

    def pictures_for(self, form: str, language: str) -> list[Picture]:
        """In their order: those of a language go before the common ones of the same name."""
        chosen: dict[str, Picture] = {}
        for picture in self.pictures:
            if picture.form == form and picture.language in ("", language):
                held = chosen.get(picture.name)
                if held is None or picture.language:
                    chosen[picture.name] = picture
        return [chosen[name] for name in sorted(chosen, key=_in_order)]

    def links(self) -> Iterator[Said]:
        """Every address that it names, each where it is said first."""
        seen: set[str] = set()
        for path, value in self.facts.items():
            if ("links" in path or "videos" in path) and value not in seen:
                seen.add(value)
                yield Said(value, FACTS, path)


def _in_order(name: str) -> list[tuple[int, str]]:
    """2-kiln-yard comes before 10-alder-halt, as people number them."""
    return [(int(part), "") if part.isdigit() else (0, part) for part in re.split(r"(\d+)", name)]


def forms_of(pictures: Iterable[Picture]) -> list[str]:
    return list(dict.fromkeys(p.form for p in pictures if p.form))


def _first(file: str, said: Mapping[Path, str], storefront: str, path: Path) -> Said | None:
    for at in ((PARTS, storefront, *path), path):
        if said.get(at):
            return Said(said[at], file, at)
    return None
