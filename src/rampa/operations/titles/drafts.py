"""Drafts of profile documents: kept per person, reviewed before they become a revision, merged when somebody was faster."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy import delete, select

from rampa.core.build.life import BuildState
from rampa.core.check.profile import check_document
from rampa.core.check.profile_findings import ProfileFinding
from rampa.core.errors import Conflict, Invalid
from rampa.core.profile.comparison import changed_profiles
from rampa.core.profile.document import MAX_BYTES, Document
from rampa.core.profile.text_changes import difference, merge
from rampa.db import (
    BuildRow,
    DraftRow,
    PersonRow,
    RevisionRow,
    TitleRow,
    find_revision,
    find_title,
    identity_names,
    live_channels,
    load_document,
)
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.titles.documents import read_or_problems
from rampa.schema.profiles import profiles as wire
from rampa.schema.profiles.of_core import difference_out, finding_out
from rampa.schema.titles import drafts as drafts_wire

BUILDS_SHOWN = 3


def get_drafts(services: Services, actor: Actor, slug: str) -> drafts_wire.DraftsOut:
    """The newest revision, the asker's draft, and who else has one."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        rows = uow.session.execute(
            select(DraftRow, PersonRow.name)
            .join(PersonRow, PersonRow.id == DraftRow.person_id)
            .where(DraftRow.title_id == title.id)
            .order_by(DraftRow.saved_at.desc())
        ).all()
        mine = next((draft for draft, _ in rows if draft.person_id == actor.principal), None)
        return drafts_wire.DraftsOut(
            title=slug,
            revision=title.revision,
            document=find_revision(uow.session, title).text,
            draft=_draft_out(mine, title) if mine else None,
            others=[
                drafts_wire.OtherDraft(person=name, base=draft.base, saved_at=draft.saved_at)
                for draft, name in rows
                if draft.person_id != actor.principal
            ],
            source=title.source,
            source_path=title.source_path,
        )


def save_draft(
    services: Services, actor: Actor, slug: str, asked: drafts_wire.DraftIn, expected: int | None
) -> drafts_wire.DraftOut:
    """`expected` is the draft's version that the caller saw, 0 for none: two windows do not overwrite each other."""
    _must_fit(asked.document)
    with begin(services, actor) as uow:
        # Locked by the title, not by the draft: the first save of two windows has no row yet to be locked.
        title = find_title(uow.session, slug, lock=True)
        find_revision(uow.session, title, asked.base)
        draft = _own_draft(uow, title, actor)
        if expected is not None and expected != (draft.version if draft else 0):
            hint = "Load it again; what you typed here is still on the page."
            raise Conflict("draft.moved", "your draft was changed in another window", hint=hint)
        if draft is None:
            draft = DraftRow(title_id=title.id, person_id=actor.principal, version=0, created_at=services.now())
            uow.session.add(draft)
        draft.base, draft.text = asked.base, asked.document
        draft.version += 1
        draft.saved_at = services.now()
        uow.session.flush()
        return _draft_out(draft, title)


def drop_draft(services: Services, actor: Actor, slug: str) -> None:
    """Doing it twice is no error."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        uow.session.execute(
            delete(DraftRow).where(DraftRow.title_id == title.id, DraftRow.person_id == actor.principal)
        )


def review(services: Services, slug: str, asked: drafts_wire.DraftIn) -> drafts_wire.ReviewOut:
    """What the text would change against the newest revision; when that is not its base, both changes together."""
    _must_fit(asked.document)
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        newest = find_revision(uow.session, title)
        base = find_revision(uow.session, title, asked.base)
        before = load_document(uow.session, title)
        meanwhile = _meanwhile(base, newest, asked.document) if asked.base != title.revision else None
        after, problems = read_or_problems(asked.document)
        added, removed = _findings_changed(before, after, identity_names(uow.session)) if after else ([], [])
        return drafts_wire.ReviewOut(
            base=asked.base,
            revision=title.revision,
            same=asked.document == newest.text,
            difference=difference(newest.text, asked.document, f"revision {title.revision}", "draft"),
            problems=problems,
            profiles=profiles_changed(before, after, lambda name: _builds(uow, title, name)) if after else [],
            findings_added=added,
            findings_removed=removed,
            meanwhile=meanwhile,
        )


def _must_fit(text: str) -> None:
    if len(text) > MAX_BYTES:
        raise Invalid(
            "document.too-large", f"a profile document has at most {MAX_BYTES / 1e6:.1f} MB", where="document"
        )


def _own_draft(uow: UnitOfWork, title: TitleRow, actor: Actor) -> DraftRow | None:
    return uow.session.scalar(
        select(DraftRow).where(DraftRow.title_id == title.id, DraftRow.person_id == actor.principal)
    )


def _draft_out(draft: DraftRow, title: TitleRow) -> drafts_wire.DraftOut:
    return drafts_wire.DraftOut(
        base=draft.base,
        document=draft.text,
        version=draft.version,
        saved_at=draft.saved_at,
        moved=draft.base != title.revision,
    )


def _meanwhile(base: RevisionRow, newest: RevisionRow, text: str) -> drafts_wire.MergedOut:
    merged = merge(base.text, newest.text, text)
    return drafts_wire.MergedOut(
        base=base.number,
        revision=newest.number,
        by=newest.created_by,
        message=newest.message,
        theirs=difference(base.text, newest.text, f"revision {base.number}", f"revision {newest.number}"),
        mine=difference(base.text, text, f"revision {base.number}", "draft"),
        document=merged.text,
        clashes=list(merged.clashes),
    )


def profiles_changed(
    before: Document, after: Document, builds: Callable[[str], list[drafts_wire.AffectedBuild]]
) -> list[drafts_wire.ChangedProfile]:
    """Profiles that differ, are new or are gone; `builds` gives a profile's builds."""
    changed = changed_profiles(before.profiles, after.profiles)
    new = [name for name in after.profiles if name not in before.profiles]
    gone = [name for name in before.profiles if name not in after.profiles]
    states = {n: "changed" for n in changed} | {n: "new" for n in new} | {n: "gone" for n in gone}
    return [
        drafts_wire.ChangedProfile(
            name=name,
            state=state,
            differences=[difference_out(d) for d in changed.get(name, [])],
            builds=builds(name),
        )
        for name, state in states.items()
    ]


def _builds(uow: UnitOfWork, title: TitleRow, profile: str) -> list[drafts_wire.AffectedBuild]:
    """The profile's newest builds: they stay as they are; the next one will be otherwise."""
    rows = select(BuildRow).where(
        BuildRow.title_id == title.id, BuildRow.profile == profile, BuildRow.state == BuildState.READY
    )
    builds = list(uow.session.scalars(rows.order_by(BuildRow.number.desc()).limit(BUILDS_SHOWN)))
    live = live_channels(uow.session, builds)
    return [
        drafts_wire.AffectedBuild(
            number=b.number,
            name=b.name,
            version_name=b.version_name,
            revision=b.revision,
            live_on=live.get(b.number, []),
        )
        for b in builds
    ]


def _findings_changed(
    before: Document, after: Document, identities: frozenset[str]
) -> tuple[list[wire.ProfileFindingOut], list[wire.ProfileFindingOut]]:
    """(findings that only the later document has, those that only the earlier one has)."""
    old, new = check_document(before, identities), check_document(after, identities)
    return _without(new, old), _without(old, new)


def _without(here: list[ProfileFinding], there: list[ProfileFinding]) -> list[wire.ProfileFindingOut]:
    known = {_identity(f) for f in there}
    return [finding_out(f) for f in here if _identity(f) not in known]


def _identity(finding: ProfileFinding) -> tuple[str, str, str]:
    return finding.name, finding.severity, finding.message
