"""Where a build may go: its storefront's account here, and what that storefront knows of the title when it is asked."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from sqlalchemy import select

from rampa.core.errors import Denied, Invalid, NotFound, RampaError, Refused, Unavailable
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.profile.resolved import ResolvedProfile
from rampa.core.submission.account import USABLE
from rampa.core.submission.asks import ELSEWHERE, STOREFRONT_ASKS, StorefrontAsks
from rampa.core.transitions import words
from rampa.db import BuildRow, StorefrontRow, SubmissionRow, find_build, find_release
from rampa.operations.base import Services, UnitOfWork
from rampa.operations.channels.obstacles import profile_of_build
from rampa.operations.storefronts.connection import storefront_of
from rampa.schema import storefronts as protocol

AT_ONCE = 6
"""Storefronts that are asked side by side."""


@dataclass(frozen=True)
class Place:
    """A build and a storefront by its short name here; `account` None where nobody connected it.

    `table`: the storefront in Rampa's tables whose rules hold; empty where no table has it.
    """

    build: BuildRow
    profile: ResolvedProfile
    storefront: str
    account: StorefrontRow | None
    about: protocol.About | None
    table: str

    @property
    def title(self) -> str:
        if self.account is not None:
            return self.account.title
        return STOREFRONTS[self.storefront].title if self.storefront in STOREFRONTS else self.storefront

    @property
    def identifier(self) -> str:
        return self.profile.settings.title.identifier

    @property
    def asks(self) -> StorefrontAsks:
        return STOREFRONT_ASKS.get(self.table, ELSEWHERE)

    @property
    def abilities(self) -> list[protocol.Ability]:
        return self.about.abilities if self.about else []


@dataclass(frozen=True)
class Known:
    """What the storefront says. `problem` where it says nothing, or no; `title` None where it has never heard of it."""

    account: protocol.AccountAt | None = None
    title: protocol.TitleAt | None = None
    problem: RampaError | None = None


def find_places(
    uow: UnitOfWork,
    slug: str,
    build: int | None,
    release: int | None,
    to: Iterable[str],
    *,
    may_be_none: bool = False,
) -> list[Place]:
    """Raises `Invalid` for neither or both of a build and a release, and for a build that has no storefront."""
    if (build is None) == (release is None):
        raise Invalid("submission.what", "a build or a release is submitted", where="build", hint="Name one of them.")
    if build is not None:
        builds = [find_build(uow.session, slug, build)]
    else:
        builds = [row.build for row in find_release(uow.session, slug, release or 0).builds]
    accounts = {row.name: row for row in uow.session.scalars(select(StorefrontRow))}
    asked = list(dict.fromkeys(to))
    found = [place for b in builds for place in _of(uow, accounts, b, asked)]
    if not found and not may_be_none:
        hint = "Name one: --to. Or say it in the profile: storefront = …"
        raise Invalid("submission.nowhere", "no storefront is named, and the profile names none", where="to", hint=hint)
    return found


def _of(uow: UnitOfWork, accounts: dict[str, StorefrontRow], build: BuildRow, asked: list[str]) -> list[Place]:
    profile = profile_of_build(uow, build)
    own = profile.settings.storefront
    names = asked or ([own] if own else [])
    found = []
    for name in names:
        account = accounts.get(name)
        about = protocol.About.model_validate(account.about) if account else None
        # A release goes to several storefronts: each takes the platforms that it knows.
        if asked and about is not None and build.platform not in about.platforms and len(asked) > 1:
            continue
        table = about.name if about and about.name in STOREFRONTS else name if name in STOREFRONTS else own
        found.append(Place(build, profile, name, account, about, table if table in STOREFRONTS else ""))
    return found


def table_of(uow: UnitOfWork, row: SubmissionRow) -> str:
    """Whose tables hold for it now."""
    return find_places(uow, row.title.slug, row.build.number, None, [row.storefront])[0].table


def ask(services: Services, places: list[Place]) -> list[Known]:
    """For each place what its storefront says, asked once for each identifier, side by side; one that is silent holds up nobody
    for long."""
    keys = {(p.storefront, p.identifier) for p in places if p.account is not None and p.account.state in USABLE}
    with ThreadPoolExecutor(min(AT_ONCE, len(keys) or 1)) as pool:
        said = dict(zip(keys, pool.map(lambda key: _known(services, *key), keys), strict=True))
    return [said.get((p.storefront, p.identifier), Known()) for p in places]


def _known(services: Services, storefront: str, identifier: str) -> Known:
    try:
        port = storefront_of(services, storefront)
        account = port.account()
        try:
            return Known(account, port.title(identifier))
        except NotFound:
            return Known(account)
    except (Unavailable, Denied, Refused, Invalid) as error:
        return Known(problem=error)


def not_connected(place: Place) -> str:
    """Why nothing can be sent there, as a clause; empty where it can."""
    if place.account is None:
        return f"no account at {place.title} is connected"
    if place.account.state not in USABLE:
        said = f": {place.account.said}" if place.account.said else ""
        return f"the account is {words(place.account.state)}{said}"
    if place.about and place.build.platform not in place.about.platforms:
        return f"{place.title} takes no builds for {place.build.platform}"
    return ""
