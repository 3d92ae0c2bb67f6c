"""Whom a build is laid out for: the connections and processors of its players, and how long they wait for it."""

from __future__ import annotations

import re
from dataclasses import dataclass

from rampa.core.errors import Invalid

CLASS = re.compile(r"(\d{1,6}(?:\.\d{1,3})?):(\d{1,6})(?::(\d{1,3}(?:\.\d{1,3})?))?")
MOST_CLASSES = 40


@dataclass(frozen=True, slots=True)
class PlayerClass:
    """`rate` in Mbit/s; `weight`: how many of them there are; `speed`: how many times as fast as the machine that measured they
    unpack."""

    rate: float
    weight: float
    speed: float = 1.0

    def waits(self, size: int, unpacking: float) -> float:
        """Seconds until the title can be started: download and unpacking overlap, and the slower one decides."""
        return max(size * 8 / (self.rate * 1e6), unpacking / self.speed)


@dataclass(frozen=True, slots=True)
class Audience:
    classes: tuple[PlayerClass, ...]

    def waits(self, size: int, unpacking: float) -> float:
        """The mean, in seconds, for a download of `size` bytes that takes `unpacking` seconds where it was measured."""
        whole = sum(c.weight for c in self.classes)
        return sum(c.weight * c.waits(size, unpacking) for c in self.classes) / whole

    def __str__(self) -> str:
        return ",".join(f"{c.rate:g}:{c.weight:g}:{c.speed:g}" for c in self.classes)


def read_audience(text: str) -> Audience:
    """`RATE:WEIGHT[:SPEED]`, with commas between them, such as `10:20,50:50,200:30`. Raises `Invalid`."""
    found = [CLASS.fullmatch(part.strip()) for part in text.split(",")]
    if not 0 < len(found) <= MOST_CLASSES or not all(found):
        raise _unclear(text, f"RATE:WEIGHT[:SPEED], with commas between them, at most {MOST_CLASSES}")
    classes = tuple(PlayerClass(float(m[1]), float(m[2]), float(m[3] or 1)) for m in found if m)
    if any(c.rate <= 0 or c.speed <= 0 for c in classes) or not sum(c.weight for c in classes):
        raise _unclear(text, "rates and speeds above 0, and a weight above 0")
    return Audience(classes)


def _unclear(text: str, should: str) -> Invalid:
    hint = "Say it as 10:20,50:50,200:30: Mbit/s, and how many players in a hundred have them."
    return Invalid("audience.unclear", f"the audience {text!r} should be {should}", where="audience", hint=hint)


USUAL = Audience((PlayerClass(10, 20), PlayerClass(50, 50), PlayerClass(200, 30)))
"""Where no device has said anything yet."""
