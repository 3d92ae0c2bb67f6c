"""A title's repository: connecting it, fetching it, keeping an owned document as new as it."""

from __future__ import annotations

import json
from pathlib import Path, PurePosixPath

from sqlalchemy import select

from rampa.core.errors import Invalid, NotFound, RampaError
from rampa.core.listing.layout import FOLDER
from rampa.core.profile.problems import DocumentInvalid
from rampa.core.signing.seal import seal, unseal
from rampa.core.testers.checklist import FILE_NAME
from rampa.db import SourceRow, TitleRow, find_revision, find_source, find_title, parsed_document, queue
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin, service_actor
from rampa.operations.listings import from_folder
from rampa.operations.titles import checklists
from rampa.operations.titles.documents import store_revision
from rampa.schema import sources as wire
from rampa.store.git import Credential
from rampa.store.mirror import Mirror, Ref

MODULES = "modules"


def connect_source(services: Services, actor: Actor, slug: str, asked: wire.SourceIn) -> wire.SourceOut:
    """Remembers the repository and puts a fetch into the queue. Connecting again replaces address and credential."""
    services.reach.check(asked.address)
    if asked.password and asked.key:
        raise Invalid("source.credential", "give a password or a key, not both", where="password")
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        row = uow.session.scalar(select(SourceRow).where(SourceRow.title_id == title.id))
        if row is None:
            row = SourceRow(title=title, title_id=title.id, created_at=services.now(), heads={}, defaults=[])
            uow.session.add(row)
        row.address, row.user, row.error = asked.address, asked.user, ""
        row.submodules, row.every = asked.submodules, asked.every
        row.credential = "password" if asked.password else "key" if asked.key else ""
        uow.session.flush()
        # Sealed under the row's id, which a new row has only now.
        secret = json.dumps({"password": asked.password, "key": asked.key}).encode()
        row.sealed = seal(secret, services.master_key, f"source:{row.id}", services.random) if row.credential else None
        audit.record(uow, "source.connect", asked.address[:200], slug, credential=row.credential)
        queue.put(uow.session, "fetch_source", queue.SOURCES, lock=f"fetch:{row.id}", title=slug)
        return describe(services, row)


def ask_fetch(services: Services, actor: Actor, slug: str) -> wire.SourceOut:
    """Puts a fetch into the queue; `tried_at` moves on when it was done."""
    with begin(services, actor) as uow:
        row = find_source(uow.session, slug)
        queue.put(uow.session, "fetch_source", queue.SOURCES, lock=f"fetch:{row.id}", title=slug)
        return describe(services, row)


def fetch(services: Services, slug: str) -> bool:
    """Fetches now. False when it failed; the source says why. Takes as long as git does, outside any transaction."""
    with begin(services) as uow:
        row = find_source(uow.session, slug)
        address, credential = row.address, credential_of(services, row)
    error = ""
    try:
        mirror_of(services, row).fetch(address, credential, services.reach)
        error = _follow_document(services, slug)
    except RampaError as failed:
        error = failed.message
    with begin(services) as uow:
        row = find_source(uow.session, slug)
        row.tried_at, row.error = services.now(), error[:1000]
        # Only a fetch that brought everything counts: what a broken one left is looked at by nobody.
        if not error:
            row.fetched_at = row.tried_at
        queue.tell(uow.session, f"title/{slug}")
    return not error


def _follow_document(services: Services, slug: str) -> str:
    """Where the repository owns the profile document, its newest text becomes a revision; what is wrong with it is said."""
    with begin(services) as uow:
        title = find_title(uow.session, slug, lock=True)
        if not title.source:
            return ""
        mirror = mirror_of(services, find_source(uow.session, slug))
        commit, _ = mirror.resolve(mirror.branch())
        path = title.source_path or "rampa.toml"
        followed = (_follow_checklists, _follow_listing)
        said = "; ".join(filter(None, [follow(uow, mirror, title, commit, path) for follow in followed]))
        try:
            text = mirror.read(commit, path).decode("utf-8", "replace")
            if text == find_revision(uow.session, title).text:
                return said
            parsed_document(text)
        except NotFound:
            return f"the repository owns the profile document, and {path} is not in it"
        except DocumentInvalid as error:
            return f"{path} at {commit[:10]} is no profile document: {error.message}"[:900]
        store_revision(uow.by(service_actor("the repository")), title, text, f"{path} at {commit[:10]}", commit)
        return said


def _follow_checklists(uow: UnitOfWork, mirror: Mirror, title: TitleRow, commit: str, document: str) -> str:
    """The file of checklists that lies beside the document; a repository need not have one."""
    beside = str(PurePosixPath(document).with_name(FILE_NAME))
    try:
        text = mirror.read(commit, beside).decode("utf-8", "replace")
    except NotFound:
        return ""
    return checklists.follow(uow.by(service_actor("the repository")), title, text, commit)


def _follow_listing(uow: UnitOfWork, mirror: Mirror, title: TitleRow, commit: str, document: str) -> str:
    """The folder of the listing that lies beside the document; a repository need not have one."""
    beside = f"{PurePosixPath(document).with_name(FOLDER)}/"
    paths = [path for path, _, _, mode in mirror.files(commit) if path.startswith(beside) and mode != "160000"]
    if not paths:
        return ""
    return from_folder.follow(
        uow.by(service_actor("the repository")), title, commit, {p.removeprefix(beside): p for p in paths}, mirror.read
    )


def get_source(services: Services, slug: str) -> wire.SourceOut:
    with begin(services) as uow:
        return describe(services, find_source(uow.session, slug))


def set_defaults(services: Services, actor: Actor, slug: str, asked: wire.DefaultsIn) -> wire.SourceOut:
    with begin(services, actor) as uow:
        row = find_source(uow.session, slug)
        row.defaults = list(asked.defaults)
        audit.record(uow, "source.defaults", row.address[:200], slug, count=len(asked.defaults))
        return describe(services, row)


def mirror_of(services: Services, row: SourceRow) -> Mirror:
    return Mirror(_folder(services) / f"{row.id}.git")


def module_mirror(services: Services, row: SourceRow, number: int) -> Mirror:
    return Mirror(_folder(services) / f"{row.id}.{MODULES}" / f"{number}.git")


def _folder(services: Services) -> Path:
    return services.store.mirrors


def credential_of(services: Services, row: SourceRow) -> Credential:
    """Lives in memory for one fetch."""
    if row.sealed is None:
        return Credential(row.user)
    secret = json.loads(unseal(row.sealed, services.master_key, f"source:{row.id}"))
    return Credential(row.user, secret["password"], secret["key"])


def describe(services: Services, row: SourceRow) -> wire.SourceOut:
    refs: list[Ref] = []
    branch = ""
    mirror = mirror_of(services, row)
    if mirror.there:
        try:
            refs, branch = mirror.refs(), mirror.branch()
        except RampaError:
            pass  # a mirror that is being made; the source's own fields say how that stands
    return wire.SourceOut(
        title=row.title.slug,
        address=row.address,
        user=row.user,
        credential=row.credential,
        submodules=row.submodules,
        every=row.every,
        fetched_at=row.fetched_at,
        tried_at=row.tried_at,
        error=row.error,
        branch=branch,
        branches=sum(r.kind == "branch" for r in refs),
        tags=sum(r.kind == "tag" for r in refs),
        defaults=list(row.defaults),
    )
