"""What one build needs for one storefront: every check that there is, in the order in which people go through it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.check.findings import Finding
from rampa.core.check.listing.whole import check_listing
from rampa.core.check.placement import Standing, check_placement
from rampa.core.check.profile import check_profile
from rampa.core.check.studio_rule import Ruled, apply_rules
from rampa.core.check.submission import (
    KnownThere,
    SubmittedBundle,
    check_code,
    check_frameworks,
    check_permissions,
    check_purpose,
    check_size,
)
from rampa.core.listing.finding import ListingFinding
from rampa.core.quantity import counted
from rampa.core.submission.needs import Need, NeedKey, NeedState, from_findings
from rampa.core.transitions import words
from rampa.db import BuildRow, ChannelRow, SigningIdentityRow, load_document, newest_listing, studio_rules
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.channels.gates import list_gates
from rampa.operations.channels.obstacles import candidate, line_of_build
from rampa.operations.channels.shown import reviewed_channel
from rampa.operations.listings import files as listing_files
from rampa.operations.listings.check import beside
from rampa.operations.signing.continuity import backup_findings, continuity_findings, find_binding
from rampa.operations.submissions.content import submitted
from rampa.operations.submissions.places import Known, Place, not_connected
from rampa.schema.channels import GateOut
from rampa.schema.storefronts import SCOPES, Ability

RATING = "listing.rating-"
NOTHING_STOOD = Standing(None, "")
SHOWN = (Ability.SHARE, Ability.HOLD, Ability.ROLL_BACK, Ability.MOMENT, Ability.APPEAL)


def needs_of(services: Services, actor: Actor, place: Place, known: Known) -> list[Need]:
    build = place.build
    needs = [*_account(place, known), *_first(place, known)]
    if build.state is not BuildState.READY:
        said = f"{build.name} is {build.state}: nothing of it can be sent"
        return [*needs, Need(NeedKey.BUILD, NeedState.MISSING, said, "rampa run list")]
    made, ruled = submitted(services, build, place.profile)
    with begin(services, actor) as uow:
        needs += [*_bundle(uow, place, known, made), *_listing(uow, place)]
        needs.append(_own(uow, place, ruled))
    return [*needs, *_gates(services, actor, place), _showing(place)]


def _account(place: Place, known: Known) -> Iterator[Need]:
    why = not_connected(place)
    connect = f"rampa storefront connect {place.storefront}"
    if why:
        mend = connect if place.account else f"{connect} --address https://HOST"
        yield Need(NeedKey.ACCOUNT, NeedState.MISSING, why, mend)
        return
    if known.problem is not None:
        said = f"{known.problem.message}: what it knows of the title is not known now"
        yield Need(NeedKey.ACCOUNT, NeedState.WARNING, said, f"rampa storefront look {place.storefront}")
        return
    assert known.account is not None
    lacking = [scope for scope in SCOPES if scope not in known.account.scopes]
    if lacking:
        yield Need(NeedKey.ACCOUNT, NeedState.MISSING, f"Rampa may not do there: {', '.join(lacking)}", connect)
    else:
        yield Need(NeedKey.ACCOUNT, NeedState.THERE, f"connected; the studio is {known.account.studio} there")
    verified = known.account.verified
    said = "verified" if verified else f"{place.title} has not verified the studio: it takes nothing for the public"
    mend = "" if verified else f"rampa studio hand-in {place.storefront}"
    yield Need(NeedKey.STUDIO, NeedState.THERE if verified else NeedState.MISSING, said, mend)


def _first(place: Place, known: Known) -> Iterator[Need]:
    if known.account is None:
        return
    if known.title is None:
        hand = f"; a person hands the first bundle in on {place.title}'s page, and Rampa prepares it"
        by_hand = hand if Ability.FIRST_BY_HAND in place.abilities else ""
        yield Need(NeedKey.FIRST, NeedState.LATER, f"Rampa makes {place.identifier} known there{by_hand}")
    elif known.title.first_pending:
        said = (
            f"a person hands the first bundle in on {place.title}'s page: Rampa prepares it, and sees that it was done"
        )
        yield Need(NeedKey.FIRST, NeedState.LATER, said)
    else:
        yield Need(NeedKey.FIRST, NeedState.THERE, f"known as {known.title.name}")


def _bundle(uow: UnitOfWork, place: Place, known: Known, made: SubmittedBundle) -> Iterator[Need]:
    build, settings = place.build, place.profile.settings
    again = f"rampa run start {build.profile} --title {build.title.slug}"
    found = [*check_placement(candidate(uow.services, build), NOTHING_STOOD), *check_purpose(made)]
    signing = [f for f in found if f.code == "bundle.unsigned"]
    rest = [f for f in found if f.code != "bundle.unsigned"]
    yield from_findings(NeedKey.BUILD, rest, f"{counted(build.content.files, 'file')} for {build.platform}", again)
    signing += _signature(uow, place)
    yield from_findings(
        NeedKey.SIGNATURE, signing, f"by {build.bundle.identity}" if build.bundle else "", "rampa key list"
    )
    highest = known.title.highest_codes.get(build.platform, 0) if known.title else 0
    there = KnownThere(place.storefront, place.title, highest)
    above = f"{build.version_code:,}" + (f", above {there.highest:,}" if there.highest else "")
    yield from_findings(NeedKey.CODE, check_code(made, there), above, again)
    size = f"{made.size / 1e6:,.1f} MB of {place.asks.largest / 1e6:,.0f} MB"
    yield from_findings(NeedKey.SIZE, check_size(made, place.asks), size, f"rampa build files {build.name}")
    profile_said = f"{settings.title.identifier}, {', '.join(settings.code.architectures)}"
    mend = f"rampa profile check --title {build.title.slug}"
    yield from_findings(NeedKey.PROFILE, _profile(uow, place), profile_said, mend)
    reasons = (
        f"{counted(len(made.permissions), 'permission')}, each with its reason"
        if made.permissions
        else "it asks for none"
    )
    yield from_findings(NeedKey.PERMISSIONS, check_permissions(made, place.asks), reasons, mend)
    inside = ", ".join(f"{f.name} {f.version}" for f in made.frameworks[:6]) or "none that says its version"
    yield from_findings(NeedKey.FRAMEWORKS, check_frameworks(made, place.asks), inside, again)


def _signature(uow: UnitOfWork, place: Place) -> list[Finding]:
    build = place.build
    if build.bundle is None or not build.bundle.fingerprint:
        return []
    line = line_of_build(uow, build)
    identities = list(uow.session.scalars(select(SigningIdentityRow)))
    mine = next((i for i in identities if i.name == build.bundle.identity), None)
    bound = find_binding(uow, line.identifier, line.place)
    return [*continuity_findings(bound, identities, build.bundle.fingerprint), *backup_findings(mine, uow.now)]


def _profile(uow: UnitOfWork, place: Place) -> list[Finding]:
    """By today's rules, of the document that the build was made from."""
    document = load_document(uow.session, place.build.title, place.build.revision)
    found = check_profile(document, document.profiles[place.build.profile])
    return [Finding(f.severity, f.code, f.message, f.key, f.hint) for f in found]


def _listing(uow: UnitOfWork, place: Place) -> Iterator[Need]:
    title = place.build.title
    row, mend = newest_listing(uow.session, title.id), f"rampa listing check --title {title.slug}"
    if row is None:
        yield Need(NeedKey.LISTING, NeedState.MISSING, "the title has no listing", "rampa listing import FOLDER")
        return
    if not place.table:
        yield Need(NeedKey.LISTING, NeedState.THERE, f"state {row.number}; no table says what {place.title} asks of it")
        return
    listing, problems = listing_files.read(uow, title.id, row.files)
    found = [f for f in check_listing(listing, problems, beside(uow, title)) if f.storefront in ("", place.table)]
    other = [f for f in found if not f.code.startswith(RATING)]
    spoken = counted(len(listing.languages), "language")
    yield from_findings(NeedKey.LISTING, _plain(other), f"state {row.number}, {spoken}", mend)
    rated = [f for f in found if f.code.startswith(RATING)]
    yield from_findings(
        NeedKey.RATING, _plain(rated), "answered and affirmed", f"rampa rating affirm --title {title.slug}"
    )


def _plain(found: Iterable[ListingFinding]) -> list[Finding]:
    return [f.plain() for f in found]


def _own(uow: UnitOfWork, place: Place, ruled: Ruled) -> Need:
    rules = [row.rule for row in studio_rules(uow.session)]
    found = list(apply_rules(rules, place.storefront, ruled))
    there = f"{counted(len(rules), 'rule')}, none of them broken" if rules else "the studio has none"
    return from_findings(NeedKey.OWN, found, there, "rampa rule list")


def _gates(services: Services, actor: Actor, place: Place) -> Iterator[Need]:
    """Of the channel that reviewers guard: closed ones stop it from going live by itself, not from being sent."""
    build = place.build
    with begin(services, actor) as uow:
        channel = reviewed_channel(uow, build.title)
    if channel is None or not channel.gates:
        return
    closed = closed_gates(services, actor, build, channel)
    if not closed:
        yield Need(NeedKey.GATES, NeedState.THERE, f"{counted(len(channel.gates), 'gate')} of {channel.name} open")
        return
    more = f", and {len(closed) - 1} more" if len(closed) > 1 else ""
    said = f"closed on {channel.name}: {closed[0].said}: {closed[0].missing}{more}; it can be sent, and goes live once they open"
    yield Need(NeedKey.GATES, NeedState.WARNING, said, closed[0].where)


def closed_gates(services: Services, actor: Actor, build: BuildRow, channel: ChannelRow) -> list[GateOut]:
    gates = list_gates(services, actor, build.title.slug, channel.name, build.number)
    return [gate for gate in gates if gate.state == "closed"]


def _showing(place: Place) -> Need:
    able = [words(a) for a in SHOWN if a in place.abilities]
    unable = [words(a) for a in SHOWN if a not in place.abilities]
    said = f"it can: {', '.join(able)}" if able else "it gives a build to all players or to none"
    said += f"; it cannot: {', '.join(unable)}" if unable else ""
    return Need(NeedKey.SHOWING, NeedState.THERE, said)
