"""What of each line is before storefronts' reviewers, or waits for somebody after them."""

from __future__ import annotations

import uuid
from collections import defaultdict

from sqlalchemy import exists, or_, select
from sqlalchemy.orm import aliased

from rampa.core.submission.course import Course, state_words
from rampa.core.submission.life import ON_SHOW, OVER, SubmissionState
from rampa.db import BuildRow, StorefrontRow, SubmissionRow
from rampa.operations.base import UnitOfWork
from rampa.schema import board as wire

ASKS = (SubmissionState.QUESTION, SubmissionState.REFUSED, SubmissionState.LOST, SubmissionState.PASSED)
"""Where it is the studio's turn."""
STUCK = (Course.HALTED, Course.BY_HAND)
SHOWN = 3
"""Of a line, the newest."""

Before = dict[tuple[uuid.UUID, str], list[wire.BoardReview]]


def before_reviewers(uow: UnitOfWork) -> Before:
    """By title and platform. Without what another mends, what is over, and what players have."""
    later = aliased(SubmissionRow)
    mended = exists().where(later.replaces_id == SubmissionRow.id, later.course != Course.DROPPED)
    of = (SubmissionRow.title_id, SubmissionRow.platform, SubmissionRow.number, SubmissionRow.course)
    rows = (
        select(*of, SubmissionRow.state, SubmissionRow.storefront, StorefrontRow.title, BuildRow.number.label("build"))
        .join(BuildRow, BuildRow.id == SubmissionRow.build_id)
        .outerjoin(StorefrontRow, StorefrontRow.name == SubmissionRow.storefront)
        .where(SubmissionRow.course != Course.DROPPED, ~mended)
        # Here, and not when they are read: what players had is most of what there ever was.
        .where(or_(SubmissionRow.course != Course.THERE, SubmissionRow.state.not_in((*ON_SHOW, *OVER))))
        .order_by(SubmissionRow.number.desc())
    )
    found: Before = defaultdict(list)
    for row in uow.session.execute(rows):
        there = row.course is Course.THERE
        line = found[row.title_id, row.platform]
        if len(line) < SHOWN:
            line.append(
                wire.BoardReview(
                    submission=row.number,
                    build=row.build,
                    storefront=row.title or row.storefront,
                    words=state_words(row.course, row.state),
                    asks=row.state in ASKS if there else row.course in STUCK,
                )
            )
    return found
