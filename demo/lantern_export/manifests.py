"""What a phone package says of itself, as an engine's export writes it: Android's binary XML, protocol buffers, a property list.

Written here from the formats' descriptions (the platform's ResourceTypes.h and Resources.proto), apart from Rampa's readers.
"""

from __future__ import annotations

import plistlib
import struct
from dataclasses import dataclass, field

ANDROID = "http://schemas.android.com/apk/res/android"
IDS = {
    "name": 0x01010003,
    "label": 0x01010001,
    "debuggable": 0x0101000F,
    "minSdkVersion": 0x0101020C,
    "versionCode": 0x0101021B,
    "versionName": 0x0101021C,
    "targetSdkVersion": 0x01010270,
}
Value = str | int | bool


@dataclass
class Node:
    """`plain` attributes have no namespace; `own` are the platform's."""

    name: str
    own: dict[str, Value] = field(default_factory=dict)
    plain: dict[str, Value] = field(default_factory=dict)
    children: list[Node] = field(default_factory=list)

    def strings(self) -> list[str]:
        texts = [self.name, *self.plain, *(v for v in (*self.own.values(), *self.plain.values()) if isinstance(v, str))]
        return texts + [s for child in self.children for s in child.strings()]


def manifest(identifier: str, minimum: int, target: int, debuggable: bool, permissions: tuple[str, ...]) -> Node:
    """Of a title whose version is not known yet: Rampa writes it in."""
    application: dict[str, Value] = {"label": "Peatlight"} | ({"debuggable": True} if debuggable else {})
    return Node(
        "manifest",
        {"versionCode": 1, "versionName": "0.0.0"},
        {"package": identifier},
        [
            Node("uses-sdk", {"minSdkVersion": minimum, "targetSdkVersion": target}),
            *(Node("uses-permission", {"name": f"android.permission.{p}"}) for p in permissions),
            Node("application", application, {}, [Node("activity", {"name": f"{identifier}.AlderHalt"})]),
        ],
    )


def binary_xml(root: Node, utf8: bool = True) -> bytes:
    names = sorted(IDS, key=lambda n: IDS[n])
    pool = list(dict.fromkeys([*names, "android", ANDROID, *root.strings()]))
    at = {text: i for i, text in enumerate(pool)}
    body = _pool(pool, utf8) + _chunk(0x0180, b"".join(struct.pack("<I", IDS[n]) for n in names))
    space = struct.pack("<IIII", 1, 0xFFFFFFFF, at["android"], at[ANDROID])
    body += _chunk(0x0100, space, 16) + _element(root, at) + _chunk(0x0101, space, 16)
    return _chunk(0x0003, body, 8)


def _chunk(kind: int, body: bytes, head: int = 8) -> bytes:
    return struct.pack("<HHI", kind, head, 8 + len(body)) + body


def _pool(texts: list[str], utf8: bool) -> bytes:
    offsets, data = [], b""
    for text in texts:
        offsets.append(len(data))
        if utf8:
            raw = text.encode()
            data += bytes([len(text), len(raw)]) + raw + b"\0"
        else:
            data += struct.pack("<H", len(text)) + text.encode("utf-16-le") + b"\0\0"
    data += bytes(-len(data) % 4)
    start = 28 + 4 * len(texts)
    head = struct.pack("<IIIII", len(texts), 0, 0x100 if utf8 else 0, start, 0)
    return _chunk(0x0001, head + struct.pack(f"<{len(offsets)}I", *offsets) + data, 28)


def _element(node: Node, at: dict[str, int]) -> bytes:
    rows = [
        _attribute(at[ANDROID], at[name], value, at)
        for name, value in sorted(node.own.items(), key=lambda p: IDS[p[0]])
    ]
    rows += [_attribute(0xFFFFFFFF, at[name], value, at) for name, value in node.plain.items()]
    head = struct.pack("<II", 1, 0xFFFFFFFF)
    start = head + struct.pack("<IIHHHHHH", 0xFFFFFFFF, at[node.name], 20, 20, len(rows), 0, 0, 0) + b"".join(rows)
    end = head + struct.pack("<II", 0xFFFFFFFF, at[node.name])
    return _chunk(0x0102, start, 16) + b"".join(_element(c, at) for c in node.children) + _chunk(0x0103, end, 16)


def _attribute(space: int, name: int, value: Value, at: dict[str, int]) -> bytes:
    if isinstance(value, bool):
        return struct.pack("<IIIHBBI", space, name, 0xFFFFFFFF, 8, 0, 0x12, 0xFFFFFFFF if value else 0)
    if isinstance(value, int):
        return struct.pack("<IIIHBBI", space, name, 0xFFFFFFFF, 8, 0, 0x10, value)
    return struct.pack("<IIIHBBI", space, name, at[value], 8, 0, 0x03, at[value])


def proto_xml(root: Node) -> bytes:
    """Message XmlNode with the element inside."""
    space = _text(1, "android") + _text(2, ANDROID)
    element = (_field(1, space) if root.name == "manifest" else b"") + _text(3, root.name)
    element += b"".join(
        _field(4, _proto_attribute(ANDROID, name, value, IDS[name])) for name, value in root.own.items()
    )
    element += b"".join(_field(4, _proto_attribute("", name, value, 0)) for name, value in root.plain.items())
    element += b"".join(_field(5, proto_xml(child)) for child in root.children)
    return _field(1, element)


def _proto_attribute(space: str, name: str, value: Value, number: int) -> bytes:
    said = ("true" if value else "false") if isinstance(value, bool) else str(value)
    out = (_text(1, space) if space else b"") + _text(2, name) + _text(3, said)
    out += _number(5, number) if number else b""
    if isinstance(value, bool):
        out += _field(6, _field(7, _number(8, int(value))))
    elif isinstance(value, int):
        out += _field(6, _field(7, _number(6, value)))
    return out


def _varint(value: int) -> bytes:
    out = b""
    while value > 127:
        out, value = out + bytes([value & 127 | 128]), value >> 7
    return out + bytes([value])


def _number(number: int, value: int) -> bytes:
    return _varint(number << 3) + _varint(value)


def _field(number: int, body: bytes) -> bytes:
    return _varint(number << 3 | 2) + _varint(len(body)) + body


def _text(number: int, text: str) -> bytes:
    return _field(number, text.encode())


def info_plist(identifier: str, minimum: str) -> bytes:
    return plistlib.dumps(
        {
            "CFBundleIdentifier": identifier,
            "CFBundleName": "Peatlight",
            "CFBundleExecutable": "Peatlight",
            "CFBundleShortVersionString": "0.0.0",
            "CFBundleVersion": "1",
            "MinimumOSVersion": minimum,
            "UIRequiredDeviceCapabilities": ["arm64"],
            "NSUserNotificationsUsageDescription": "To say when the morning thaw begins.",
        }
    )
