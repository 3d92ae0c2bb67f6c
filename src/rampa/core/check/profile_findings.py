"""What a check found in a profile: exact enough to fix it."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.check.findings import Finding
from rampa.core.profile.edits import Edit
from rampa.core.profile.values import Origin
from rampa.core.quantity import counted


@dataclass(frozen=True, slots=True)
class ProfileFinding:
    """`key` is the setting, `origin` where its value was said, `allowed` a clause, `fix` edits of the document."""

    severity: str
    code: str
    profile: str
    key: str
    origin: Origin
    value: str
    allowed: str
    message: str
    advice: str = ""
    fix: tuple[Edit, ...] = ()

    @property
    def hint(self) -> str:
        """What to do, in words."""
        parts = [f"Allowed: {self.allowed}." if self.allowed else "", self.advice, self.fix_words()]
        return " ".join(p for p in parts if p)

    def fix_words(self) -> str:
        if not self.fix:
            return ""
        if len(self.fix) > 2:
            return f"Fix: {counted(len(self.fix), 'edit')} in [{'.'.join(self.fix[0].path[:2])}]."
        return f"Fix: {'; '.join(edit.words() for edit in self.fix)}."

    def plain(self) -> Finding:
        """Without what only a document's editor needs: as checks of files say theirs."""
        return Finding(self.severity, self.code, self.message, self.origin.place(), self.hint)

    @property
    def name(self) -> str:
        """Names the finding in its document: one profile has a code once for a key."""
        return f"{self.profile or 'document'}/{self.code}/{self.key}"
