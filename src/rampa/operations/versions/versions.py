"""Version codes: reserved for builds in their own transaction, entered as taken, looked up.

A line is an identifier on a storefront (on a platform, where the profile names no storefront). Whoever reserves holds its lock
until the transaction ends, so that any number of runs, on any number of processes, get different codes in order.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import and_, func, or_, select, text

from rampa.core.errors import Invalid, Refused
from rampa.core.profile.resolved import ResolvedProfile
from rampa.core.quantity import counted
from rampa.core.version.code import next_code
from rampa.core.version.forms import PLACE, code_for_architecture, packed_code
from rampa.db import ReservationRow, new_id
from rampa.operations.base import UnitOfWork


@dataclass(frozen=True)
class CodeLine:
    """Where codes rise. `storefront` empty: the platform is the line."""

    identifier: str
    platform: str
    storefront: str

    @property
    def place(self) -> str:
        return self.storefront or self.platform

    def holds(self) -> object:
        """Reservations of the line; those from before the profile named a storefront count, too."""
        ways = [ReservationRow.storefront == self.storefront] if self.storefront else []
        ways += [ReservationRow.platform == self.platform] if self.platform else []
        return and_(ReservationRow.identifier == self.identifier, or_(*ways))


@dataclass(frozen=True)
class WantedCode:
    """`commits` leads to the built commit; 0 where there is none."""

    version_name: str
    commits: int = 0


def line_of(profile: ResolvedProfile) -> CodeLine:
    return CodeLine(profile.settings.title.identifier, profile.platform.name, profile.settings.storefront)


def next_for(uow: UnitOfWork, profile: ResolvedProfile, wanted: WantedCode) -> int:
    """The code that a build would get now. Raises `Refused` or `Invalid` when it would get none, with what frees it."""
    line = line_of(profile)
    highest = highest_code(uow, profile)
    if profile.settings.version.per_architecture:
        return _with_digit(uow, line, profile, wanted, highest)
    limit = profile.code_limit
    if profile.settings.version.code == "counter":
        return next_code(highest, limit, profile.settings.version.first_code)
    code = _formed(profile, wanted, limit)
    if highest is not None and code <= highest:
        raise _not_above(uow, line, profile, wanted, code, highest)
    return code


def highest_code(uow: UnitOfWork, profile: ResolvedProfile) -> int | None:
    """That was ever given on the profile's line."""
    holds = line_of(profile).holds()
    return uow.session.scalar(select(func.max(ReservationRow.code)).where(holds))  # type: ignore[arg-type]


def _with_digit(
    uow: UnitOfWork, line: CodeLine, profile: ResolvedProfile, wanted: WantedCode, highest: int | None
) -> int:
    """Codes rise before the digit; packages of one version and several architectures share what is before it."""
    before = None if highest is None else highest // PLACE
    if profile.settings.version.code == "counter":
        base = next_code(before, profile.code_limit, profile.settings.version.first_code)
    else:
        base = _formed(profile, wanted, profile.code_limit)
    code = code_for_architecture(base, profile.settings.code.architectures[0], profile.platform.code_limit)
    taken = uow.session.scalar(select(ReservationRow.id).where(line.holds(), ReservationRow.code == code))  # type: ignore[arg-type]
    if taken is not None or (before is not None and base < before):
        raise _not_above(uow, line, profile, wanted, code, highest or 0)
    return code


def _formed(profile: ResolvedProfile, wanted: WantedCode, limit: int) -> int:
    if profile.settings.version.code == "packed":
        return packed_code(wanted.version_name, limit)
    if not wanted.commits:
        hint = 'Start a run of a commit, or set version.code = "counter".'
        raise Invalid("version.commits", "the version code is the count of commits, and there is no commit", hint=hint)
    if wanted.commits > limit:
        raise Refused("version.exhausted", f"{wanted.commits:,} commits are above this platform's limit of {limit:,}")
    return (
        max(wanted.commits, profile.settings.version.first_code)
        if wanted.commits >= profile.settings.version.first_code
        else _too_few(wanted, profile)
    )


def _too_few(wanted: WantedCode, profile: ResolvedProfile) -> int:
    hint = "Lower version.first_code, or count otherwise: version.code = counter."
    raise Refused(
        "version.first",
        f"{counted(wanted.commits, 'commit')} {'is' if wanted.commits == 1 else 'are'} below the first code "
        f"{profile.settings.version.first_code:,}",
        hint=hint,
    )


def _not_above(
    uow: UnitOfWork, line: CodeLine, profile: ResolvedProfile, wanted: WantedCode, code: int, highest: int
) -> Refused:
    row = uow.session.scalar(select(ReservationRow).where(line.holds(), ReservationRow.code == code))  # type: ignore[arg-type]
    top = uow.session.scalar(select(ReservationRow).where(line.holds(), ReservationRow.code == highest))  # type: ignore[arg-type]
    what = wanted.version_name if profile.settings.version.code == "packed" else f"{wanted.commits:,} commits"
    held = f"is held by {holder(row)}" if row else f"is below {highest:,}, which {holder(top)} has"
    fix = (
        "Raise the version name: rampa version bump."
        if profile.settings.version.code == "packed"
        else "Commit first, or build the newest commit."
    )
    return Refused("version.taken", f"{what} gives version code {code:,}, which {held}", where="version.name", hint=fix)


def holder(row: ReservationRow | None) -> str:
    if row is None:
        return "another build"
    return row.build.name if row.build else "the storefront"


def reserve(uow: UnitOfWork, profile: ResolvedProfile, wanted: WantedCode) -> ReservationRow:
    """Takes the next code in the caller's transaction; the build is set by the caller."""
    hold(uow, line_of(profile))
    return _taken(uow, profile, wanted.version_name, next_for(uow, profile, wanted))


def reserve_above(uow: UnitOfWork, profile: ResolvedProfile, version_name: str) -> ReservationRow:
    """The same above all codes of the line, however the profile forms them: for content that had a code before."""
    hold(uow, line_of(profile))
    highest = highest_code(uow, profile)
    if profile.settings.version.per_architecture:
        base = next_code(None if highest is None else highest // PLACE, profile.code_limit)
        code = code_for_architecture(base, profile.settings.code.architectures[0], profile.platform.code_limit)
    else:
        code = next_code(highest, profile.code_limit)
    return _taken(uow, profile, version_name, code)


def _taken(uow: UnitOfWork, profile: ResolvedProfile, version_name: str, code: int) -> ReservationRow:
    line = line_of(profile)
    row = ReservationRow(
        id=new_id(),
        identifier=line.identifier,
        platform=line.platform,
        storefront=line.storefront,
        code=code,
        version_name=version_name,
        origin="build",
        note="",
        created_by=uow.actor.name,
        created_at=uow.now,
    )
    uow.session.add(row)
    return row


def hold(uow: UnitOfWork, line: CodeLine) -> None:
    """One at a time an identifier: lines of one identifier can share codes."""
    uow.session.execute(text("select pg_advisory_xact_lock(hashtextextended(:line, 20))"), {"line": line.identifier})
