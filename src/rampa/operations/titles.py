"""Titles and the revisions of their profile documents."""

from __future__ import annotations

import re

from blake3 import blake3
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.profile.document import Document, read_document
from rampa.core.profile.platforms import PLATFORMS
from rampa.core.release.ramp import CHANNELS
from rampa.core.signing.sealing import seal, unseal
from rampa.db.channels import Channel
from rampa.db.titles import Revision, Title
from rampa.operations import audit
from rampa.operations.context import Actor, Services
from rampa.operations.idempotency import Once, once
from rampa.schema import titles as wire


def import_title(services: Services, actor: Actor, asked: wire.DocumentIn, key: Once | None) -> wire.Title:
    """A new title from its document. Raises `DocumentInvalid` and, when the identifier is known, `Conflict`."""
    document = read_document(asked.document.encode())

    def make() -> wire.Title:
        own = document.values["title"]
        known = session.scalar(select(Title).where(Title.identifier == own["identifier"]))
        if known:
            raise Conflict(
                "title.exists",
                f"the identifier {own['identifier']} belongs to the title {known.slug}",
                hint=f"Import the document as a revision of {known.slug}.",
            )
        signer = Ed25519PrivateKey.generate()
        slug = _free_slug(session, own["name"])
        title = Title(
            slug=slug,
            name=own["name"],
            identifier=own["identifier"],
            manifest_public=signer.public_key().public_bytes_raw(),
            manifest_sealed=seal(signer.private_bytes_raw(), services.master_key, f"manifest:{own['identifier']}"),
            created_at=services.now(),
        )
        session.add(title)
        session.flush()
        for station in CHANNELS:
            session.add(Channel(title_id=title.id, name=station.name, created_at=services.now()))
        _add_revision(session, services, actor, title, document, asked.message or "Imported.")
        audit.record(session, services, actor, "title.import", slug, slug, identifier=title.identifier)
        return describe(title, document)

    with services.db.transaction() as session:
        return once(session, services, actor, key, wire.Title, make)


def add_revision(
    services: Services, actor: Actor, slug: str, asked: wire.DocumentIn, expected: int | None, key: Once | None
) -> wire.Title:
    """A new revision; the same text again changes nothing. `expected` is the revision that the caller saw."""
    document = read_document(asked.document.encode())

    def make() -> wire.Title:
        title = find_title(session, slug, lock=True)
        if expected is not None and expected != title.revision:
            raise Conflict(
                "revision.moved",
                f"the document of {slug} is at revision {title.revision} now, not {expected}",
                hint="Look at what changed, then import again.",
            )
        if document.values["title"]["identifier"] != title.identifier:
            raise Invalid(
                "title.identifier",
                f"the document is for {document.values['title']['identifier']}, and {slug} is {title.identifier}",
                hint="An identifier never changes: storefronts know the title by it.",
            )
        if newest_text(session, title) != document.text:
            title.name = document.values["title"]["name"]
            _add_revision(session, services, actor, title, document, asked.message)
            audit.record(session, services, actor, "revision.add", f"{slug} revision {title.revision}", slug)
        return describe(title, document)

    with services.db.transaction() as session:
        return once(session, services, actor, key, wire.Title, make)


def list_titles(services: Services) -> list[wire.Title]:
    with services.db.transaction() as session:
        titles = list(session.scalars(select(Title).order_by(Title.name)))
        return [describe(t, load_document(session, t)) for t in titles]


def get_title(services: Services, slug: str) -> wire.Title:
    with services.db.transaction() as session:
        title = find_title(session, slug)
        return describe(title, load_document(session, title))


def list_revisions(services: Services, slug: str) -> list[wire.Revision]:
    """Newest first."""
    with services.db.transaction() as session:
        title = find_title(session, slug)
        rows = session.scalars(select(Revision).where(Revision.title_id == title.id).order_by(Revision.number.desc()))
        return [wire.Revision(**_revision(r)) for r in rows]


def get_revision(services: Services, slug: str, number: int) -> wire.RevisionText:
    with services.db.transaction() as session:
        row = _find_revision(session, find_title(session, slug), number)
        return wire.RevisionText(**_revision(row), document=row.text)


def find_title(session: Session, slug: str, *, lock: bool = False) -> Title:
    rows = select(Title).where(Title.slug == slug)
    title = session.scalar(rows.with_for_update() if lock else rows)
    if title is None:
        known = ", ".join(session.scalars(select(Title.slug).order_by(Title.slug).limit(10)))
        hint = f"There is: {known}." if known else "Import one: `rampa title import FOLDER`."
        raise NotFound("title.unknown", f"there is no title {slug!r}", where="title", hint=hint)
    return title


def load_document(session: Session, title: Title, number: int | None = None) -> Document:
    row = _find_revision(session, title, title.revision if number is None else number)
    return read_document(row.text.encode())


def newest_text(session: Session, title: Title) -> str:
    return _find_revision(session, title, title.revision).text


def manifest_key(services: Services, title: Title) -> Ed25519PrivateKey:
    raw = unseal(title.manifest_sealed, services.master_key, f"manifest:{title.identifier}")
    return Ed25519PrivateKey.from_private_bytes(raw)


def describe(title: Title, document: Document) -> wire.Title:
    values = document.values
    return wire.Title(
        slug=title.slug,
        name=title.name,
        identifier=title.identifier,
        revision=title.revision,
        version_name=values["version"]["name"],
        profiles=[
            wire.ProfileOut(
                name=name,
                platform=p["platform"],
                platform_title=PLATFORMS[p["platform"]].title,
                purpose=p["purpose"],
                architectures=p["architectures"],
                identity=p.get("identity", ""),
                launch=p["launch"],
            )
            for name, p in values["profiles"].items()
        ],
        depots=list(values["depots"]),
        manifest_key=title.manifest_public.hex(),
        created_at=title.created_at,
    )


def _free_slug(session: Session, name: str) -> str:
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "title"
    slug, number = base, 2
    while session.scalar(select(Title.id).where(Title.slug == slug)):
        slug, number = f"{base}-{number}", number + 1
    return slug


def _add_revision(
    session: Session, services: Services, actor: Actor, title: Title, document: Document, message: str
) -> None:
    title.revision += 1
    session.add(
        Revision(
            title_id=title.id,
            number=title.revision,
            text=document.text,
            digest=blake3(document.text.encode()).digest(),
            message=message,
            created_by=actor.name,
            created_at=services.now(),
        )
    )
    session.flush()


def _find_revision(session: Session, title: Title, number: int) -> Revision:
    row = session.scalar(select(Revision).where(Revision.title_id == title.id, Revision.number == number))
    if row is None:
        raise NotFound(
            "revision.unknown", f"{title.slug} has no revision {number}", hint=f"The newest is {title.revision}."
        )
    return row


def _revision(row: Revision) -> dict[str, object]:
    return {
        "number": row.number,
        "message": row.message,
        "created_at": row.created_at,
        "created_by": row.created_by,
        "digest": row.digest.hex(),
    }
