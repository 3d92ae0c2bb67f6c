"""Android's binary XML (platform source: ResourceTypes.h): reading it, and changing single attributes without touching the rest.

    file := header(type 3) string-pool resource-map? node*
    node := namespace start or end | element start (with attributes) or end | text

A changed value is written over the old one; a text goes to the end of the string pool; an attribute that was not there is put in
by its resource id, in the order of ids that the platform relies on. Everything else is copied byte for byte.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from rampa.core.bundle.elements import ANDROID, IDS, NUMBERS, Element
from rampa.core.bundle.string_pool import POOL, StringPool, decode_pool
from rampa.core.errors import Damaged

XML, MAP = 0x0003, 0x0180
START, END = 0x0102, 0x0103
CHUNK = struct.Struct("<HHI")
START_EXT = struct.Struct("<IIHHHHHH")
ATTRIBUTE = struct.Struct("<IIIHBBI")
REFERENCE, STRING, DECIMAL, HEXADECIMAL, BOOLEAN = 0x01, 0x03, 0x10, 0x11, 0x12
NONE = 0xFFFFFFFF
MAX_DEPTH, MAX_NODES = 256, 1_000_000


@dataclass
class _Attribute:
    """As stored; `kind` and `data` are the typed value."""

    namespace: int
    name: int
    raw: int
    size: int
    zero: int
    kind: int
    data: int

    def pack(self) -> bytes:
        return ATTRIBUTE.pack(self.namespace, self.name, self.raw, self.size, self.zero, self.kind, self.data)


class BinaryXml:
    """A binary XML file. Raises `Damaged` when it is not one, or is damaged."""

    def __init__(self, data: bytes) -> None:
        try:
            self._read(data)
            self.root = self._tree()
        except (struct.error, IndexError) as error:
            raise _bad("it ends too soon") from error

    def _read(self, data: bytes) -> None:
        kind, head, size = CHUNK.unpack_from(data)
        if kind != XML or head < 8:
            raise Damaged("manifest.binary", "this is not binary XML")
        if size > len(data) or size < head:
            raise _bad("it is cut off")
        # Between the header and the end: what some tools append stays as it is.
        self._head, self._tail = data[8:head], data[size:]
        self._pool: StringPool | None = None
        self._map: list[int] = []
        self._nodes: list[tuple[int, bytes]] = []
        at = head
        while at < size:
            kind, own_head, length = CHUNK.unpack_from(data, at)
            if length < 8 or length % 4 or own_head > length or at + length > size:
                raise _bad(f"a part at byte {at:,} has an impossible length")
            body = data[at : at + length]
            if kind == POOL and self._pool is None:
                self._pool = decode_pool(body)
            elif kind == MAP and not self._map:
                self._map = list(struct.unpack_from(f"<{(length - own_head) // 4}I", body, own_head))
            self._nodes.append((kind, body))
            at += length
            if len(self._nodes) > MAX_NODES:
                raise _bad("it has absurdly many parts")
        if self._pool is None:
            raise _bad("it has no strings")

    @property
    def pool(self) -> StringPool:
        assert self._pool is not None
        return self._pool

    def _tree(self) -> Element:
        stack: list[Element] = []
        root: Element | None = None
        for kind, body in self._nodes:
            if kind == START:
                name, attributes = self._start(body)
                element = Element(name, {self._key(a): self._value(a) for a in attributes})
                if stack:
                    stack[-1].children.append(element)
                elif root is None:
                    root = element
                else:
                    raise _bad("it has two root elements")
                stack.append(element)
                if len(stack) > MAX_DEPTH:
                    raise _bad("its elements are nested absurdly deep")
            elif kind == END:
                if not stack:
                    raise _bad("an element ends that did not begin")
                stack.pop()
        if root is None or stack:
            raise _bad("its elements do not close")
        return root

    def _start(self, body: bytes) -> tuple[str, list[_Attribute]]:
        head = CHUNK.unpack_from(body)[1]
        _, name, start, size, count, *_ = START_EXT.unpack_from(body, head)
        if size < ATTRIBUTE.size or head + start + size * count > len(body):
            raise _bad("an element's attributes reach beyond it")
        found = [_Attribute(*ATTRIBUTE.unpack_from(body, head + start + size * i)) for i in range(count)]
        return self.pool.text(name), found

    def _id(self, a: _Attribute) -> int:
        return self._map[a.name] if a.name < len(self._map) else 0

    def _key(self, a: _Attribute) -> str:
        # Attributes are known by their resource id; the name is only a text, and some tools leave it empty.
        known = IDS.get(self._id(a))
        if known:
            return known
        name = self.pool.text(a.name)
        return name if self.pool.text(a.namespace) == ANDROID else f":{name}"

    def _value(self, a: _Attribute) -> str | int | bool:
        if a.kind == STRING:
            return self.pool.text(a.data)
        if a.kind == BOOLEAN:
            return a.data != 0
        if a.kind in (DECIMAL, HEXADECIMAL):
            return a.data - (1 << 32) if a.data >= 1 << 31 else a.data
        if a.kind == REFERENCE:
            return f"@{a.data:08x}"
        return self.pool.text(a.raw) if a.raw != NONE else a.data

    def set(self, element: str, attribute: str, value: str | int | bool) -> None:
        """Sets an attribute of the first element of that name. Raises `Damaged` when there is no such element."""
        for position, (kind, body) in enumerate(self._nodes):
            if kind == START and self._start(body)[0] == element:
                self._nodes[position] = (kind, self._with(body, NUMBERS[attribute], value))
                self.root = self._tree()
                return
        raise _bad(f"it has no element {element}")

    def _with(self, body: bytes, number: int, value: str | int | bool) -> bytes:
        _, attributes = self._start(body)
        for a in attributes:
            if self._id(a) == number:
                self._put(a, value)
                return self._rebuilt(body, attributes)
        added = _Attribute(self.pool.add(ANDROID), self._name_of(number), NONE, 8, 0, 0, 0)
        self._put(added, value)
        # The platform searches attributes by id, and gives up at the first greater one: the order must hold.
        at = sum(1 for a in attributes if 0 < self._id(a) < number)
        return self._rebuilt(body, [*attributes[:at], added, *attributes[at:]], at)

    def _put(self, a: _Attribute, value: str | int | bool) -> None:
        if isinstance(value, bool):
            a.raw, a.kind, a.data = NONE, BOOLEAN, 0xFFFFFFFF if value else 0
        elif isinstance(value, int):
            a.raw, a.kind, a.data = NONE, DECIMAL, value & 0xFFFFFFFF
        else:
            a.raw = a.data = self.pool.add(value)
            a.kind = STRING

    def _name_of(self, number: int) -> int:
        """The index of an attribute's name, which the resource map ties to its id."""
        if number in self._map:
            return self._map.index(number)
        # A name of its own: one that is there already may be that of an attribute without a namespace.
        index = self.pool.add_new(IDS[number])
        self._map += [0] * (index - len(self._map)) + [number]
        return index

    def _rebuilt(self, body: bytes, attributes: list[_Attribute], added_at: int | None = None) -> bytes:
        head = CHUNK.unpack_from(body)[1]
        ns, name, start, size, count, *special = START_EXT.unpack_from(body, head)
        if added_at is not None:
            # id, class and style attributes are named by their place, counted from 1.
            special = [n + 1 if n > added_at else n for n in special]
        ext = START_EXT.pack(ns, name, START_EXT.size, ATTRIBUTE.size, len(attributes), *special)
        rest = body[head + start + size * count :]
        whole = body[8:head] + ext + b"".join(a.pack() for a in attributes) + rest
        return CHUNK.pack(START, head, 8 + len(whole)) + whole

    def encode(self) -> bytes:
        parts, mapped = [], False
        for kind, body in self._nodes:
            if kind == POOL:
                body = self.pool.encode()
            elif kind == MAP:
                body, mapped = self._encoded_map(), True
            elif not mapped and self._map:
                parts.append(self._encoded_map())
                mapped = True
            parts.append(body)
        whole = self._head + b"".join(parts)
        return CHUNK.pack(XML, 8 + len(self._head), 8 + len(whole)) + whole + self._tail

    def _encoded_map(self) -> bytes:
        return CHUNK.pack(MAP, 8, 8 + 4 * len(self._map)) + struct.pack(f"<{len(self._map)}I", *self._map)


def _bad(message: str) -> Damaged:
    return Damaged("manifest.binary", f"the binary XML is damaged: {message}")
