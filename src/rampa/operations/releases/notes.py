"""Notes of a release for players and for testers, per language. Commits give a draft; what counts is what a person writes."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.errors import Conflict
from rampa.core.placement.life import LIVE
from rampa.db import BuildRow, PlacementRow, ReleaseNoteRow, ReleaseRow, SourceRow, find_channel, find_release
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.releases.releases import describe
from rampa.operations.sources.repository import mirror_of
from rampa.schema import releases as wire

SHOWN = 100


def draft(services: Services, actor: Actor, slug: str, number: int, name: str) -> wire.NotesDraft:
    """Subjects of the commits between what is live on a channel and this release, newest first."""
    with begin(services, actor) as uow:
        release = find_release(uow.session, slug, number)
        built = next((r.build for r in release.builds if r.build.made.commit), None)
        live = _live(uow, release, name)
        source = uow.session.scalar(select(SourceRow).where(SourceRow.title_id == release.title_id))
    since = live.made.commit if live else ""
    if built is None or source is None or (live is not None and not since):
        return wire.NotesDraft(since=live.name if live else "", subjects=[], left=0)
    mirror = mirror_of(services, source)
    found = mirror.log(built.made.commit, 0, SHOWN + 1, since) if mirror.has(built.made.commit) else []
    left = max(0, len(mirror.log(built.made.commit, SHOWN, 10_000, since))) if len(found) > SHOWN else 0
    return wire.NotesDraft(since=live.name if live else "", subjects=[c.subject for c in found[:SHOWN]], left=left)


def write(
    services: Services, actor: Actor, slug: str, number: int, asked: wire.ReleaseNote, expected: int | None
) -> tuple[wire.Release, int]:
    """In place of what was there for these readers in this language; empty takes it away. `expected`: the notes' version."""
    must(actor, Act.MAKE_RELEASE)
    with begin(services, actor) as uow:
        release = find_release(uow.session, slug, number, lock=True)
        if expected is not None and expected != release.notes_version:
            hint = "Load them again, then write."
            raise Conflict("notes.moved", f"the notes of {release.name} were changed meanwhile", hint=hint)
        others = [n for n in release.notes if (n.audience, n.language) != (asked.audience, asked.language)]
        release.notes = others
        uow.session.flush()
        if asked.text.strip():
            release.notes.append(
                ReleaseNoteRow(
                    audience=asked.audience,
                    language=asked.language,
                    text=asked.text.strip(),
                    by=actor.name,
                    at=uow.now,
                )
            )
        release.notes_version += 1
        audit.record(uow, "release.note", release.name, slug, audience=asked.audience, language=asked.language)
        uow.session.flush()
        return describe(uow, release), release.notes_version


def notes_version(services: Services, slug: str, number: int) -> int:
    with begin(services) as uow:
        return find_release(uow.session, slug, number).notes_version


def _live(uow: UnitOfWork, release: ReleaseRow, name: str) -> BuildRow | None:
    """The newest build on the channel that is not of this release."""
    channel = find_channel(uow.session, release.title.slug, name)
    rows = (
        select(PlacementRow)
        .where(PlacementRow.channel_id == channel.id, PlacementRow.state.in_(LIVE))
        .where(PlacementRow.build_id.not_in([r.build_id for r in release.builds]))
    )
    placement = uow.session.scalar(rows.order_by(PlacementRow.number.desc()).limit(1))
    return placement.build if placement else None
