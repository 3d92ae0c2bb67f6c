"""What is wrong with a profile document: all of it at once."""

from __future__ import annotations

import difflib
from collections.abc import Collection
from dataclasses import dataclass

from rampa.core.errors import Invalid

SHOWN = 50
HINTED = 200
"""Problems that get a search for the nearest known word: it costs a millisecond each."""


@dataclass(frozen=True, order=True)
class DocumentProblem:
    """`line` and `column` from 1; `key` dotted, empty for the text itself. `code` is stable."""

    line: int
    column: int
    key: str
    message: str
    hint: str = ""
    code: str = "document.problem"

    def sentence(self) -> str:
        key = f"{self.key}: " if self.key else ""
        hint = f" {self.hint}" if self.hint else ""
        return f"line {self.line}, column {self.column}: {key}{self.message}.{hint}"


class DocumentInvalid(Invalid):
    """A profile document with problems."""

    def __init__(self, problems: list[DocumentProblem]) -> None:
        self.problems = sorted(problems)
        count = len(problems)
        lines = [p.sentence() for p in self.problems[:SHOWN]]
        if count > SHOWN:
            lines.append(f"and {count - SHOWN} more")
        things = "one problem" if count == 1 else f"{count} problems"
        super().__init__("document.invalid", f"the profile document has {things}:\n  " + "\n  ".join(lines))


def nearest(word: str, known: Collection[str], otherwise: str = "") -> str:
    """A hint with the nearest known word, or with all of them. Dotted keys are found by their last name too."""
    short = {k.rpartition(".")[2]: k for k in known}
    close = difflib.get_close_matches(word[:60], known, 1)
    if not close:
        close = [short[s] for s in difflib.get_close_matches(word[:60], short, 1)]
    if close:
        return f"Did you mean {close[0]!r}?"
    return otherwise or f"Known here: {', '.join(known)}."
