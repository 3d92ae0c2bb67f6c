"""States of a title's listing: the newest, those before, a whole folder as the next one, what a repository has."""

from __future__ import annotations

from sqlalchemy import delete, select

from rampa.core.errors import Conflict, RampaError
from rampa.core.listing.changes import changes
from rampa.core.listing.edits import ListingFiles
from rampa.db import ListingDraftRow, ListingRow, TitleRow, find_listing, find_title, newest_listing
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, audit, begin
from rampa.operations.listings import files as listing_files
from rampa.operations.titles.revisions import must_be_ours
from rampa.schema import listings as wire


def get_listing(services: Services, actor: Actor, slug: str, number: int | None = None) -> wire.ListingOut:
    """The newest, or that state; number 0 where there is none yet."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        row = newest_listing(uow.session, title.id) if number is None else find_listing(uow.session, title, number)
        return _out(uow, title, row)


def list_states(services: Services, slug: str) -> wire.ListingStates:
    """Newest first."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = select(ListingRow).where(ListingRow.title_id == title.id).order_by(ListingRow.number.desc())
        return wire.ListingStates(items=[_state(row) for row in uow.session.scalars(rows)])


def compare_states(services: Services, slug: str, number: int, against: int | None) -> wire.ListingDifference:
    """What a state has that `against` has not, or the one before; 0 is the empty listing."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        row = find_listing(uow.session, title, number)
        before = number - 1 if against is None else against
        old = find_listing(uow.session, title, before).files if before else listing_files.EMPTY
        return wire.ListingDifference(before=before, after=number, changes=changes(old, row.files))


def add_state(
    services: Services, actor: Actor, slug: str, asked: wire.ListingIn, expected: int | None
) -> wire.ListingOut:
    """A whole folder as the next state; the same again changes nothing. `expected` is the state that the caller saw."""
    made = listing_files.of_wire(asked.texts, asked.pictures)
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        must_be_ours(title, asked.commit)
        newest = newest_listing(uow.session, title.id)
        number = newest.number if newest else 0
        if expected is not None and expected != number:
            message = f"the listing of {slug} is at state {number} now, not {expected}"
            raise Conflict("listing.moved", message, hint="Look at what changed, then import again.")
        return _out(uow, title, store(uow, title, made, asked.message, asked.commit))


def store(uow: UnitOfWork, title: TitleRow, files: ListingFiles, message: str, commit: str) -> ListingRow:
    """The next state, checked whole; the same files make none. The title is locked."""
    listing_files.check_whole(uow, title.id, files)
    newest = newest_listing(uow.session, title.id)
    if newest is not None and newest.files == files:
        return newest
    count = len(changes(newest.files if newest else listing_files.EMPTY, files))
    row = ListingRow(
        title_id=title.id, number=newest.number + 1 if newest else 1, texts=dict(files.texts),
        pictures=dict(files.pictures), message=message, commit=commit, created_by=uow.actor.name, created_at=uow.now,
    )  # fmt: skip
    uow.session.add(row)
    uow.session.flush()
    audit.record(uow, "listing.save", f"{title.slug} state {row.number}", title.slug, count=count, commit=commit[:10])
    # A draft that says the same has become this state.
    mine = (ListingDraftRow.title_id == title.id, ListingDraftRow.person_id == uow.actor.principal)
    for draft in uow.session.scalars(select(ListingDraftRow).where(*mine)):
        if draft.files == files:
            uow.session.execute(delete(ListingDraftRow).where(ListingDraftRow.id == draft.id))
    return row


def follow(uow: UnitOfWork, title: TitleRow, files: ListingFiles, commit: str) -> str:
    """What a repository has becomes a state; what is wrong with it is answered as a sentence, and changes nothing."""
    try:
        store(uow, title, files, f"listing at {commit[:10]}", commit)
    except RampaError as error:
        return f"the listing at {commit[:10]}: {error.message}"[:900]
    return ""


def _state(row: ListingRow) -> wire.ListingState:
    return wire.ListingState(
        number=row.number,
        message=row.message,
        created_by=row.created_by,
        created_at=row.created_at,
        commit=row.commit,
    )


def _out(uow: UnitOfWork, title: TitleRow, row: ListingRow | None) -> wire.ListingOut:
    held = row.files if row else listing_files.EMPTY
    listing, _ = listing_files.read(uow, title.id, held)
    owned = f"It lives in {title.source}, with the profile document." if title.source else ""
    return wire.ListingOut(
        title=title.slug,
        number=row.number if row else 0,
        message=row.message if row else "",
        created_by=row.created_by if row else "",
        created_at=row.created_at if row else None,
        commit=row.commit if row else "",
        main=listing.main,
        languages=listing.languages,
        texts=listing_files.texts(held),
        values=listing_files.values(held),
        pictures=listing_files.pictures(uow, title.id, held),
        source=title.source,
        allowed_actions=[action(uow.actor, Act.CHANGE_LISTING, "edit", owned)],
    )
