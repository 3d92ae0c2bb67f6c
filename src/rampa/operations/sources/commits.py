"""Branches, tags and commits of a title's repository, with what was built from each; submodules; proposing a document."""

from __future__ import annotations

import posixpath
import re
import tempfile
from collections.abc import Iterable, Mapping
from pathlib import Path

from sqlalchemy import select

from rampa.core.errors import Invalid, NotFound, Unavailable
from rampa.core.profile.file_probe import HEAD, Seen
from rampa.core.profile.proposal import propose
from rampa.core.profile.values import FILE_NAME
from rampa.core.run.module_address import module_address
from rampa.core.run.triggers import matching
from rampa.db import RunOrderRow, RunRow, SourceRow, find_source
from rampa.operations.base import Services, begin, cursor_numbers
from rampa.operations.base.pages import encode_cursor
from rampa.operations.sources.repository import credential_of, mirror_of, module_mirror
from rampa.schema import sources as wire
from rampa.schema.common import Page
from rampa.store.git import Credential
from rampa.store.mirror import Commit, Mirror

LOOKED_AT = 3000
"""Files whose first bytes are read for a proposal."""
TELLING = re.compile(r"(?i)\.(exe|dll|so|dylib|png|ico|bmp)$|(^|/)[^./]+$")


def open_mirror(services: Services, slug: str) -> tuple[SourceRow, Mirror]:
    with begin(services) as uow:
        row = find_source(uow.session, slug)
    return row, mirror_of(services, row)


def list_refs(services: Services, slug: str, query: wire.RefQuery) -> Page[wire.RefOut]:
    """Newest commit first."""
    row, mirror = open_mirror(services, slug)
    found = [r for r in mirror.refs() if r.kind == query.kind and (query.search or "").lower() in r.name.lower()]
    at = cursor_numbers(query.cursor, 1)[0] if query.cursor else 0
    shown = found[at : at + query.limit]
    built = _built(services, row, [r.commit.commit for r in shown])
    items = []
    for r in shown:
        profiles, step_variables = defaults_for(row, r.name) if r.kind == "branch" else ([], "")
        facts = commit_out(r.commit, built).model_dump()
        items.append(wire.RefOut(name=r.name, kind=r.kind, profiles=profiles, step_variables=step_variables, **facts))
    more = at + query.limit < len(found)
    return Page[wire.RefOut](items=items, next=encode_cursor(str(at + query.limit)) if more else None)


def list_commits(services: Services, slug: str, query: wire.CommitQuery) -> Page[wire.CommitOut]:
    row, mirror = open_mirror(services, slug)
    commit, _ = mirror.resolve(query.of or mirror.branch())
    at = cursor_numbers(query.cursor, 1)[0] if query.cursor else 0
    found = mirror.log(commit, at, query.limit + 1)
    built = _built(services, row, [c.commit for c in found])
    more = len(found) > query.limit
    items = [commit_out(c, built) for c in found[: query.limit]]
    return Page[wire.CommitOut](items=items, next=encode_cursor(str(at + query.limit)) if more else None)


def matches(services: Services, slug: str, query: wire.MatchQuery) -> wire.MatchesOut:
    """What a pattern would match today, for whoever is about to save it."""
    _, mirror = open_mirror(services, slug)
    names = sorted(r.name for r in mirror.refs() if r.kind == query.kind)
    matched = matching(query.pattern, names)
    return wire.MatchesOut(matched=matched, others=[n for n in names if n not in matched])


def defaults_for(row: SourceRow, branch: str) -> tuple[list[str], str]:
    """(profiles, step variables) of a branch by the first default that matches; empty where none does."""
    for default in row.defaults:
        if matching(default.pattern, [branch]):
            return list(default.profiles), default.step_variables
    return [], ""


def proposal(services: Services, slug: str, of: str) -> wire.SeenDocument:
    """The document that stands in the tree, or one proposed from what the tree holds."""
    row, mirror = open_mirror(services, slug)
    return _seen(mirror, posixpath.basename(row.address.rstrip("/").removesuffix(".git")) or slug, of)


def _seen(mirror: Mirror, name: str, of: str) -> wire.SeenDocument:
    commit, _ = mirror.resolve(of or mirror.branch())
    try:
        text = mirror.read(commit, FILE_NAME).decode("utf-8", "replace")
        return wire.SeenDocument(commit=commit, document=text, found=True, seen=[])
    except NotFound:
        pass
    made = propose(name, seen_in(mirror, commit))
    reasons = [f"{line}: {why}" for line, why in made.reasons]
    return wire.SeenDocument(commit=commit, document=made.text, found=False, seen=reasons)


def look_at(services: Services, asked: wire.TryIn) -> wire.SeenDocument:
    """Fetches a repository that no title has into a folder that is gone afterwards, and proposes a document."""
    source = asked.source
    with tempfile.TemporaryDirectory(prefix="rampa-look-") as scratch:
        mirror = Mirror(Path(scratch) / "look.git")
        try:
            mirror.fetch(source.address, Credential(source.user, source.password, source.key), services.reach)
        except Unavailable as error:
            hint = "Look at the address and the credential, then ask again."
            raise Invalid("source.unreachable", error.message, where="address", hint=hint) from error
        name = posixpath.basename(source.address.rstrip("/").removesuffix(".git")) or "title"
        return _seen(mirror, name, asked.of)


def seen_in(mirror: Mirror, commit: str) -> list[Seen]:
    files = [f for f in mirror.files(commit) if f[3] != "160000"]
    # Beside what is executable, only names that a program, a library or a picture could have: a head is read from
    # each.
    telling = [f for f in files if f[3] == "100755" or TELLING.search(f[0])][:LOOKED_AT]
    heads = mirror.heads([blob for _, blob, _, _ in telling], HEAD)
    return [Seen(path, size, heads.get(blob, b""), mode == "100755") for path, blob, size, mode in files]


def modules(services: Services, slug: str, commit: str) -> wire.ModuleList:
    """The submodules of a commit, each mirrored first, so that an agent needs no credential of its own."""
    row, mirror = open_mirror(services, slug)
    out = []
    for number, (path, address, pinned) in enumerate(mirror.modules(commit)):
        nested = module_mirror(services, row, number)
        if not nested.there or not nested.has(pinned):
            found = module_address(row.address, address)
            # Its own origin alone gets the title's password: a submodule may lie with anybody.
            credential = credential_of(services, row) if found.same else Credential()
            nested.fetch(found.address, credential, services.reach)
        if not nested.has(pinned):
            raise NotFound("source.module", f"the submodule has no commit {pinned[:10]}", where=path)
        out.append(wire.ModuleOut(path=path, commit=pinned, at=f"/api/v1/titles/{slug}/source/git/module-{number}.git"))
    return wire.ModuleList(modules=out)


def commit_out(commit: Commit, built: Mapping[str, list[wire.BuiltFrom]] | None = None) -> wire.CommitOut:
    return wire.CommitOut(
        commit=commit.commit,
        subject=commit.subject[:300],
        author=commit.author[:100],
        at=commit.at,
        built=(built or {}).get(commit.commit, []),
    )


def _built(services: Services, row: SourceRow, commits: Iterable[str]) -> dict[str, list[wire.BuiltFrom]]:
    with begin(services) as uow:
        runs = uow.session.scalars(
            select(RunRow)
            .join(RunOrderRow)
            .where(RunRow.title_id == row.title_id, RunOrderRow.commit.in_(list(commits)))
            .order_by(RunRow.number)
        )
        out: dict[str, list[wire.BuiltFrom]] = {}
        for run in runs:
            number = run.build.number if run.build else 0
            seen = wire.BuiltFrom(run=run.number, build=number, profile=run.profile, state=run.state)
            out.setdefault(run.order.commit, []).append(seen)
    return out
