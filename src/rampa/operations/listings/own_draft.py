"""A person's own draft of a listing, and what a new one begins with."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.listing.beside import title_languages
from rampa.core.listing.edits import ListingEdit, ListingFiles, apply_edits
from rampa.core.listing.layout import FACTS, texts_file
from rampa.db import ListingDraftRow, ListingRow, TitleRow, find_listing, load_document, newest_listing
from rampa.operations.base import UnitOfWork
from rampa.operations.listings import files as listing_files


def draft_files(uow: UnitOfWork, title: TitleRow) -> ListingFiles:
    """One's own draft; without one, what it would begin with."""
    draft = own_draft(uow, title)
    return draft.files if draft else base_files(uow, title, newest_number(newest_listing(uow.session, title.id)))


def newest_number(row: ListingRow | None) -> int:
    return row.number if row else 0


def own_draft(uow: UnitOfWork, title: TitleRow) -> ListingDraftRow | None:
    mine = (ListingDraftRow.title_id == title.id, ListingDraftRow.person_id == uow.actor.principal)
    return uow.session.scalar(select(ListingDraftRow).where(*mine))


def base_files(uow: UnitOfWork, title: TitleRow, number: int) -> ListingFiles:
    """A state's files; of 0, what a first listing begins with."""
    if number:
        return find_listing(uow.session, title, number).files
    languages = title_languages(load_document(uow.session, title)) or ("en",)
    edits = [ListingEdit(FACTS, ("main",), languages[0])]
    edits += [ListingEdit(texts_file(lang), ("name",), title.name) for lang in languages]
    return apply_edits(listing_files.EMPTY, edits)
