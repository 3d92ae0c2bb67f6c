"""Where each key and value of a TOML document stands: line and column, both from 1, columns in characters.

tomllib reads the values; the grammar of tree-sitter tells where they stand, and where the text is not TOML at all.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache

import tree_sitter_toml
from tree_sitter import Language, Node, Parser

Key = tuple[str | int, ...]


@dataclass(frozen=True, order=True, slots=True)
class Position:
    line: int
    column: int


@dataclass(frozen=True)
class Positions:
    """`keys` and `values`: path of a key (list items by number) -> position. `broken`: where the text is not TOML."""

    keys: dict[Key, Position]
    values: dict[Key, Position]
    broken: tuple[Position, ...]
    twice: tuple[tuple[Key, Position], ...] = ()
    """Keys that were there already, each where it comes up again."""

    def of(self, key: Key) -> Position:
        """The key's position, or that of the nearest table around it."""
        while key:
            if key in self.keys:
                return self.keys[key]
            if key in self.values:
                return self.values[key]
            key = key[:-1]
        return Position(1, 1)


@lru_cache(maxsize=1)
def _parser() -> Parser:
    return Parser(Language(tree_sitter_toml.language()))


def parse(source: bytes) -> Node:
    """The grammar tree of a text; never fails."""
    return _parser().parse(source).root_node


def positions(text: str) -> Positions:
    """Walks the document's grammar tree; never fails, whatever the text."""
    source = text.encode()
    walk = _Walk(source)
    walk.document(parse(source))
    return Positions(walk.keys, walk.values, tuple(sorted(set(walk.broken))), tuple(walk.twice))


def names_of(node: Node) -> tuple[str, ...]:
    """The names of a bare, quoted or dotted key."""
    if node.type == "dotted_key":
        return tuple(name for c in node.children if c.type.endswith("_key") for name in names_of(c))
    text = (node.text or b"").decode("utf-8", "replace").strip()
    # Basic strings escape as JSON does, but for two kinds that no key of ours can hold.
    if node.type == "quoted_key" and text.startswith('"'):
        try:
            return (str(json.loads(text)),)
        except ValueError:
            pass
    return (text.strip("\"'"),)


class _Walk:
    def __init__(self, source: bytes) -> None:
        self._lines = source.split(b"\n")
        self._plain = source.isascii()
        self._counts: dict[Key, int] = {}
        self.keys: dict[Key, Position] = {}
        self.values: dict[Key, Position] = {}
        self.broken: list[Position] = []
        self.twice: list[tuple[Key, Position]] = []

    def document(self, root: Node) -> None:
        if root.has_error:
            self._find_broken(root)
        for node in root.children:
            if node.type == "pair":
                self._pair(node, ())
            elif node.type in ("table", "table_array_element"):
                self._table(node)

    def _table(self, node: Node) -> None:
        children = node.children
        name = next((c for c in children if c.type.endswith("_key")), None)
        if name is None:
            return
        prefix: Key = names_of(name)
        if node.type == "table_array_element":
            number = self._counts.get(prefix, 0)
            self._counts[prefix] = number + 1
            prefix = (*prefix, number)
        here = self._at(name)
        self.keys.setdefault(prefix, here)
        # Its parents come to be with it: [content] need not stand above [content.packing].
        for i in range(1, len(prefix)):
            self.keys.setdefault(prefix[:i], here)
        for child in children:
            if child.type == "pair":
                self._pair(child, prefix)

    def _pair(self, node: Node, prefix: Key) -> None:
        parts = [c for c in node.children if c.type not in ("=", "comment")]
        if len(parts) < 2:
            return
        here = self._at(parts[0])
        path = (*prefix, *names_of(parts[0]))
        if path in self.values:
            self.twice.append((path, here))
        for i in range(len(prefix) + 1, len(path) + 1):
            self.keys.setdefault(path[:i], here)
        self._value(parts[1], path)

    def _value(self, node: Node, path: Key) -> None:
        self.values.setdefault(path, self._at(node))
        kind = node.type
        if kind == "inline_table":
            for child in node.children:
                if child.type == "pair":
                    self._pair(child, path)
        elif kind == "array":
            items = [c for c in node.children if c.type not in ("[", "]", ",", "comment")]
            for number, child in enumerate(items):
                self._value(child, (*path, number))

    def _at(self, node: Node) -> Position:
        row, column = node.start_point
        # The parser counts bytes. A line is decoded only where the document has other than ASCII at all.
        if not self._plain and row < len(self._lines):
            column = len(self._lines[row][:column].decode("utf-8", "replace"))
        return Position(row + 1, column + 1)

    def _find_broken(self, root: Node) -> None:
        waiting = [root]
        while waiting:
            node = waiting.pop()
            if node.is_error or node.is_missing:
                self.broken.append(self._at(node))
            elif node.has_error:
                waiting.extend(node.children)
