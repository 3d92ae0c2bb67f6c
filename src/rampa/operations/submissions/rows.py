"""A submission as it begins: what it is put with, and nothing sent of it yet."""

from __future__ import annotations

from rampa.core.submission.course import Course
from rampa.db import SubmissionRow
from rampa.operations.base import UnitOfWork
from rampa.operations.submissions.places import Place
from rampa.schema.storefronts import Going, SubmissionIn


def new_submission(uow: UnitOfWork, place: Place, asked: SubmissionIn, number: int, listing: int) -> SubmissionRow:
    """The title is locked; the caller adds it, with what else was asked for."""
    build = place.build
    return SubmissionRow(
        title_id=build.title_id, title=build.title, number=number, build=build, storefront=place.storefront,
        platform=build.platform, course=Course.SENDING, asked=asked, listing=listing, changed=[], going=Going.BY_ACT,
        size=build.bundle.size if build.bundle else 0, next_at=uow.now, moved_at=uow.now, made_by=uow.actor.name,
        created_at=uow.now, said="", code="", hand_in="", upload="", sent=0, begun_sent=0, again=0, there_id="",
        set_back="", tries=0,
    )  # fmt: skip
