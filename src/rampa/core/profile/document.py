"""Reading a profile document (`rampa.toml`): every problem in it with line and column, all at once."""

from __future__ import annotations

import difflib
import re
import tomllib
from dataclasses import dataclass
from typing import Any

from rampa.core.profile.keys import NAMED_SECTIONS, SECTIONS, Key, name_problem
from rampa.core.profile.platforms import PLATFORMS
from rampa.core.profile.positions import Positions, positions
from rampa.core.profile.problems import DocumentInvalid, Problem

MAX_BYTES = 1024 * 1024
MAX_DEPTH = 100
FILE_NAME = "rampa.toml"


@dataclass(frozen=True)
class Document:
    """A valid document: its text, its values, and where they stand."""

    text: str
    values: dict[str, Any]
    at: Positions

    def line(self, *key: str | int) -> str:
        """`rampa.toml:LINE` of a key, for origins."""
        return f"{FILE_NAME}:{self.at.of(key).line}"


def read_document(data: bytes) -> Document:
    """Raises `DocumentInvalid` with every problem."""
    text = _text(data)
    at = positions(text)
    try:
        values = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise DocumentInvalid(_syntax(error, at)) from error
    reading = _Reading(at)
    reading.document(values)
    if reading.problems:
        raise DocumentInvalid(reading.problems)
    return Document(text, values, at)


def _text(data: bytes) -> str:
    if len(data) > MAX_BYTES:
        size = f"it is {len(data) / 1e6:.1f} MB long, and a profile document has at most {MAX_BYTES / 1e6:.1f} MB"
        raise DocumentInvalid([Problem(1, 1, "", size)])
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError as error:
        before = data[: error.start].split(b"\n")
        line, column = len(before), len(before[-1].decode("utf-8", "replace")) + 1
        raise DocumentInvalid([Problem(line, column, "", "this byte is not UTF-8", "Save it as UTF-8.")]) from error
    if _depth(text) > MAX_DEPTH:
        raise DocumentInvalid([Problem(1, 1, "", f"tables or lists are nested more than {MAX_DEPTH} deep")])
    return text


def _depth(text: str) -> int:
    """How deep brackets nest; those in texts and comments count too, which only makes the limit a little stricter."""
    depth = deepest = 0
    for bracket in re.findall(r"[\[\]{}]", text):
        depth = depth + 1 if bracket in "[{" else max(0, depth - 1)
        deepest = max(deepest, depth)
    return deepest


def _syntax(error: Exception, at: Positions) -> list[Problem]:
    """tomllib's sentence for the first place, and the other places where the grammar breaks."""
    if at.twice:
        return [
            Problem(p.line, p.column, ".".join(map(str, key)), f"this key stands in line {at.of(key).line} already")
            for key, p in at.twice
        ]
    match = re.search(r"^(.*) \(at (?:line (\d+), column (\d+)|end of document)\)$", str(error))
    message = (match.group(1) if match else str(error)) or "this cannot be read"
    line, column = (int(match.group(2)), int(match.group(3))) if match and match.group(2) else (0, 0)
    if not line:
        line, column = (at.broken[-1].line, at.broken[-1].column) if at.broken else (1, 1)
    first = Problem(line, column, "", message[0].lower() + message[1:])
    others = {p.line: p for p in at.broken if p.line != line}
    return [first, *(Problem(p.line, p.column, "", "this is not TOML") for p in others.values())]


class _Reading:
    """One document's problems."""

    def __init__(self, at: Positions) -> None:
        self._at = at
        self.problems: list[Problem] = []

    def _say(self, key: tuple[str | int, ...], message: str, hint: str = "", *, value: bool = False) -> None:
        place = self._at.values.get(key) if value else None
        place = place or self._at.of(key)
        dotted = ".".join(str(k) for k in key if isinstance(k, str))
        self.problems.append(Problem(place.line, place.column, dotted, message, hint))

    def document(self, values: dict[str, Any]) -> None:
        self._unknown((), values, [*SECTIONS, *NAMED_SECTIONS])
        for section, keys in SECTIONS.items():
            if section not in values:
                self._say((), f"the table [{section}] is missing", f"It holds: {', '.join(keys)}.")
            elif self._is_table((section,), values[section]):
                self._table((section,), values[section], keys)
        for section, keys in NAMED_SECTIONS.items():
            self._named(section, values.get(section), keys)
        self._platform_rules(values)

    def _named(self, section: str, tables: object, keys: dict[str, Key]) -> None:
        one = section[:-1]
        if tables is None or tables == {}:
            self._say((section,), f"there is no {one}", f"Add a table [{section}.NAME].")
            return
        if not self._is_table((section,), tables):
            return
        assert isinstance(tables, dict)
        for name, table in tables.items():
            problem = name_problem(name)
            if problem:
                self._say((section, name), f"{name!r} cannot name a {one}: {problem}")
            if self._is_table((section, name), table):
                self._table((section, name), table, keys)

    def _is_table(self, key: tuple[str, ...], value: object) -> bool:
        if not isinstance(value, dict):
            self._say(key, f"this must be a table, and is {_kind(value)}")
        return isinstance(value, dict)

    def _table(self, prefix: tuple[str, ...], table: dict[str, Any], keys: dict[str, Key]) -> None:
        self._unknown(prefix, table, list(keys))
        for name, key in keys.items():
            path = (*prefix, name)
            if name in table:
                self._value(path, table[name], key)
            elif key.required:
                example = f"For example: {name} = {key.example if key.kind == 'texts' else repr(key.example)}."
                self._say(prefix, f"the key {name!r} is missing", example.replace("'", '"'))

    def _unknown(self, prefix: tuple[str, ...], table: dict[str, Any], known: list[str]) -> None:
        for name in table:
            if name not in known:
                near = difflib.get_close_matches(name, known, 1)
                hint = f"Did you mean {near[0]!r}?" if near else f"Known here: {', '.join(known)}."
                self._say((*prefix, name), "this key is not known", hint)

    def _value(self, path: tuple[str, ...], value: object, key: Key) -> None:
        if key.kind == "text":
            self._text(path, value, key)
        elif not isinstance(value, list):
            self._say(path, f"this must be a list of texts, and is {_kind(value)}", value=True)
        else:
            if not value and key.required:
                self._say(path, "the list is empty", value=True)
            for number, item in enumerate(value):
                self._text((*path, number), item, key)

    def _text(self, path: tuple[str | int, ...], value: object, key: Key) -> None:
        if not isinstance(value, str):
            self._say(path, f"this must be a text in quotes, and is {_kind(value)}", value=True)
        elif key.allowed and value not in key.allowed:
            near = difflib.get_close_matches(value, key.allowed, 1)
            hint = f"Did you mean {near[0]!r}?" if near else f"Allowed: {', '.join(key.allowed)}."
            self._say(path, f"{value!r} is not allowed here", hint, value=True)
        elif key.check and (problem := key.check(value)):
            self._say(path, f"{value!r} cannot be used: {problem}", value=True)

    def _platform_rules(self, values: dict[str, Any]) -> None:
        """What depends on the platform that a profile names."""
        profiles = values.get("profiles")
        for name, profile in profiles.items() if isinstance(profiles, dict) else ():
            platform = PLATFORMS.get(str(profile.get("platform"))) if isinstance(profile, dict) else None
            listed = profile.get("architectures") if isinstance(profile, dict) else None
            if platform is None or not isinstance(listed, list):
                continue
            for number, item in enumerate(listed):
                if isinstance(item, str) and item not in platform.architectures:
                    allowed = f"Allowed: {', '.join(platform.architectures)}."
                    where = ("profiles", name, "architectures", number)
                    self._say(where, f"{item!r} is no architecture of {platform.title}", allowed, value=True)


def _kind(value: object) -> str:
    kinds = {bool: "true or false", int: "a number", float: "a number", list: "a list", dict: "a table", str: "a text"}
    return kinds.get(type(value), "a date or time")
