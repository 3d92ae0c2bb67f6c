"""What a check found in a listing: exact enough to mend it."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.check.findings import Finding
from rampa.core.listing.edits import ListingEdit


@dataclass(frozen=True, slots=True)
class ListingFinding:
    """`storefront`, `language` and `form` are empty where it is of all. `fix` are edits of the listing's files."""

    severity: str
    code: str
    message: str
    where: str
    hint: str
    storefront: str = ""
    language: str = ""
    form: str = ""
    fix: tuple[ListingEdit, ...] = ()

    @property
    def name(self) -> str:
        """Names the finding in its listing: `listing.text-long/mossgate/fi/short`."""
        key = self.where.rpartition(": ")[2]
        parts = (self.code, self.storefront, self.language, self.form, key)
        return "/".join(part for part in parts if part)

    def fix_words(self) -> str:
        if not self.fix:
            return ""
        more = f", and {len(self.fix) - 1} more" if len(self.fix) > 1 else ""
        return f"Fix: {self.fix[0].words()}{more}."

    def plain(self) -> Finding:
        return Finding(self.severity, self.code, self.message, self.where, f"{self.hint} {self.fix_words()}".strip())
