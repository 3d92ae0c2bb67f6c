"""Drafts of listings: a person's own, changed edit by edit, reviewed, and merged when somebody was faster."""

from __future__ import annotations

from sqlalchemy import delete, select

from rampa.core.check.listing.whole import check_listing
from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.listing.changes import changes, merge
from rampa.core.listing.edits import ListingEdit, ListingFiles, apply_edits
from rampa.db import ListingDraftRow, TitleRow, find_listing, find_title, newest_listing
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.listings import files as listing_files
from rampa.operations.listings import states
from rampa.operations.listings.check import beside
from rampa.operations.listings.own_draft import base_files, newest_number, own_draft
from rampa.operations.titles.revisions import must_be_ours
from rampa.schema import listings as wire


def get_draft(services: Services, actor: Actor, slug: str) -> wire.ListingDraft:
    """One's own, or what a new one would begin with; and who else has one."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        return _out(uow, title, own_draft(uow, title))


def edit_draft(
    services: Services, actor: Actor, slug: str, asked: wire.ListingEditsIn, expected: int | None
) -> wire.ListingDraft:
    """`expected` is the draft's version that the caller saw, 0 for none: two windows do not overwrite each other."""
    edits = [ListingEdit(e.file, tuple(e.path), e.value) for e in asked.edits]
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        draft = own_draft(uow, title)
        if expected is not None and expected != (draft.version if draft else 0):
            hint = "Load it again; what you typed here is still on the page."
            raise Conflict("listing.draft-moved", "your draft was changed in another window", hint=hint)
        made = apply_edits(draft.files if draft else _begun(uow, title, asked.base), edits)
        if draft is None:
            draft = ListingDraftRow(title_id=title.id, person_id=actor.principal, base=asked.base, created_at=uow.now)
            draft.version = 0
            uow.session.add(draft)
        _keep(uow, draft, made)
        return _out(uow, title, draft)


def drop_draft(services: Services, actor: Actor, slug: str) -> None:
    """Doing it twice is no error."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        uow.session.execute(
            delete(ListingDraftRow).where(
                ListingDraftRow.title_id == title.id, ListingDraftRow.person_id == actor.principal
            )
        )


def review(services: Services, actor: Actor, slug: str) -> wire.ListingReview:
    """What saving would change against the newest state; when that is not the draft's base, both changes together."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        draft = _must(uow, title)
        newest = newest_listing(uow.session, title.id)
        held = newest.files if newest else listing_files.EMPTY
        moved = newest is not None and newest.number != draft.base
        base = base_files(uow, title, draft.base) if moved else held
        merged = merge(base, held, draft.files) if moved else None
        made = merged.files if merged else draft.files
        listing, problems = listing_files.read(uow, title.id, made)
        around = beside(uow, title)
        old = check_listing(*listing_files.read(uow, title.id, held), around)
        new = check_listing(listing, problems, around)
        before, after = {f.name for f in old}, {f.name for f in new}
        meanwhile = None
        if merged and newest:
            theirs = changes(base, held)
            meanwhile = wire.ListingMeanwhile(
                number=newest.number,
                by=newest.created_by,
                message=newest.message,
                theirs=theirs,
                clashes=list(merged.clashes),
            )
        return wire.ListingReview(
            base=draft.base,
            newest=newest.number if newest else 0,
            changes=changes(held, made),
            findings_added=[wire.ListingFindingOut.of(f) for f in new if f.name not in before],
            findings_removed=[wire.ListingFindingOut.of(f) for f in old if f.name not in after],
            problems=[f"{p.where}: {p.message}. {p.hint}".strip() for p in problems],
            meanwhile=meanwhile,
        )


def rebase(services: Services, actor: Actor, slug: str, onto: int) -> wire.ListingDraft:
    """The draft with both changes in it, from that state on. Raises `Conflict` when a newer one was saved meanwhile."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        draft = _must(uow, title)
        newest = newest_number(newest_listing(uow.session, title.id))
        if onto != newest:
            message = f"the listing is at state {newest} now, not {onto}"
            raise Conflict("listing.moved", message, hint="Look at both changes again.")
        if draft.base != newest:
            theirs = find_listing(uow.session, title, newest).files
            made = merge(base_files(uow, title, draft.base), theirs, draft.files).files
            draft.base = newest
            _keep(uow, draft, made)
        return _out(uow, title, draft)


def save_draft(services: Services, actor: Actor, slug: str, message: str, expected: int | None) -> wire.ListingOut:
    """The draft becomes the next state. Raises `Conflict` when somebody was faster: both are taken together first."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        must_be_ours(title, "")
        draft = _must(uow, title)
        newest = newest_number(newest_listing(uow.session, title.id))
        if draft.base != newest or (expected is not None and expected != draft.version):
            said = f"state {newest} was saved meanwhile" if draft.base != newest else "your draft was changed elsewhere"
            raise Conflict("listing.moved", said, hint="Review it again: both changes are shown.")
        states.store(uow, title, draft.files, message, "")
        uow.session.execute(delete(ListingDraftRow).where(ListingDraftRow.id == draft.id))
    return states.get_listing(services, actor, slug)


def _must(uow: UnitOfWork, title: TitleRow) -> ListingDraftRow:
    draft = own_draft(uow, title)
    if draft is None:
        raise NotFound("listing.no-draft", f"you have no draft of the listing of {title.slug}")
    return draft


def _begun(uow: UnitOfWork, title: TitleRow, base: int) -> ListingFiles:
    if base != newest_number(newest_listing(uow.session, title.id)):
        raise Invalid("listing.base", "a new draft begins at the newest state", where="base")
    return base_files(uow, title, base)


def _keep(uow: UnitOfWork, draft: ListingDraftRow, files: ListingFiles) -> None:
    draft.texts, draft.pictures = dict(files.texts), dict(files.pictures)
    draft.version += 1
    draft.saved_at = uow.now
    uow.session.flush()


def _out(uow: UnitOfWork, title: TitleRow, draft: ListingDraftRow | None) -> wire.ListingDraft:
    newest = newest_listing(uow.session, title.id)
    number = newest.number if newest else 0
    held = draft.files if draft else base_files(uow, title, number)
    listing, _ = listing_files.read(uow, title.id, held)
    return wire.ListingDraft(
        base=draft.base if draft else number,
        newest=number,
        version=draft.version if draft else 0,
        saved_at=draft.saved_at if draft else None,
        moved=draft is not None and draft.base != number,
        same=newest is not None and held == newest.files,
        main=listing.main,
        languages=listing.languages,
        texts=listing_files.texts(held),
        values=listing_files.values(held),
        pictures=listing_files.pictures(uow, title.id, held),
        others=_others(uow, title),
    )


def _others(uow: UnitOfWork, title: TitleRow) -> list[wire.OtherListingDraft]:
    rows = select(ListingDraftRow).where(
        ListingDraftRow.title_id == title.id, ListingDraftRow.person_id != uow.actor.principal
    )
    return [
        wire.OtherListingDraft(person=row.person.name, base=row.base, saved_at=row.saved_at)
        for row in uow.session.scalars(rows.order_by(ListingDraftRow.saved_at.desc()))
    ]
