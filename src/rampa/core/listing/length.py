"""How long a text is: each storefront counts in its own way, and says which."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum


class Counting(StrEnum):
    """What is counted. The console counts alike while somebody types."""

    GRAPHEMES = "graphemes"
    """What a reader takes for one character: extended grapheme clusters (Unicode, UAX #29)."""
    CODE_POINTS = "code-points"
    """Characters of Unicode: a letter and a combining accent are two."""
    UTF16_UNITS = "utf16-units"
    """UTF-16 code units (RFC 2781): an emoji is two or more."""
    BYTES = "bytes"
    """Bytes of UTF-8 (RFC 3629)."""


WORDS = {
    Counting.GRAPHEMES: "characters as a reader counts them",
    Counting.CODE_POINTS: "Unicode characters, accents that combine counted apart",
    Counting.UTF16_UNITS: "UTF-16 units",
    Counting.BYTES: "bytes of UTF-8",
}


def _clusters(text: str) -> list[str]:
    # Loaded when a text is counted: no command that counts nothing waits for it.
    import regex

    return regex.findall(r"\X", text)


SIZES: dict[Counting, Callable[[str], int]] = {
    Counting.GRAPHEMES: lambda text: len(text) if text.isascii() and "\r" not in text else len(_clusters(text)),
    Counting.CODE_POINTS: len,
    Counting.UTF16_UNITS: lambda text: len(text.encode("utf-16-le", "surrogatepass")) // 2,
    Counting.BYTES: lambda text: len(text.encode("utf-8", "surrogatepass")),
}


@dataclass(frozen=True, slots=True)
class Length:
    """At most `most`, counted so."""

    most: int
    counting: Counting

    def of(self, text: str) -> int:
        return SIZES[self.counting](text)

    def words(self) -> str:
        return f"at most {self.most:,} {WORDS[self.counting]}"

    def cut(self, text: str) -> str:
        """The longest beginning that fits, ended at a word where one ends in its last quarter."""
        if self.of(text) <= self.most:
            return text
        room, kept = self.most, []
        for cluster in _clusters(text):
            room -= self.of(cluster)
            if room < 0:
                break
            kept.append(cluster)
        made = "".join(kept)
        space = max(made.rfind(" "), made.rfind("\n"))
        return (made[:space] if space > len(made) * 3 // 4 else made).rstrip(" \n,;:–-")
