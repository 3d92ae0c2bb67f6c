"""Files of a listing as values: read with the facts of their pictures, and as the wire has them."""

from __future__ import annotations

import uuid
from collections.abc import Iterable

from rampa.core.errors import NotFound
from rampa.core.listing.changes import said_in
from rampa.core.listing.edits import ListingFiles
from rampa.core.listing.layout import picture_place
from rampa.core.listing.listing import Listing
from rampa.core.listing.reader import ListingProblem, PictureFacts, must_read, read_listing
from rampa.db import ListingPictureRow, listing_pictures
from rampa.operations.base import UnitOfWork
from rampa.schema import listings as wire

EMPTY = ListingFiles()


def of_wire(texts: Iterable[wire.ListingText], pictures: Iterable[wire.ListingPicture]) -> ListingFiles:
    return ListingFiles({t.path: t.text for t in texts}, {p.path: p.digest for p in pictures})


def read(uow: UnitOfWork, title: uuid.UUID, files: ListingFiles) -> tuple[Listing, tuple[ListingProblem, ...]]:
    return read_listing(files.texts, _facts(uow, title, files))


def check_whole(uow: UnitOfWork, title: uuid.UUID, files: ListingFiles) -> Listing:
    """Raises `Invalid` with all that is wrong, and `NotFound` for a picture that was not sent."""
    facts = _facts(uow, title, files)
    missing = next((p for p in files.pictures if p not in facts), None)
    if missing is not None:
        raise NotFound("listing.picture", "this picture was not sent", where=missing, hint="Send it first.")
    return must_read(files.texts, facts)


def values(files: ListingFiles) -> list[wire.ListingValue]:
    """What the text files say, value by value."""
    return [
        wire.ListingValue(file=file, path=list(path), value=value)
        for (file, path), value in said_in(ListingFiles(files.texts)).items()
    ]


def texts(files: ListingFiles) -> list[wire.ListingText]:
    return [wire.ListingText(path=path, text=text) for path, text in sorted(files.texts.items())]


def pictures(uow: UnitOfWork, title: uuid.UUID, files: ListingFiles) -> list[wire.ListingPictureOut]:
    rows = listing_pictures(uow.session, title, files.pictures.values())
    out = []
    for path, digest in sorted(files.pictures.items()):
        place = picture_place(path)
        if digest in rows and place is not None:
            facts = describe(rows[digest]).model_dump()
            out.append(wire.ListingPictureOut(path=path, device=place.form, language=place.language, **facts))
    return out


def describe(row: ListingPictureRow) -> wire.MadeListingPicture:
    return wire.MadeListingPicture(
        digest=row.digest,
        form=row.form,
        width=row.width,
        height=row.height,
        size=row.size,
        transparent=row.transparent,
    )


def _facts(uow: UnitOfWork, title: uuid.UUID, files: ListingFiles) -> dict[str, PictureFacts]:
    rows = listing_pictures(uow.session, title, files.pictures.values())
    return {
        path: PictureFacts(digest, rows[digest].width, rows[digest].height, rows[digest].transparent)
        for path, digest in files.pictures.items()
        if digest in rows
    }
