"""What a storefront says of the studio's verification, kept with its account; a change is told."""

from __future__ import annotations

from rampa.core.studio.verification import WORDS
from rampa.db import StorefrontRow
from rampa.operations.base import UnitOfWork, audit
from rampa.schema.storefronts import VerificationAt

MOST_WORDS = 50
MOST_TEXT = 2000


def keep_verification(uow: UnitOfWork, row: StorefrontRow, seen: VerificationAt) -> None:
    """The row is locked by the caller. What a storefront writes is kept within bounds."""
    before = row.verification
    words = [w.model_copy(update={"text": w.text[:MOST_TEXT], "by": w.by[:200]}) for w in seen.words[-MOST_WORDS:]]
    row.verification = seen.model_copy(update={"words": words, "needs": list(dict.fromkeys(seen.needs))})
    if before is not None and before.state is not seen.state:
        last = {"said": words[-1].text[:300]} if len(words) > len(before.words) else {}
        audit.record(uow, "studio.verification", row.title, state=WORDS[seen.state], **last)
