"""Editing a profile document as text: one value set or taken out, every other byte as it was.

An edit finds the place by the grammar, changes only that, and is proved: the new text must read as the old values with the
edit made, or nothing is changed and a person is asked to.
"""

from __future__ import annotations

import copy
import json
import re
import tomllib
from dataclasses import dataclass
from typing import Any

from tree_sitter import Node

from rampa.core.errors import Refused
from rampa.core.profile.positions import names_of, parse

Path = tuple[str, ...]
TABLES_OF_TABLES = ("profiles", "facets", "depots", "steps", "storefronts")
"""Their tables are named: `[profiles.linux-release]`."""


@dataclass(frozen=True, slots=True)
class Edit:
    """Sets the key at `path` (`profiles`, a profile, a group, a name) to `value`; None takes the key out."""

    path: Path
    value: Any

    def words(self) -> str:
        """For people: `in [profiles.visor-release] set code.ahead_of_time = true`."""
        depth = 2 if self.path[0] in TABLES_OF_TABLES else 1
        table, key = ".".join(self.path[:depth]), ".".join(self.path[depth:])
        if self.value is None:
            return f"in [{table}] take out {key}"
        return f"in [{table}] set {key} = {literal(self.value)}"


def apply_edits(text: str, edits: list[Edit]) -> str:
    """The text with all edits made, in order. Raises `Refused` when one cannot be made without touching more."""
    for edit in edits:
        text = apply_edit(text, edit)
    return text


def apply_edit(text: str, edit: Edit) -> str:
    before = tomllib.loads(text)
    wanted = _with(before, edit)
    made = _Editing(text).make(edit)
    try:
        # The proof: whatever the grammar made of the text, the values must be the wanted ones.
        read = tomllib.loads(made)
        emptied = edit.value is None and _without_emptied(read, edit.path) == _without_emptied(wanted, edit.path)
        proved = read == wanted or emptied
    except tomllib.TOMLDecodeError:
        proved = False
    if not proved:
        raise Refused("edit.by-hand", f"this edit needs a person: {edit.words()}", hint="Make it in the text.")
    return made


def written(value: Any) -> str:
    """A value as it stands in a document: a text of several lines over as many, everything else as `literal`."""
    if not isinstance(value, str) or "\n" not in value:
        return literal(value)
    lines = [literal(line)[1:-1].replace('\\"', '"') for line in value.split("\n")]
    # Three quotation marks would end it, and so does one at the very end beside those.
    body = "\n".join(lines).replace('"""', '""\\"')
    body = f'{body[:-1]}\\"' if body.endswith('"') else body
    return f'"""\n{body}"""'


def literal(value: Any) -> str:
    """A value as TOML 1.0 writes it, on one line."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        return re.sub(r"[\x7f]", "\\\\u007f", json.dumps(value, ensure_ascii=False))
    if isinstance(value, list | tuple):
        return f"[{', '.join(literal(item) for item in value)}]"
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{_bare(k)} = {literal(v)}" for k, v in value.items()) + " }" if value else "{}"
    return str(value)


def _bare(key: str) -> str:
    return key if re.fullmatch(r"[A-Za-z0-9_-]+", key) else json.dumps(key, ensure_ascii=False)


def _with(values: dict[str, Any], edit: Edit) -> dict[str, Any]:
    """The values as they are after the edit."""
    wanted = copy.deepcopy(values)
    table = wanted
    for name in edit.path[:-1]:
        if edit.value is None and name not in table:
            return wanted
        inner = table.setdefault(name, {})
        if not isinstance(inner, dict):
            inner = table[name] = {}
        table = inner
    if edit.value is None:
        table.pop(edit.path[-1], None)
    else:
        table[edit.path[-1]] = _plain(edit.value)
    return wanted


def _without_emptied(values: dict[str, Any], path: Path) -> dict[str, Any]:
    """Tables on the way that hold nothing: one that dotted keys alone made is gone with the last of them."""
    wanted = copy.deepcopy(values)
    tables = [wanted]
    for name in path[:-1]:
        inner = tables[-1].get(name)
        if not isinstance(inner, dict):
            break
        tables.append(inner)
    for depth in range(len(tables) - 1, 0, -1):
        if not tables[depth]:
            del tables[depth - 1][path[depth - 1]]
    return wanted


def _plain(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value


class _Editing:
    """One text's pairs and tables, by their full paths."""

    def __init__(self, text: str) -> None:
        self._source = text.encode()
        self._pairs: dict[Path, Node] = {}
        self._tables: dict[Path, Node] = {}
        root = parse(self._source)
        for node in root.children:
            if node.type == "pair":
                self._pair(node, ())
            elif node.type == "table":
                path = names_of(next(c for c in node.children if c.type.endswith("_key")))
                self._tables[path] = node
                for child in node.children:
                    if child.type == "pair":
                        self._pair(child, path)

    def _pair(self, node: Node, prefix: Path) -> None:
        path = (*prefix, *names_of(node.children[0]))
        self._pairs[path] = node
        value = _value_of(node)
        if value.type == "inline_table":
            for child in value.children:
                if child.type == "pair":
                    self._pair(child, path)

    def make(self, edit: Edit) -> str:
        pair = self._pairs.get(edit.path)
        if edit.value is None:
            return self._take_out(edit.path, pair)
        if pair is not None:
            value = _value_of(pair)
            return self._replace(value.start_byte, value.end_byte, written(edit.value))
        return self._insert(edit)

    def _replace(self, start: int, end: int, text: str) -> str:
        return (self._source[:start] + text.encode() + self._source[end:]).decode()

    def _take_out(self, path: Path, pair: Node | None) -> str:
        if pair is None:
            return self._source.decode()
        if pair.parent is not None and pair.parent.type == "inline_table":
            return self._take_from_inline(pair)
        start = self._source.rfind(b"\n", 0, pair.start_byte) + 1
        end = self._source.find(b"\n", pair.end_byte)
        return self._replace(start, len(self._source) if end < 0 else end + 1, "")

    def _take_from_inline(self, pair: Node) -> str:
        following = pair.next_sibling
        if following is not None and following.type == ",":
            end = following.end_byte
            while self._source[end : end + 1] == b" ":
                end += 1
            return self._replace(pair.start_byte, end, "")
        # The last pair of a list of pairs takes the comma before it along.
        before = pair.prev_sibling
        start = before.start_byte if before is not None and before.type == "," else pair.start_byte
        return self._replace(start, pair.end_byte, "")

    def _insert(self, edit: Edit) -> str:
        # The longest table that is there already: a key is put beside its neighbours, not into a new table.
        for depth in range(len(edit.path) - 1, 0, -1):
            outer, rest = edit.path[:depth], edit.path[depth:]
            line = f"{'.'.join(_bare(part) for part in rest)} = {written(edit.value)}"
            if outer in self._pairs and _value_of(self._pairs[outer]).type == "inline_table":
                return self._into_inline(_value_of(self._pairs[outer]), line)
            if outer in self._tables:
                at = self._end_of(self._tables[outer])
                return self._replace(at, at, self._break(at) + line + "\n")
        return self._new_table(edit) if len(edit.path) > 1 else self._at_the_top(edit)

    def _at_the_top(self, edit: Edit) -> str:
        """A key of no table stands before the first of them, after its neighbours."""
        tops = [self._pairs[path] for path in self._pairs if len(path) == 1]
        at = self._line_end(tops[-1].end_byte) if tops else 0
        return self._replace(at, at, f"{self._break(at)}{_bare(edit.path[0])} = {written(edit.value)}\n")

    def _into_inline(self, table: Node, line: str) -> str:
        pairs = [c for c in table.children if c.type == "pair"]
        if pairs:
            return self._replace(pairs[-1].end_byte, pairs[-1].end_byte, f", {line}")
        return self._replace(table.start_byte, table.end_byte, "{ " + line + " }")

    def _end_of(self, table: Node) -> int:
        """After the line of the table's last pair, or of its header."""
        pairs = [c for c in table.children if c.type == "pair"]
        last = pairs[-1] if pairs else next(c for c in table.children if c.type == "]")
        return self._line_end(last.end_byte)

    def _line_end(self, at: int) -> int:
        end = self._source.find(b"\n", at)
        return len(self._source) if end < 0 else end + 1

    def _break(self, at: int) -> str:
        return "\n" if at and self._source[at - 1 : at] != b"\n" else ""

    def _new_table(self, edit: Edit) -> str:
        depth = min(2 if edit.path[0] in TABLES_OF_TABLES else 1, len(edit.path) - 1)
        table = ".".join(_bare(part) for part in edit.path[:depth])
        key = ".".join(_bare(part) for part in edit.path[depth:])
        at = len(self._source)
        return self._replace(at, at, f"{self._break(at)}\n[{table}]\n{key} = {written(edit.value)}\n")


def _value_of(pair: Node) -> Node:
    return [c for c in pair.children if c.type not in ("=", "comment")][-1]
