"""The folder that a listing is kept in: text files that people review, and pictures.

listing.toml                          what no language changes: category, licence, links, videos, the rating's answers
texts/en.toml                         name, short text and long text in one language (BCP 47)
pictures/icon.png                     one square picture
pictures/desktop/1-signal-loft.png    pictures of a form of device, in the order of their names
pictures/desktop/fi/1-signal-loft.png the same picture in one language, where it has words in it
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from rampa.core.devices.screen import Form
from rampa.core.errors import Invalid

FOLDER = "listing"
"""Beside the profile document."""
FACTS = "listing.toml"
MOST_LANGUAGES, MOST_PICTURES = 250, 600
LARGEST_TEXT = 100_000
"""Characters of one file."""
LARGEST_PICTURE = 8 * 1024 * 1024
"""Bytes."""
LANGUAGE = r"[a-z]{2,3}(?:-[A-Za-z0-9]{2,8}){0,3}"
FORMS = "|".join(Form)
TEXTS = re.compile(rf"texts/({LANGUAGE})\.toml")
ICON = re.compile(r"pictures/icon\.(png|jpg|jpeg|webp)")
PICTURE = re.compile(rf"pictures/({FORMS})/(?:({LANGUAGE})/)?([a-z0-9][a-z0-9-]{{0,60}})\.(png|jpg|jpeg|webp)")


@dataclass(frozen=True, slots=True)
class PicturePlace:
    """Of a picture's path. `form` empty: the icon; `language` empty: of every one that has none of its own."""

    form: str
    language: str
    name: str


def texts_file(language: str) -> str:
    return f"texts/{language}.toml"


def language_of(path: str) -> str:
    """The language of a file of texts; empty where it is none."""
    found = TEXTS.fullmatch(path)
    return found[1] if found else ""


def is_text(path: str) -> bool:
    return path == FACTS or bool(language_of(path))


def picture_place(path: str) -> PicturePlace | None:
    if ICON.fullmatch(path):
        return PicturePlace("", "", "icon")
    found = PICTURE.fullmatch(path)
    return PicturePlace(found[1], found[2] or "", found[3]) if found else None


def check_place(path: str) -> None:
    """Raises `Invalid` for what has no place in a listing's folder."""
    if not is_text(path) and picture_place(path) is None:
        hint = "There are listing.toml, texts/LANGUAGE.toml, pictures/icon.png and pictures/FORM/NAME.png; see docs/listing.md."
        raise Invalid("listing.file", "this file has no place in a listing", where=path[:200], hint=hint)
