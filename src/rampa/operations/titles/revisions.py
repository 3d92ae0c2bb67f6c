"""Revisions of profile documents: adding one, listing, differences, and who owns the document."""

from __future__ import annotations

from sqlalchemy import delete, select

from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.profile.document import read_document
from rampa.core.profile.text_changes import difference
from rampa.db import DraftRow, RevisionRow, TitleRow, find_revision, find_title, load_document
from rampa.operations.base import Actor, Once, Services, audit, begin, once
from rampa.operations.titles.documents import store_revision
from rampa.operations.titles.drafts import profiles_changed
from rampa.operations.titles.titles import describe
from rampa.schema.titles import drafts as drafts_wire
from rampa.schema.titles import titles as wire


def add_revision(
    services: Services, actor: Actor, slug: str, asked: wire.DocumentIn, expected: int | None, key: Once | None
) -> wire.Title:
    """A new revision; the same text again changes nothing. `expected` is the revision that the caller saw."""
    document = read_document(asked.document.encode())

    def make() -> wire.Title:
        title = find_title(uow.session, slug, lock=True)
        if expected is not None and expected != title.revision:
            raise Conflict(
                "revision.moved",
                f"the document of {slug} is at revision {title.revision} now, not {expected}",
                hint="Look at what changed, then import again.",
            )
        must_be_ours(title, asked.commit)
        identifier = document.title("title.identifier")
        if identifier != title.identifier:
            raise Invalid(
                "title.identifier",
                f"the document is for {identifier}, and {slug} is {title.identifier}",
                hint="An identifier never changes: storefronts know the title by it.",
            )
        if find_revision(uow.session, title).text != document.text:
            title.name = document.title("title.name")
            store_revision(uow, title, document.text, asked.message, asked.commit)
            audit.record(uow, "revision.add", f"{slug} revision {title.revision}", slug)
        # A draft that says the same has become this revision; one that was gone on with meanwhile stays.
        own_draft = (DraftRow.title_id == title.id, DraftRow.person_id == actor.principal)
        uow.session.execute(delete(DraftRow).where(*own_draft, DraftRow.text == document.text))
        return describe(title, document)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Title, make)


def list_revisions(services: Services, slug: str) -> list[wire.Revision]:
    """Newest first."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = uow.session.scalars(
            select(RevisionRow).where(RevisionRow.title_id == title.id).order_by(RevisionRow.number.desc())
        )
        return [wire.Revision(**_fields(r)) for r in rows]


def get_revision(services: Services, slug: str, number: int) -> wire.RevisionText:
    with begin(services) as uow:
        row = find_revision(uow.session, find_title(uow.session, slug), number)
        return wire.RevisionText(**_fields(row), document=row.text)


def get_change(services: Services, slug: str, number: int) -> drafts_wire.RevisionChange:
    """What a revision changed against the one before it."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        row = find_revision(uow.session, title, number)
        if number == 1:
            return drafts_wire.RevisionChange(number=1, before=0, difference="", profiles=[])
        old = find_revision(uow.session, title, number - 1)
        before, after = load_document(uow.session, title, number - 1), load_document(uow.session, title, number)
        return drafts_wire.RevisionChange(
            number=number,
            before=old.number,
            difference=difference(old.text, row.text, f"revision {old.number}", f"revision {number}"),
            profiles=profiles_changed(before, after, lambda _: []),
        )


def set_owner(services: Services, actor: Actor, slug: str, asked: drafts_wire.OwnerIn) -> wire.Title:
    """Hands the document to a source repository, or, with no source, back to the service."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        title.source, title.source_path = asked.source, asked.path if asked.source else ""
        audit.record(uow, "document.owner", slug, slug, source=asked.source or "the service")
        return describe(title, load_document(uow.session, title))


def must_be_ours(title: TitleRow, commit: str) -> None:
    """A document that a repository owns changes there; only an import that names its commit is taken."""
    if title.source and not commit:
        raise Refused(
            "document.owned",
            f"the document of {title.slug} lives in {title.source} at {title.source_path}",
            hint="Change it there, then import it from a checkout: `rampa title import FOLDER --commit SHA`.",
        )


def _fields(row: RevisionRow) -> dict[str, object]:
    return {
        "number": row.number,
        "message": row.message,
        "created_at": row.created_at,
        "created_by": row.created_by,
        "digest": row.digest.hex(),
        "commit": row.commit,
    }
