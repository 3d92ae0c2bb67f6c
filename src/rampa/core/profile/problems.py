"""What is wrong with a profile document: all of it at once."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.errors import Invalid

SHOWN = 50


@dataclass(frozen=True, order=True)
class Problem:
    """`line` and `column` from 1; `key` dotted, empty for the text itself."""

    line: int
    column: int
    key: str
    message: str
    hint: str = ""

    def sentence(self) -> str:
        key = f"{self.key}: " if self.key else ""
        hint = f" {self.hint}" if self.hint else ""
        return f"line {self.line}, column {self.column}: {key}{self.message}.{hint}"


class DocumentInvalid(Invalid):
    """A profile document with problems."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = sorted(problems)
        count = len(problems)
        lines = [p.sentence() for p in self.problems[:SHOWN]]
        if count > SHOWN:
            lines.append(f"and {count - SHOWN} more")
        things = "one problem" if count == 1 else f"{count} problems"
        super().__init__("document.invalid", f"the profile document has {things}:\n  " + "\n  ".join(lines))
