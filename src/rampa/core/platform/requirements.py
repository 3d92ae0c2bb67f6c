"""What a rule can ask of a value. Each knows whether a value holds, says what is allowed, and fixes a value where a machine can.

Values are those of resolved settings: texts, whole numbers, flags, tuples of texts, and tables of text to text.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol


class Requirement(Protocol):
    def holds(self, value: Any) -> bool: ...

    def wrong(self, value: Any) -> Any:
        """What of a value does not hold: the items of a list that are not allowed, else the value itself."""
        return value

    def words(self) -> str:
        """What is allowed, as a clause after "allowed:"."""

    def fix(self, value: Any) -> Any:
        """The nearest value that holds; None where only a person can say."""


def listed(words: tuple[Any, ...]) -> str:
    return ", ".join("yes" if w is True else "no" if w is False else str(w) or "none" for w in words)


@dataclass(frozen=True, slots=True)
class OneOf(Requirement):
    """The value is among `values`; the first is the one that a fix takes."""

    values: tuple[Any, ...]

    def holds(self, value: Any) -> bool:
        return value in self.values

    def words(self) -> str:
        return listed(self.values)

    def fix(self, value: Any) -> Any:
        return self.values[0]


@dataclass(frozen=True, slots=True)
class Among(Requirement):
    """Every item of a list, or every name of a table, is among `values`."""

    values: tuple[str, ...]

    def holds(self, value: Any) -> bool:
        return all(item in self.values for item in value)

    def wrong(self, value: Any) -> Any:
        return tuple(item for item in value if item not in self.values)

    def words(self) -> str:
        return listed(self.values)

    def fix(self, value: Any) -> Any:
        if isinstance(value, dict):
            return {name: text for name, text in value.items() if name in self.values}
        return tuple(item for item in value if item in self.values) or (self.values[0],)


@dataclass(frozen=True, slots=True)
class Without(Requirement):
    """A list holds none of `values`; `instead` is what a fix leaves when nothing else would be left."""

    values: tuple[str, ...]
    instead: tuple[str, ...]

    def holds(self, value: Any) -> bool:
        return not any(item in self.values for item in value)

    def wrong(self, value: Any) -> Any:
        return tuple(item for item in value if item in self.values)

    def words(self) -> str:
        return f"anything but {listed(self.values)}"

    def fix(self, value: Any) -> Any:
        return tuple(item for item in value if item not in self.values) or self.instead


@dataclass(frozen=True, slots=True)
class Holding(Requirement):
    """A list holds `item`."""

    item: str

    def holds(self, value: Any) -> bool:
        return self.item in value

    def words(self) -> str:
        return f"a list with {self.item}"

    def fix(self, value: Any) -> Any:
        return (*value, self.item)


@dataclass(frozen=True, slots=True)
class AtLeast(Requirement):
    """A level such as "29" or "10.0.17763", compared number by number."""

    level: str

    def holds(self, value: Any) -> bool:
        return level_key(value) >= level_key(self.level)

    def words(self) -> str:
        return f"{self.level} or above"

    def fix(self, value: Any) -> Any:
        return self.level


@dataclass(frozen=True, slots=True)
class AtMost(Requirement):
    """A whole number of at most `limit`."""

    limit: int

    def holds(self, value: Any) -> bool:
        return bool(value <= self.limit)

    def words(self) -> str:
        return f"at most {self.limit}"

    def fix(self, value: Any) -> Any:
        return self.limit


@dataclass(frozen=True, slots=True)
class Fits(Requirement):
    """A text matches `pattern` as a whole; `sentence` says so to a person, `fixing` makes one that does."""

    pattern: re.Pattern[str]
    sentence: str
    fixing: Callable[[str], str] | None = None

    def holds(self, value: Any) -> bool:
        return self.pattern.fullmatch(value) is not None

    def words(self) -> str:
        return self.sentence

    def fix(self, value: Any) -> Any:
        made = self.fixing(value) if self.fixing else None
        return made if made and self.holds(made) else None


@dataclass(frozen=True, slots=True)
class Set(Requirement):
    """Something is given. `instead` is what a fix takes; without it nothing can be guessed."""

    sentence: str
    instead: Any = None

    def holds(self, value: Any) -> bool:
        return value not in (None, "", (), {})

    def words(self) -> str:
        return self.sentence

    def fix(self, value: Any) -> Any:
        return self.instead


def level_key(level: str) -> tuple[int, ...]:
    """`10.0.17763` as (10, 0, 17763). Trailing zeros do not count: 13 and 13.0 are one level."""
    numbers = [int(part) for part in level.split(".") if part.isdigit()]
    while numbers and numbers[-1] == 0:
        numbers.pop()
    return tuple(numbers)
