"""Titles."""

from __future__ import annotations

import re

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from sqlalchemy import select

from rampa.core.errors import Conflict
from rampa.core.placement.channels import FIRST_CHANNELS
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.document import Document, read_document
from rampa.core.profile.resolution import Resolved
from rampa.core.signing.seal import seal, unseal
from rampa.db import ChannelRow, TitleRow, find_title, load_document, newest_documents, queue
from rampa.operations.base import Actor, Once, Services, UnitOfWork, audit, begin, once
from rampa.operations.titles.documents import store_revision
from rampa.schema.titles import titles as wire


def import_title(services: Services, actor: Actor, asked: wire.DocumentIn, key: Once | None) -> wire.Title:
    """A new title from its document. Raises `DocumentInvalid` and, when the identifier is known, `Conflict`."""
    document = read_document(asked.document.encode())

    def make() -> wire.Title:
        name, identifier = document.title("title.name"), document.title("title.identifier")
        known = uow.session.scalar(select(TitleRow).where(TitleRow.identifier == identifier))
        if known:
            raise Conflict(
                "title.exists",
                f"the identifier {identifier} belongs to the title {known.slug}",
                hint=f"Import the document as a revision of {known.slug}.",
            )
        signer = Ed25519PrivateKey.generate()
        slug = _free_slug(uow, name)
        title = TitleRow(
            slug=slug,
            name=name,
            identifier=identifier,
            reports=services.random(16).hex(),
            manifest_public=signer.public_key().public_bytes_raw(),
            manifest_sealed=seal(
                signer.private_bytes_raw(), services.master_key, f"manifest:{identifier}", services.random
            ),
            created_at=services.now(),
        )
        uow.session.add(title)
        # Flushed for its id, which the channels name.
        uow.session.flush()
        for position, first in enumerate(FIRST_CHANNELS):
            uow.session.add(
                ChannelRow(
                    title_id=title.id,
                    name=first.name,
                    former=[],
                    position=position,
                    audience=first.audience,
                    reviewed=first.reviewed,
                    created_at=uow.now,
                )
            )
        store_revision(uow, title, document.text, asked.message or "Imported.", asked.commit)
        audit.record(uow, "title.import", slug, slug, identifier=title.identifier)
        return describe(title, document)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Title, make)


def list_titles(services: Services) -> list[wire.Title]:
    with begin(services) as uow:
        return [describe(title, document) for title, document in newest_documents(uow.session)]


def get_title(services: Services, slug: str) -> wire.Title:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        return describe(title, load_document(uow.session, title))


def need_sandbox(services: Services, actor: Actor, slug: str, asked: wire.SandboxIn) -> wire.Title:
    """Whether runs go only to agents with a sandbox. Runs that wait go by it from now on."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        if title.sandbox_needed != asked.needed:
            title.sandbox_needed = asked.needed
            audit.record(uow, "title.isolate" if asked.needed else "title.expose", slug, slug)
            queue.put(uow.session, "assign", queue.RUNS, lock="assign")
        return describe(title, load_document(uow.session, title))


def manifest_key(services: Services, title: TitleRow) -> Ed25519PrivateKey:
    raw = unseal(title.manifest_sealed, services.master_key, f"manifest:{title.identifier}")
    return Ed25519PrivateKey.from_private_bytes(raw)


def describe(title: TitleRow, document: Document) -> wire.Title:
    return wire.Title(
        slug=title.slug,
        name=title.name,
        identifier=title.identifier,
        revision=title.revision,
        version_name=document.title("version.name"),
        profiles=[_profile(p) for p in document.profiles.values()],
        depots=[d.name for d in document.depots],
        manifest_key=title.manifest_public.hex(),
        source=title.source,
        source_path=title.source_path,
        sandbox_needed=title.sandbox_needed,
        created_at=title.created_at,
    )


def _profile(profile: Resolved) -> wire.ProfileOut:
    return wire.ProfileOut(
        name=profile.name,
        platform=profile.settings.platform,
        platform_title=PLATFORMS[profile.settings.platform].title,
        purpose=profile.settings.purpose,
        architectures=list(profile.settings.code.architectures),
        identity=profile.settings.signing.identity,
        launch=profile.settings.launch.entry,
    )


def _free_slug(uow: UnitOfWork, name: str) -> str:
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "title"
    slug, number = base, 2
    while uow.session.scalar(select(TitleRow.id).where(TitleRow.slug == slug)):
        slug, number = f"{base}-{number}", number + 1
    return slug
