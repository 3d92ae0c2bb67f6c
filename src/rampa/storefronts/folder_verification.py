"""Verifying the studio where a person works it off.

FOLDER/studio/sheet.md        who the studio is, to be copied
             /sheet.json      the same (StudioIn), and when it was handed over
             /documents/…     what goes with it, named by its kind
             /outcome.toml    what the person writes as it goes on: state, said, until
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

from rampa.core.errors import NotFound, Refused
from rampa.core.files import replace_file
from rampa.core.studio.verification import (
    DOCUMENTS,
    TRANSITIONS,
    DocumentKind,
    VerificationEvent,
    VerificationState,
    media_of,
)
from rampa.core.transitions import advance
from rampa.schema import storefronts as wire
from rampa.storefronts.outcome import OUTCOME, read_outcome

SAYS = frozenset({"state", "said", "until"})
ENDINGS = {"application/pdf": "pdf", "image/png": "png", "image/jpeg": "jpg"}
USUAL_DAYS = 7


class FolderVerification:
    def __init__(self, folder: Path, title: str, now: Callable[[], dt.datetime]) -> None:
        self._at, self._title, self._now = folder / "studio", title, now

    def look(self) -> wire.VerificationAt:
        """Raises `Invalid` for an outcome that cannot be read: it is the person's to mend."""
        outcome, sheet = self._outcome(), self._sheet()
        state = VerificationState(outcome.get("state", "handed-in" if sheet else "not-begun"))
        since = dt.datetime.fromisoformat(sheet["handed_at"]) if sheet else self._now()
        words = []
        if outcome:
            since = dt.datetime.fromtimestamp((self._at / OUTCOME).stat().st_mtime, dt.UTC)
            if outcome.get("said"):
                words.append(wire.WordSaid(at=since, by="whoever handed it over", text=str(outcome["said"])[:2000]))
        return wire.VerificationAt(
            state=state,
            since=since,
            needs=[DocumentKind.REGISTER],
            usual_days=USUAL_DAYS,
            until=outcome.get("until"),
            words=words,
        )

    def send_document(self, digest: str, data: bytes) -> None:
        if hashlib.sha256(data).hexdigest() != digest:
            raise Refused("storefront.document", "the document is not what its digest says")
        media_of(data)
        replace_file(self._at / "sent" / digest, data, 0o600)

    def hand_in(self, asked: wire.StudioIn) -> wire.VerificationAt:
        advance(TRANSITIONS, self.look().state, VerificationEvent.HAND_IN, "the studio's verification")
        for kind, digest in asked.documents.items():
            sent = self._at / "sent" / digest
            if not sent.is_file():
                raise NotFound("storefront.document", f"the document for {kind} was not sent", where="documents")
            data = sent.read_bytes()
            replace_file(self._at / "documents" / f"{kind}.{ENDINGS[media_of(data)]}", data, 0o600)
        outcome = self._at / OUTCOME
        if outcome.exists():
            outcome.replace(self._at / f"outcome-{self._now():%Y%m%d-%H%M%S}.toml")
        said = asked.model_dump(mode="json") | {"handed_at": self._now().isoformat()}
        replace_file(self._at / "sheet.md", _sheet(self._title, asked).encode())
        # Last: without it nothing was handed over.
        replace_file(self._at / "sheet.json", json.dumps(said, ensure_ascii=False, indent=1).encode())
        shutil.rmtree(self._at / "sent", ignore_errors=True)
        return self.look()

    def _sheet(self) -> dict[str, Any]:
        file = self._at / "sheet.json"
        return json.loads(file.read_text()) if file.is_file() else {}

    def _outcome(self) -> dict[str, Any]:
        return read_outcome(self._at / OUTCOME, SAYS, list(VerificationState), _must_make_sense)


def _must_make_sense(said: dict[str, Any]) -> None:
    until = said.get("until")
    if until is not None and (not isinstance(until, dt.datetime) or until.tzinfo is None):
        raise ValueError("until is no moment, as 2027-12-01T00:00:00Z")


def _sheet(storefront: str, asked: wire.StudioIn) -> str:
    documents = [f"- `documents/{kind}.…`: {DOCUMENTS[kind]}" for kind in asked.documents]
    lines = [
        f"# Verify the studio at {storefront}",
        "",
        "1. Sign in to the storefront with the studio's account, and open its verification.",
        "2. Fill in what stands below, and add the documents.",
        '3. Write what became of it into `outcome.toml`: state = "looking", then "asked" or "refused" with',
        '   said = "their words", or "verified" (with until = 2027-12-01T00:00:00Z where it ends).',
        "",
        f"Name by law: {asked.legal_name}",
        f"Address: {asked.postal_address}",
        f"Contact: {asked.contact}",
        f"Number in the register: {asked.register_number or '(none)'}",
        "",
        "## Documents",
        "",
        *(documents or ["None."]),
    ]
    return "\n".join(lines) + "\n"
