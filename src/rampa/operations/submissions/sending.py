"""Sending a submission: its title is made known, its pictures and its bundle go, then it is put before the reviewers.

Each step can be done again: what is there already is not sent twice, an upload goes on where it ended, and one submission has one
key. A worker that is killed leaves a row that is due; the next look takes it.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable
from time import monotonic

from sqlalchemy import select

from rampa.core.errors import Damaged, Denied, NotFound, RampaError, Unavailable
from rampa.core.submission.account import AccountState
from rampa.core.submission.course import TRANSITIONS, Course, CourseEvent
from rampa.core.submission.life import SubmissionState
from rampa.core.transitions import advance
from rampa.db import StorefrontRow, SubmissionRow, queue
from rampa.operations.base import Services, UnitOfWork, audit, begin, service_actor
from rampa.operations.storefronts.accounts import doubted
from rampa.operations.storefronts.connection import storefront_of
from rampa.operations.storefronts.seen import keep_seen
from rampa.operations.submissions.asked import made_pictures
from rampa.operations.submissions.bundle import StoredBundle
from rampa.operations.submissions.places import table_of
from rampa.schema.storefronts import ActIn, TitleAt
from rampa.storefronts.port import Sending, StorefrontPort

WHO = "the sender"
WAITS = (5, 10, 30, 60, 300, 900)
"""Seconds between tries while a storefront does not answer."""
NOTED_EVERY = 0.5
"""Seconds between two notes of how much is there."""
CONNECTION = (
    "storefront.not-connected",
    "storefront.revoked",
    "storefront.expired",
    "storefront.scope",
    "storefront.unknown",
)
"""What a connection that is mended mends."""


class StoppedError(Exception):
    """A person stopped it, or gave it up, while it was sent."""


def ask_due(services: Services) -> int:
    """Puts a job for each submission whose turn it is; each is sent by one worker at a time."""
    with begin(services) as uow:
        rows = select(SubmissionRow).where(SubmissionRow.course == Course.SENDING, SubmissionRow.next_at <= uow.now)
        due = list(uow.session.scalars(rows.with_for_update(skip_locked=True, of=SubmissionRow)))
        for row in due:
            # Put off: while the job runs, nobody asks for a second one.
            row.next_at = uow.now + dt.timedelta(seconds=60)
            queue.put(
                uow.session, "send_submission", queue.SUBMISSIONS, lock=f"submission {row.id}", submission=str(row.id)
            )
        return len(due)


def send(services: Services, ident: uuid.UUID) -> None:
    with begin(services) as uow:
        row = uow.session.get(SubmissionRow, ident)
        if row is None or row.course is not Course.SENDING:
            return
    try:
        _send(services, row)
    except StoppedError:
        return
    except Unavailable as error:
        _put_off(services, ident, error)
    except RampaError as error:
        _halt(services, ident, error)


def _send(services: Services, row: SubmissionRow) -> None:
    port = storefront_of(services, row.storefront)
    title = _known(port, row)
    with begin(services) as uow:
        table = table_of(uow, row)
    told, pictures = made_pictures(services, row.title, row.listing, table)
    _note(services, row.id, lambda it: setattr(it, "asked", it.asked.model_copy(update={"listing": told})))
    if title.first_pending:
        _hand_in(services, row.id, title)
        return
    for digest, data in pictures.items():
        port.send_picture(digest, data)
        _note(services, row.id, lambda _: None)
    upload = _bundle(services, port, row)
    asked = row.asked.model_copy(update={"listing": told, "upload": upload})
    try:
        seen = port.submit(asked, row.key)
    except NotFound as error:
        # What was sent is not there any more: sent again from the beginning, with the next try.
        _note(services, row.id, _forget_upload)
        raise Unavailable("storefront.lost", f"{error.message}: it is sent again", hint=error.hint) from error
    with begin(services, service_actor(WHO)) as uow:
        mine = uow.session.get_one(SubmissionRow, row.id, with_for_update={"of": SubmissionRow})
        if mine.course is Course.SENDING:
            mine.asked, mine.sent = asked, mine.size
            arrive(uow, mine)
            keep_seen(uow, mine, seen)
    _give_way(services, port, row.id)


def _give_way(services: Services, port: StorefrontPort, ident: uuid.UUID) -> None:
    """What it mends, and reviewers still have or wait with, is taken back: nobody need look at it any more."""
    with begin(services) as uow:
        old = uow.session.get_one(SubmissionRow, ident).replaces
    if old is None or old.course is not Course.THERE:
        return
    try:
        seen = port.submission(old.there_id)
        if seen.state is not SubmissionState.REFUSED and "withdraw" in seen.can:
            seen = port.act(old.there_id, ActIn(act="withdraw"))
    except RampaError:
        return  # the next look at it says how it stands
    with begin(services, service_actor(WHO)) as uow:
        keep_seen(uow, uow.session.get_one(SubmissionRow, old.id, with_for_update={"of": SubmissionRow}), seen)


def arrive(uow: UnitOfWork, row: SubmissionRow) -> None:
    move(uow, row, CourseEvent.ARRIVE)
    row.arrived_at, row.said, row.code, row.tries = uow.now, "", "", 0


def _known(port: StorefrontPort, row: SubmissionRow) -> TitleAt:
    identifier = row.asked.identifier
    name = row.asked.listing.texts[row.asked.listing.main].name if row.asked.listing.texts else row.title.slug
    try:
        title = port.title(identifier)
        return title if title.name == name else port.register(identifier, name[:100])
    except NotFound:
        return port.register(identifier, name[:100])


def _bundle(services: Services, port: StorefrontPort, row: SubmissionRow) -> str:
    """The upload's number. Progress is noted twice a second, and each note looks whether somebody stopped it."""
    bundle, noted = StoredBundle(services, row.build_id), 0.0

    def begun(upload: str) -> None:
        _note(services, row.id, lambda it: setattr(it, "upload", upload))

    def on(done: int, total: int) -> None:
        nonlocal noted
        if done < total and monotonic() - noted < NOTED_EVERY:
            return
        first, noted = noted == 0.0, monotonic()
        _note(services, row.id, lambda it: _progress(it, done, services.now(), first))

    return port.send_bundle(bundle, row.asked.sha256, Sending(row.upload, begun, on))


def _progress(row: SubmissionRow, done: int, now: dt.datetime, first: bool) -> None:
    if first or row.begun_at is None or done < row.begun_sent:
        row.begun_at, row.begun_sent = now, done
    row.sent, row.progress_at, row.next_at = done, now, now + dt.timedelta(seconds=60)
    row.said, row.code, row.tries = "", "", 0


def _forget_upload(row: SubmissionRow) -> None:
    row.upload, row.sent, row.begun_at = "", 0, None


def _note(services: Services, ident: uuid.UUID, change: Callable[[SubmissionRow], None]) -> None:
    """Raises `StoppedError` when it is not being sent any more."""
    with begin(services, service_actor(WHO)) as uow:
        row = uow.session.get_one(SubmissionRow, ident, with_for_update={"of": SubmissionRow})
        if row.course is not Course.SENDING:
            raise StoppedError
        change(row)


def _hand_in(services: Services, ident: uuid.UUID, title: TitleAt) -> None:
    with begin(services, service_actor(WHO)) as uow:
        row = uow.session.get_one(SubmissionRow, ident, with_for_update={"of": SubmissionRow})
        if row.course is Course.SENDING:
            move(uow, row, CourseEvent.HAND_IN)
            row.hand_in, row.next_at = title.hand_in_at[:500], uow.now
            row.said = "a person hands in the first bundle on the storefront's page; all that it takes is ready"


def _put_off(services: Services, ident: uuid.UUID, error: Unavailable) -> None:
    with begin(services, service_actor(WHO)) as uow:
        row = uow.session.get_one(SubmissionRow, ident, with_for_update={"of": SubmissionRow})
        if row.course is Course.SENDING:
            wait = WAITS[min(row.tries, len(WAITS) - 1)]
            row.tries += 1
            row.said, row.code = f"{error.message}; tried again in {wait} s", error.code[:60]
            row.next_at = uow.now + dt.timedelta(seconds=wait)


def _halt(services: Services, ident: uuid.UUID, error: RampaError) -> None:
    """A person must do something; what they must do is said."""
    with begin(services) as uow:
        storefront = uow.session.get_one(SubmissionRow, ident).storefront
    said = doubted(services, storefront, error) if isinstance(error, Denied) else error.sentence()
    with begin(services, service_actor(WHO)) as uow:
        row = uow.session.get_one(SubmissionRow, ident, with_for_update={"of": SubmissionRow})
        if row.course is not Course.SENDING:
            return
        if isinstance(error, Damaged):
            _forget_upload(row)
        move(uow, row, CourseEvent.HALT, error.message)
        row.said, row.code = said[:2000], error.code[:60]


def move(uow: UnitOfWork, row: SubmissionRow, event: CourseEvent, why: str = "") -> None:
    """By the table; the row is locked by the caller."""
    row.course = advance(TRANSITIONS, row.course, event, row.name)
    row.moved_at = uow.now
    row.next_at = uow.now if row.course not in (Course.HALTED, Course.DROPPED) else None
    detail = {"why": why[:300]} if why else {}
    audit.record(uow, f"submission.{event.value}", row.name, row.title.slug, storefront=row.storefront, **detail)


def go_on_connected(services: Services) -> int:
    """What a lost connection halted goes on by itself once it is mended."""
    with begin(services, service_actor(WHO)) as uow:
        connected = select(StorefrontRow.name).where(StorefrontRow.state == AccountState.CONNECTED)
        rows = select(SubmissionRow).where(
            SubmissionRow.course == Course.HALTED,
            SubmissionRow.code.in_(CONNECTION),
            SubmissionRow.storefront.in_(connected),
        )
        found = list(uow.session.scalars(rows.with_for_update(skip_locked=True, of=SubmissionRow)))
        for row in found:
            move(uow, row, CourseEvent.GO_ON)
            row.said, row.code = "", ""
        return len(found)
