"""A manifest's elements, from whatever format they were read: what the formats of bundles have in common."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

ANDROID = "http://schemas.android.com/apk/res/android"
IDS = {
    0x01010003: "name",
    0x0101000F: "debuggable",
    0x0101020C: "minSdkVersion",
    0x0101021B: "versionCode",
    0x0101021C: "versionName",
    0x01010270: "targetSdkVersion",
    0x01010272: "testOnly",
    0x010104EA: "extractNativeLibs",
    0x01010576: "versionCodeMajor",
}
"""Resource id -> name of the attributes that are read here (the platform's public attributes). The id decides, not the name."""
NUMBERS = {name: number for number, name in IDS.items()}


@dataclass
class Element:
    """`attributes`: those of the Android namespace by plain name, others as `:name`. A reference is the text `@hex`."""

    name: str
    attributes: dict[str, str | int | bool] = field(default_factory=dict)
    children: list[Element] = field(default_factory=list)

    def all(self, name: str) -> Iterator[Element]:
        return (child for child in self.children if child.name == name)

    def first(self, name: str) -> Element | None:
        return next(self.all(name), None)
