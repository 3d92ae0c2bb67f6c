"""The keys of a profile document: each with its type, whether it must be there, and what it may hold.

docs/profile-document.md is the reader's side of this table.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from rampa.core.content.paths import path_problem
from rampa.core.content.strip_classes import STRIP_CLASSES
from rampa.core.profile.platforms import PLATFORMS
from rampa.core.version.name import version_name_problem

IDENTIFIER = re.compile(r"[a-z][a-z0-9]*(\.[a-z][a-z0-9]*)+")
NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,48}")
PURPOSES = ("development", "testing", "release")

Check = Callable[[str], str]
"""Takes a value and says what is wrong with it, as a clause; empty when nothing is."""


@dataclass(frozen=True)
class Key:
    """`kind` is text or texts (a list of them). `allowed` lists choices; `check` looks at each text."""

    kind: str = "text"
    required: bool = False
    allowed: tuple[str, ...] = ()
    check: Check | None = None
    example: str = ""


def _identifier(text: str) -> str:
    if IDENTIFIER.fullmatch(text) and len(text) <= 155:
        return ""
    return "it must be reverse-domain: lower-case letters and digits, parted by dots"


def _words(text: str) -> str:
    if not text.strip() or len(text) > 100 or not text.isprintable():
        return "it must be 1 to 100 printable characters"
    return ""


def _name(text: str) -> str:
    return "" if NAME.fullmatch(text) else "it must be lower-case letters, digits and hyphens (at most 49)"


def _template(text: str) -> str:
    if "{version}" not in text and "{code}" not in text:
        return "it must hold {version} or {code}, so that two builds never have one name"
    left = re.sub(r"\{(title|version|code|profile|platform)\}", "", text)
    if "{" in left or "}" in left:
        return "it may hold {title}, {version}, {code}, {profile} and {platform} in braces, nothing else"
    if not re.fullmatch(r"[\w.+ -]+", re.sub(r"\{\w+\}", "x", text), re.ASCII) or text.startswith((".", " ", "-")):
        return "it may hold letters, digits, dots, plus signs, hyphens, underscores and spaces, and starts with none of . - space"
    return path_problem(text)


def _pattern(text: str) -> str:
    return "it is empty" if not text.strip() else ""


TITLE = {
    "name": Key(required=True, check=_words, example="Peatlight"),
    "identifier": Key(required=True, check=_identifier, example="example.quillback.peatlight"),
    "studio": Key(required=True, check=_words, example="Quillback Works"),
}
VERSION = {"name": Key(required=True, check=version_name_problem, example="1.4.0")}
CONTENT = {
    "include": Key("texts", required=True, check=_pattern, example='["bin/", "data/"]'),
    "strip": Key("texts", check=_pattern, example='["*.draft.*"]'),
    "strip_classes": Key("texts", allowed=tuple(STRIP_CLASSES), example='["symbols"]'),
}
PROFILE = {
    "platform": Key(required=True, allowed=tuple(PLATFORMS), example="linux"),
    "purpose": Key(required=True, allowed=PURPOSES, example="release"),
    "architectures": Key("texts", required=True, example='["x86_64"]'),
    "identity": Key(check=_name, example="quillback-2026"),
    "launch": Key(required=True, check=path_problem, example="bin/peatlight"),
    "bundle": Key(check=_template, example="{title}-{version}-{code}-{profile}"),
    "include": Key("texts", check=_pattern),
    "strip": Key("texts", check=_pattern),
}
DEPOT = {
    "only": Key("texts", check=_pattern, example='["addons/winter-timetable/"]'),
    "not": Key("texts", check=_pattern, example='["addons/"]'),
    "platforms": Key("texts", allowed=tuple(PLATFORMS)),
    "addon": Key(check=_words, example="Winter Timetable"),
}

SECTIONS: dict[str, dict[str, Key]] = {"title": TITLE, "version": VERSION, "content": CONTENT}
"""Tables that stand once."""
NAMED_SECTIONS: dict[str, dict[str, Key]] = {"profiles": PROFILE, "depots": DEPOT}
"""Tables of tables: each name below has these keys."""
name_problem = _name
