"""A layer: what the document's own tables, one facet or one profile say, read once and checked setting by setting."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from rampa.core.profile.positions import Positions
from rampa.core.profile.problems import HINTED, DocumentProblem, nearest
from rampa.core.profile.settings.kinds import KINDS, Check, Setting
from rampa.core.profile.settings.table import SETTINGS, TABLES
from rampa.core.profile.values import MAX_ITEMS, ListChange, Origin, TableChange, Value

Path = tuple[str | int, ...]
PLAIN = tuple(key for key in SETTINGS if "." not in key)


@dataclass
class Layer:
    """`values` replace what came before, `changes` change it; `spoiled` keys are said, but wrongly. `facets` by name."""

    name: str
    path: tuple[str, ...]
    values: dict[str, Value] = field(default_factory=dict)
    changes: dict[str, ListChange | TableChange] = field(default_factory=dict)
    facets: tuple[str, ...] = ()
    spoiled: set[str] = field(default_factory=set)


class LayerReader:
    """Reads tables into layers; every problem goes into `problems`."""

    def __init__(self, at: Positions) -> None:
        self._at = at
        self.problems: list[DocumentProblem] = []

    def say(self, path: Path, message: str, hint: str = "", *, value: bool = False, code: str = "") -> None:
        place = self._at.values.get(path) if value else None
        place = place or self._at.of(path)
        dotted = ".".join(str(k) for k in path if isinstance(k, str))
        more = {"code": code} if code else {}
        self.problems.append(DocumentProblem(place.line, place.column, dotted, message, hint, **more))

    def is_table(self, path: Path, value: object) -> bool:
        if not isinstance(value, dict):
            self.say(path, f"this must be a table, and is {kind_of(value)}", value=True)
        return isinstance(value, dict)

    def unknown(self, path: Path, known: tuple[str, ...]) -> None:
        hint = nearest(str(path[-1]), known) if len(self.problems) < HINTED else ""
        self.say(path, "this key is not known", hint)

    def layer(self, name: str, path: tuple[str, ...], table: dict[str, Any]) -> Layer:
        made = Layer(name, path)
        plain = PLAIN if path else ()
        for word, value in table.items():
            here = (*path, word)
            if word in TABLES:
                if self.is_table(here, value):
                    self._group(made, word, value)
            elif word in plain:
                self._setting(made, here, value, SETTINGS[word])
            elif word == "facets" and path:
                made.facets = self._facets(here, value)
            elif path:
                self.unknown(here, (*PLAIN, "facets", *TABLES, *(k for k in SETTINGS if "." in k)))
        return made

    def _group(self, layer: Layer, group: str, table: dict[str, Any]) -> None:
        for word, value in table.items():
            setting = SETTINGS.get(f"{group}.{word}")
            here = (*layer.path, group, word)
            if setting is None:
                self.unknown(here, tuple(s.name for s in SETTINGS.values() if s.group == group))
            else:
                self._setting(layer, here, value, setting)

    def _facets(self, path: Path, value: Any) -> tuple[str, ...]:
        if not isinstance(value, list) or not all(isinstance(item, str) for item in value):
            self.say(path, f"this must be a list of facets' names, and is {kind_of(value)}", value=True)
            return ()
        return tuple(value)

    def value(self, path: Path, value: Any, setting: Setting, layer: str) -> Value | None:
        """A text, list of texts, number or flag; None when something is wrong with it."""
        if setting.kind == "texts":
            if not self._texts(path, value, setting):
                return None
            # From the last to the first: of an item that is there twice, the first place counts.
            parts = {item: self._origin(layer, (*path, n)) for n, item in reversed(list(enumerate(value)))}
            return Value(tuple(value), self._origin(layer, path), parts)
        return Value(value, self._origin(layer, path)) if self._single(path, value, setting) else None

    def _setting(self, layer: Layer, path: Path, value: Any, setting: Setting) -> None:
        if setting.kind == "texts" and isinstance(value, dict):
            self._change(layer, path, value, setting)
        elif setting.kind == "table":
            self._entries(layer, path, value, setting)
        else:
            read = self.value(path, value, setting, layer.name)
            if read:
                layer.values[setting.key] = read
            else:
                layer.spoiled.add(setting.key)

    def _change(self, layer: Layer, path: Path, value: dict[str, Any], setting: Setting, inner: Path = ()) -> None:
        for word in value:
            if word not in ("add", "take"):
                self.say((*path, word), "a list is replaced by a list, or changed by add and take", "Use add or take.")
                layer.spoiled.add(setting.key)
                return
        parts: dict[str, Origin] = {}
        for word, items in value.items():
            where = inner or (*path, word)
            if not self._texts(where, items, setting, may_be_empty=True):
                layer.spoiled.add(setting.key)
                return
            parts |= {item: self._origin(layer.name, (*where, n)) for n, item in enumerate(items)}
        origin = self._origin(layer.name, path)
        change = ListChange(tuple(value.get("add", ())), tuple(value.get("take", ())), origin, parts)
        layer.changes[setting.key] = change

    def _entries(self, layer: Layer, path: Path, value: Any, setting: Setting) -> None:
        if not isinstance(value, dict):
            self.say(path, f"this must be {KINDS['table']}, and is {kind_of(value)}", value=True)
            return
        if len(value) > MAX_ITEMS:
            self.say(path, f"the table has {len(value)} entries, and at most {MAX_ITEMS} are read", value=True)
            return
        for name, text in value.items():
            here = (*path, name)
            problem = setting.names(name) if setting.names else ""
            if problem:
                self.say(here, f"{name!r} cannot stand here: {problem}")
            if text is not False:
                self._text(here, text, setting)
        entries = {name: None if text is False else text for name, text in value.items()}
        parts = {name: self._origin(layer.name, (*path, name)) for name in value}
        layer.changes[setting.key] = TableChange(entries, self._origin(layer.name, path), parts)

    def _texts(self, path: Path, value: Any, setting: Setting, may_be_empty: bool = False) -> bool:
        if not isinstance(value, list):
            self.say(path, f"this must be a list of texts, and is {kind_of(value)}", value=True)
            return False
        if len(value) > MAX_ITEMS:
            self.say(path, f"the list has {len(value)} items, and at most {MAX_ITEMS} are read", value=True)
            return False
        if not value and setting.required and not may_be_empty:
            self.say(path, "the list is empty", value=True)
            return False
        # All items are looked at, not only up to the first bad one: problems are said all at once.
        return all([self._text((*path, number), item, setting) for number, item in enumerate(value)])

    def _single(self, path: Path, value: Any, setting: Setting) -> bool:
        if setting.kind == "text":
            return self._text(path, value, setting)
        # bool is a kind of int to Python; to a document it is not.
        right = type(value) is (bool if setting.kind == "flag" else int)
        if not right:
            self.say(path, f"this must be {KINDS[setting.kind]}, and is {kind_of(value)}", value=True)
        elif setting.kind == "number" and not setting.least <= value <= setting.most:
            self.say(path, f"{value} is not between {setting.least} and {setting.most}", value=True)
            return False
        return right

    def _text(self, path: Path, value: Any, setting: Setting) -> bool:
        problem = self._wrong(value, setting)
        if problem:
            self.say(path, problem[0], problem[1], value=True)
        return not problem

    def _wrong(self, value: Any, setting: Setting) -> tuple[str, str] | None:
        if not isinstance(value, str):
            return f"this must be a text in quotes, and is {kind_of(value)}", ""
        if setting.allowed and value not in setting.allowed:
            hint = nearest(value, setting.allowed, f"Allowed: {', '.join(setting.allowed)}.")
            return f"{value[:80]!r} is not allowed here", hint
        check: Check | None = setting.check
        clause = check(value) if check else ""
        return (f"{value[:80]!r} cannot be used: {clause}", "") if clause else None

    def _origin(self, layer: str, path: Path) -> Origin:
        place = self._at.values.get(path) or self._at.of(path)
        return Origin(layer, place.line, place.column)


def kind_of(value: object) -> str:
    kinds = {bool: "true or false", int: "a number", float: "a number", list: "a list", dict: "a table", str: "a text"}
    return kinds.get(type(value), "a date or time")
