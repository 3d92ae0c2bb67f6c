"""Text of others on a terminal: names, messages and lines of logs can hold bytes that move the cursor, set the title or hide
what is above them. Nothing that was not meant by us reaches a terminal raw."""

from __future__ import annotations

from collections.abc import Iterable

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment

SHOWN_FOR = "\ufffd"
# C0 but the newline, DEL, C1 (some terminals take U+009B for ESC [), and what turns the direction of all that follows.
HARMFUL = {
    *(chr(n) for n in (*range(10), *range(11, 32), *range(127, 160))),
    *(chr(n) for n in (*range(0x202A, 0x202F), *range(0x2066, 0x206A), 0x200E, 0x200F, 0x061C)),
}
_SHOWN = str.maketrans(dict.fromkeys(HARMFUL, SHOWN_FOR) | {"\t": "    "})
_IN_JSON = str.maketrans({c: f"\\u{ord(c):04x}" for c in HARMFUL if ord(c) >= 127})


def shown(text: str) -> str:
    """A text of others as it may stand on a terminal."""
    return text.translate(_SHOWN)


def shown_in_json(text: str) -> str:
    """JSON as it is, with such characters in its texts as escapes; those below 32 are escapes there anyway."""
    return text.translate(_IN_JSON)


class TextConsole(Console):
    """Prints text as it is: brackets and colons in a file's name or a message are no markup, and bytes of others no commands."""

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        for segment in super().render(renderable, options):
            # What moves the cursor is ours, where it is marked so.
            yield segment if segment.control else Segment(shown(segment.text), segment.style)
