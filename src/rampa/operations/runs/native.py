"""Is a new native build needed? A commit against the newest build of the same profile."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.errors import RampaError
from rampa.core.profile.document import Document
from rampa.core.profile.resolution import Resolved
from rampa.core.run.native import GROUPS, SETTINGS, native_files
from rampa.db import BuildOriginRow, BuildRow, TitleRow, has_source, load_document
from rampa.operations.base import UnitOfWork
from rampa.operations.sources.repository import mirror_of
from rampa.schema.runs import NativePlan

SHOWN = 50


def native_plan(
    uow: UnitOfWork,
    title: TitleRow,
    document: Document,
    profile: Resolved,
    digest: str,
    files: Iterable[tuple[str, str]],
) -> NativePlan | None:
    """None where there is no build to compare with."""
    rows = select(BuildRow).where(BuildRow.title_id == title.id, BuildRow.profile == profile.name)
    rows = (
        rows.join(BuildOriginRow)
        .where(BuildOriginRow.native != "", BuildRow.state == BuildState.READY)
        .order_by(BuildRow.number.desc())
    )
    build = uow.session.scalar(rows.limit(1))
    if build is None:
        return None
    if build.made.native == digest:
        said = f"Only content changed since {build.name}: what testers have installed of its native part can stay."
        return NativePlan(needed=False, since=build.number, changed=[], said=said)
    changed = _changed_settings(uow, title, build, profile) + _changed_files(uow, title, build, profile, files)
    first = changed[0] if changed else "something that is not known any more"
    more = f" and {len(changed) - 1} more" if len(changed) > 1 else ""
    said = f"The native part changed since {build.name}: {first}{more}."
    return NativePlan(needed=True, since=build.number, changed=changed[:SHOWN], said=said)


def _changed_settings(uow: UnitOfWork, title: TitleRow, build: BuildRow, profile: Resolved) -> list[str]:
    before = load_document(uow.session, title, build.revision).profiles.get(build.profile)
    if before is None:
        return []
    keys = [k for k in profile.values if k in SETTINGS or k.startswith(GROUPS)]
    return [f"setting {k}" for k in keys if before.get(k) != profile.get(k)]


def _changed_files(
    uow: UnitOfWork,
    title: TitleRow,
    build: BuildRow,
    profile: Resolved,
    files: Iterable[tuple[str, str]],
) -> list[str]:
    row = has_source(uow.session, title)
    if row is None or not build.made.commit:
        return []
    try:
        before = [(path, blob) for path, blob, _, _ in mirror_of(uow.services, row).files(build.made.commit)]
    except RampaError:
        return []
    old, new = native_files(profile, before), native_files(profile, files)
    return sorted(path for path in {*old, *new} if old.get(path) != new.get(path))
