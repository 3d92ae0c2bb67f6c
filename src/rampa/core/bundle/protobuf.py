"""Protocol buffers' wire format (protobuf.dev, "Encoding"): fields in their order, kept byte for byte unless they are changed."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from rampa.core.errors import Damaged

VARINT, FIXED64, LENGTH, FIXED32 = 0, 1, 2, 5
MAX_DEPTH = 100


@dataclass
class Field:
    """`raw` is the field as it was stored, tag and all; `body` the content of a length-delimited one, `value` a number."""

    number: int
    wire: int
    raw: bytes
    value: int = 0
    body: bytes = b""


class Message:
    """A message's fields. Raises `Damaged` when the bytes are none."""

    def __init__(self, data: bytes = b"", depth: int = 0) -> None:
        if depth > MAX_DEPTH:
            raise _bad("it is nested absurdly deep")
        self.depth = depth
        self.fields: list[Field] = []
        at = 0
        while at < len(data):
            start = at
            tag, at = _varint(data, at)
            number, wire = tag >> 3, tag & 7
            value, body = 0, b""
            if wire == VARINT:
                value, at = _varint(data, at)
            elif wire == LENGTH:
                size, at = _varint(data, at)
                body, at = data[at : at + size], at + size
            elif wire in (FIXED32, FIXED64):
                size = 4 if wire == FIXED32 else 8
                if at + size > len(data):
                    raise _bad("a number is cut off")
                value = struct.unpack_from("<I" if wire == FIXED32 else "<Q", data, at)[0]
                at += size
            else:
                raise _bad(f"a field has the kind {wire}, which is not one")
            if at > len(data) or not number:
                raise _bad("a field is cut off")
            self.fields.append(Field(number, wire, data[start:at], value, body))

    def all(self, number: int) -> list[Field]:
        return [f for f in self.fields if f.number == number]

    def last(self, number: int) -> Field | None:
        """The one that counts, where a field should be there once."""
        found = self.all(number)
        return found[-1] if found else None

    def message(self, field: Field) -> Message:
        return Message(field.body, self.depth + 1)

    def text(self, number: int) -> str:
        field = self.last(number)
        return field.body.decode("utf-8", "replace") if field else ""

    def number(self, number: int) -> int:
        field = self.last(number)
        return field.value if field else 0

    def put(self, number: int, value: bytes | int, at: Field | None = None) -> None:
        """Replaces the field `at`, or every one of that number, or adds one."""
        wire = VARINT if isinstance(value, int) else LENGTH
        body = value if isinstance(value, bytes) else b""
        raw = _tag(number, wire) + (encode_varint(value) if isinstance(value, int) else encode_varint(len(body)) + body)
        new = Field(number, wire, raw, value if isinstance(value, int) else 0, body)
        if at is not None:
            self.fields[next(i for i, f in enumerate(self.fields) if f is at)] = new
            return
        places = [i for i, f in enumerate(self.fields) if f.number == number]
        self.fields = [f for f in self.fields if f.number != number]
        self.fields.insert(places[0] if places else len(self.fields), new)

    def without(self, *numbers: int) -> None:
        self.fields = [f for f in self.fields if f.number not in numbers]

    def encode(self) -> bytes:
        return b"".join(f.raw for f in self.fields)


def encode_varint(value: int) -> bytes:
    value &= (1 << 64) - 1
    out = bytearray()
    while value > 0x7F:
        out.append(value & 0x7F | 0x80)
        value >>= 7
    out.append(value)
    return bytes(out)


def _tag(number: int, wire: int) -> bytes:
    return encode_varint(number << 3 | wire)


def _varint(data: bytes, at: int) -> tuple[int, int]:
    value = 0
    for shift in range(0, 70, 7):
        if at >= len(data):
            raise _bad("a number is cut off")
        byte = data[at]
        at += 1
        value |= (byte & 0x7F) << shift
        if not byte & 0x80:
            return value & (1 << 64) - 1, at
    raise _bad("a number has more than ten bytes")


def _bad(message: str) -> Damaged:
    return Damaged("manifest.protobuf", f"the protocol-buffer manifest is damaged: {message}")
