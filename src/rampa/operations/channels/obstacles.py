"""What stands between a build and a channel: findings of the checks, of the line, of the identity."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.check.budgets import check_budgets
from rampa.core.check.findings import Finding, in_order
from rampa.core.check.placement import PlacementCandidate, check_placement
from rampa.core.placement.channels import Audience
from rampa.core.placement.life import PlacementState
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.resolved import ResolvedProfile, resolve
from rampa.db import BuildRow, ChannelRow, PlacementRow, StorefrontRow, load_document, studio_is_verified
from rampa.operations.base import Services, UnitOfWork
from rampa.operations.channels.standing import TitleStanding
from rampa.operations.content.stored_trees import depot_trees, selectors_of
from rampa.operations.signing.continuity import backup_findings, continuity_findings
from rampa.operations.versions.versions import CodeLine, line_of


def check(uow: UnitOfWork, standing: TitleStanding, build: BuildRow, channel: ChannelRow) -> list[Finding]:
    """All findings that stand between this build and this channel."""
    profile = profile_of_build(uow, build)
    code_line = line_of(profile)
    live = standing.live_on(channel.name, build.platform, code_line.storefront)
    highest = standing.highest(channel.name, build.platform, build.number)
    return in_order(
        [
            *_live_already(build, channel, live),
            *_by_storefront(uow, build, channel, code_line),
            *_unverified(uow, channel),
            *check_placement(candidate(uow.services, build), highest),
            *_heavy(uow.services, build, profile, live),
            *_continues(uow, standing, build, code_line),
        ]
    )


def _live_already(build: BuildRow, channel: ChannelRow, live: list[PlacementRow]) -> list[Finding]:
    found = next((p for p in live if p.build_id == build.id), None)
    if found is None:
        return []
    message = f"{build.name} is live on {channel.name} already"
    hint = "Nothing to do." if found.state == PlacementState.WHOLE else "Grow it: rampa rollout grow."
    if found.state == PlacementState.WHOLE and len(live) > 1:
        hint = f"To end {live[0].build.name}, which grows there, withdraw it or roll back."
    return [Finding("blocker", "build.live", message, channel.name, hint)]


def _by_storefront(uow: UnitOfWork, build: BuildRow, channel: ChannelRow, code_line: CodeLine) -> Iterator[Finding]:
    """The line is a storefront's: a build comes onto it as a submission that passed."""
    account = line_account(uow, channel, code_line.storefront)
    if account is not None:
        message = f"{channel.name} for {build.platform} is {account.title}'s: a build comes there as a submission"
        hint = f"Submit it: rampa submission send {build.name}. What passed goes live by rampa submission go-live."
        yield Finding("blocker", "line.storefront", message, channel.name, hint)


def _unverified(uow: UnitOfWork, channel: ChannelRow) -> Iterator[Finding]:
    """Nothing goes to everybody before somebody knows who the studio is."""
    if channel.audience is Audience.FOR_EVERYBODY and not studio_is_verified(uow.session):
        message = f"{channel.name} is for everybody, and nobody has verified the studio yet"
        hint = "Hand in who it is: rampa studio show, then rampa studio hand-in."
        yield Finding("blocker", "studio.unverified", message, channel.name, hint)


def line_account(uow: UnitOfWork, channel: ChannelRow, storefront: str) -> StorefrontRow | None:
    """Whose the line is; None where Rampa delivers it."""
    if not channel.reviewed or not storefront:
        return None
    rows = select(StorefrontRow).where(StorefrontRow.name == storefront, StorefrontRow.connected_at.isnot(None))
    return uow.session.scalar(rows)


def _heavy(
    services: Services, build: BuildRow, profile: ResolvedProfile, live: list[PlacementRow]
) -> Iterator[Finding]:
    """Over budget, and what grew since what is live there."""
    budgets = profile.budgets
    if build.state != BuildState.READY or not (budgets.depots or budgets.folders):
        return
    before = next((p.build for p in live if p.build_id != build.id and p.build.state == BuildState.READY), None)
    earlier = _sizes(services, before) if before else None
    yield from check_budgets(budgets, _sizes(services, build), earlier, before.name if before else "")


def _sizes(services: Services, build: BuildRow) -> dict[str, list[tuple[str, int]]]:
    return {name: [(f.path, f.size) for f in tree.files] for name, tree in depot_trees(services, build).items()}


def _continues(uow: UnitOfWork, standing: TitleStanding, build: BuildRow, code_line: CodeLine) -> list[Finding]:
    if build.purpose != "release" or build.bundle is None:
        return []
    bound = standing.bindings.get((code_line.identifier, code_line.place))
    found = continuity_findings(bound, standing.identities, build.bundle.fingerprint)
    identity = next((i for i in standing.identities if i.name == build.bundle.identity), None)
    return [*found, *backup_findings(identity, uow.now)]


def line_of_build(uow: UnitOfWork, build: BuildRow) -> CodeLine:
    """Where its codes rise, as the build's revision of the document said it."""
    return line_of(profile_of_build(uow, build))


def profile_of_build(uow: UnitOfWork, build: BuildRow) -> ResolvedProfile:
    return resolve(load_document(uow.session, build.title, build.revision), build.profile)


def candidate(services: Services, build: BuildRow) -> PlacementCandidate:
    ready = build.state == BuildState.READY
    return PlacementCandidate(
        ready=ready,
        platform=PLATFORMS[build.platform],
        version_code=build.version_code,
        launch=build.content.launch,
        signed_by=build.bundle.fingerprint if build.bundle else "",
        depots=depot_trees(services, build) if ready else {},
        undelivered=tuple(build.content.undelivered),
        selectors=selectors_of(build),
    )
