"""Who the studio is, and the documents that show it: sealed at rest, read by owners and by who verifies."""

from __future__ import annotations

import hashlib

from sqlalchemy import select

from rampa.core.errors import NotFound
from rampa.core.signing.seal import seal, unseal
from rampa.core.studio.verification import DocumentKind, media_of
from rampa.db import StudioDocumentRow, the_studio
from rampa.db.base import new_id
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.studio.views import describe
from rampa.schema import studio as wire


def get_studio(services: Services, actor: Actor) -> wire.StudioOut:
    with begin(services, actor) as uow:
        return describe(uow)


def say_facts(services: Services, actor: Actor, facts: wire.StudioFacts) -> wire.StudioOut:
    """In place of what was said before. What was handed in stays what it was."""
    must(actor, Act.MANAGE_STUDIO)
    with begin(services, actor) as uow:
        row = the_studio(uow.session, lock=True)
        row.facts = facts
        audit.record(uow, "studio.facts", row.name)
        return describe(uow)


def add_document(services: Services, actor: Actor, kind: DocumentKind, name: str, data: bytes) -> wire.StudioOut:
    """In place of one of its kind. Raises `Invalid` for what is no document."""
    must(actor, Act.MANAGE_STUDIO)
    media = media_of(data)
    with begin(services, actor) as uow:
        the_studio(uow.session, lock=True)
        before = _find(uow, kind)
        if before is not None:
            uow.session.delete(before)
            uow.session.flush()
        row = StudioDocumentRow(
            id=new_id(), kind=kind, name=name, media=media, size=len(data), digest=hashlib.sha256(data).hexdigest(),
            added_by=actor.name, created_at=uow.now,
        )  # fmt: skip
        row.sealed = seal(data, services.master_key, row.label, services.random)
        uow.session.add(row)
        uow.session.flush()
        audit.record(uow, "studio.document", name, kind=kind.value)
        return describe(uow)


def drop_document(services: Services, actor: Actor, kind: DocumentKind) -> wire.StudioOut:
    must(actor, Act.MANAGE_STUDIO)
    with begin(services, actor) as uow:
        the_studio(uow.session, lock=True)
        row = must_find(uow, kind)
        uow.session.delete(row)
        uow.session.flush()
        audit.record(uow, "studio.drop-document", row.name, kind=kind.value)
        return describe(uow)


def read_document(services: Services, actor: Actor, kind: DocumentKind) -> tuple[bytes, str, str]:
    """(its content, its media type, its name). That somebody read it is written down."""
    must(actor, Act.READ_STUDIO_DOCUMENT)
    with begin(services, actor) as uow:
        row = must_find(uow, kind)
        audit.record(uow, "studio.read-document", row.name, kind=kind.value)
        return content_of(uow, row), row.media, row.name


def content_of(uow: UnitOfWork, row: StudioDocumentRow) -> bytes:
    return unseal(row.sealed, uow.services.master_key, row.label)


def must_find(uow: UnitOfWork, kind: DocumentKind) -> StudioDocumentRow:
    row = _find(uow, kind)
    if row is None:
        hint = f"Add it: rampa studio add-document FILE --kind {kind}"
        raise NotFound("document.unknown", f"there is no document for {kind}", where="kind", hint=hint)
    return row


def _find(uow: UnitOfWork, kind: DocumentKind) -> StudioDocumentRow | None:
    return uow.session.scalar(select(StudioDocumentRow).where(StudioDocumentRow.kind == kind))
