"""What a storefront says of a submission, kept: its state, every word, and where it knows less than it did."""

from __future__ import annotations

import datetime as dt

from rampa.core.submission.life import ON_SHOW, OVER, WORDS, SubmissionState
from rampa.db import SubmissionRow, mended_by
from rampa.operations.base import UnitOfWork, audit
from rampa.schema.storefronts import SubmissionAt

SOON, SELDOM = dt.timedelta(seconds=5), dt.timedelta(seconds=60)
"""Between two looks: at what moves, and at what stays until somebody does something. A notice brings a look at once."""
STILL = (*ON_SHOW, SubmissionState.REFUSED, SubmissionState.REPLACED)
TOLD = (SubmissionState.QUESTION, SubmissionState.REFUSED, SubmissionState.PASSED, SubmissionState.LOST, *ON_SHOW)
"""States that people are told of."""
MOST_EVENTS = 500
TO_DO = {
    SubmissionState.QUESTION: "a reviewer asks something: answer it",
    SubmissionState.REFUSED: "it was refused: mend it and submit again, or appeal",
    SubmissionState.LOST: "the storefront lost what was sent: send it again",
}
"""What a person must do."""
MENDED = (SubmissionState.QUESTION, SubmissionState.REFUSED)


def keep_seen(uow: UnitOfWork, row: SubmissionRow, seen: SubmissionAt) -> bool:
    """Whether its state changed. The row is locked by the caller."""
    before, row.looked_at = row.seen, uow.now
    seen = seen.model_copy(update={"events": seen.events[-MOST_EVENTS:], "words": seen.words[-MOST_EVENTS:]})
    if before is not None and _knows_less(before, seen):
        said = f"{row.storefront} says {WORDS[seen.state]}, and had said {WORDS[before.state]} before: its records are older"
        row.set_back = said
        audit.record(uow, "submission.set-back", row.name, row.title.slug, storefront=row.storefront, said=said)
    elif before is not None and row.set_back and len(seen.events) >= len(before.events):
        row.set_back = ""
    changed = row.state is not seen.state
    row.seen, row.state, row.there_id = seen, seen.state, seen.id
    row.next_at = (
        None if seen.state in OVER and seen.state is not SubmissionState.REPLACED else uow.now + _pace(seen.state)
    )
    row.said, row.code, row.tries = _to_do(uow, row, seen.state), "", 0
    if changed:
        row.moved_at = uow.now
        detail = {"storefront": row.storefront, "state": WORDS[seen.state]}
        last = seen.words[-1].text[:300] if seen.words and seen.state in TOLD else ""
        audit.record(uow, "submission.move", row.name, row.title.slug, **detail, **({"said": last} if last else {}))
    return changed


def _to_do(uow: UnitOfWork, row: SubmissionRow, state: SubmissionState) -> str:
    """What was mended by another is nobody's work any more."""
    after = mended_by(uow.session, row) if state in MENDED else None
    return f"submission {after} mends it" if after else TO_DO.get(state, "")


def keep_unknown(uow: UnitOfWork, row: SubmissionRow) -> None:
    """The storefront has never heard of it, or does not any more."""
    row.looked_at, row.next_at = uow.now, None
    if row.state is not SubmissionState.LOST:
        row.state, row.moved_at = SubmissionState.LOST, uow.now
        row.set_back = f"{row.storefront} does not know it any more: its records are older than this submission"
        audit.record(uow, "submission.set-back", row.name, row.title.slug, storefront=row.storefront, said=row.set_back)
    row.said = TO_DO[SubmissionState.LOST]


def _knows_less(before: SubmissionAt, seen: SubmissionAt) -> bool:
    """Storefronts only add to what happened: a shorter list is one from a backup."""
    if len(before.events) >= MOST_EVENTS:
        return False
    kept = [(e.at, e.state) for e in before.events]
    return [(e.at, e.state) for e in seen.events][: len(kept)] != kept


def _pace(state: SubmissionState) -> dt.timedelta:
    return SELDOM if state in STILL else SOON
