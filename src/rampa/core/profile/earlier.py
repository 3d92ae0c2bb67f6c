"""Keys of version 1 of the document, which stood flat in a profile. Stored revisions have them: they are read for ever."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

EARLIER: dict[str, tuple[str, bool]] = {
    "architectures": ("code.architectures", False),
    "identity": ("signing.identity", False),
    "launch": ("launch.entry", False),
    "bundle": ("output.bundle", False),
    "include": ("content.include", True),
    "strip": ("content.strip", True),
}
"""earlier key -> (today's key, whether it adds to a list)"""


@dataclass(frozen=True, slots=True)
class Earlier:
    """One use of an earlier key: the table's path, the word, today's key, the value, the line."""

    path: tuple[str, ...]
    word: str
    key: str
    value: Any
    line: int
