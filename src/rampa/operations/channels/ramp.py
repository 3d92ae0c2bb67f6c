"""The ramp of a title: how high each build has climbed, and what stops it."""

from __future__ import annotations

import uuid
from itertools import groupby

from sqlalchemy import func, or_, select

from rampa.core.build.life import BuildState
from rampa.core.check.findings import Finding
from rampa.core.check.profile import check_profile, stops_a_build
from rampa.core.placement.stations import BUILT, DEPOTS, REVIEW, Station, stations_of
from rampa.core.platform.table import line_title
from rampa.core.submission.course import Course
from rampa.core.submission.life import ON_SHOW, WORDS, SubmissionState
from rampa.db import BuildRow, PlacementRow, ReviewRow, SubmissionRow, find_title, identity_names, load_document
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, begin
from rampa.operations.channels.obstacles import check
from rampa.operations.channels.standing import TitleStanding, load_standing
from rampa.schema.common import Action
from rampa.schema.titles import titles as wire

BY_STOREFRONT = "line.storefront"
SHOWN = 5
"""Newest builds a profile; live ones are shown however old."""


class _Heights:
    """How high each station is, from the left."""

    def __init__(self, uow: UnitOfWork, standing: TitleStanding) -> None:
        self.stations = stations_of((c.name, c.reviewed) for c in standing.channels.values())
        self._places = {s.name: i for i, s in enumerate(self.stations)}
        self._reviewed = before_reviewers(uow, standing)

    def of(self, build: BuildRow, live: list[str]) -> int:
        # What is open stands where a build begins: only a whole, signed one has reached its depots.
        signed = bool(build.bundle and build.bundle.fingerprint) and build.state != BuildState.OPEN
        reached = [self._places[DEPOTS if signed else BUILT], *(self._places[name] for name in live)]
        if build.id in self._reviewed and REVIEW.name in self._places:
            reached.append(self._places[REVIEW.name])
        return max(reached)

    def said_of(self, build: BuildRow) -> str | None:
        """What a reviewer asked or refused; empty where nothing is to be done, None where it is before none."""
        return self._reviewed.get(build.id)

    def above(self, height: int) -> Station | None:
        above = self.stations[max(height, self._places[DEPOTS]) + 1 :]
        return next((s for s in above if s.channel), None)


def get_ramp(services: Services, actor: Actor, slug: str) -> wire.Ramp:
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        document = load_document(uow.session, title)
        standing = load_standing(uow, title)
        heights = _Heights(uow, standing)
        identities = identity_names(uow.session)
        builds = _row_builds(uow, standing)
        rows = [
            wire.RampRow(
                profile=name,
                platform=profile.settings.platform,
                line=line_title(profile.settings.platform, profile.settings.storefront),
                stops=[f.message for f in stops_a_build(check_profile(document, profile, identities))],
                builds=[_marker(uow, standing, heights, b, leads=i == 0) for i, b in enumerate(builds.get(name, []))],
            )
            for name, profile in document.profiles.items()
        ]
    return wire.Ramp(title=slug, stations=list(heights.stations), rows=rows, at=services.now())


def _row_builds(uow: UnitOfWork, standing: TitleStanding) -> dict[str, list[BuildRow]]:
    """By profile: the newest, and whatever is live, newest first. Abandoned ones are history, not on the ramp."""
    of_title = BuildRow.title_id == standing.title.id, BuildRow.state != BuildState.ABANDONED
    place = func.row_number().over(partition_by=BuildRow.profile, order_by=BuildRow.number.desc())
    ranked = select(BuildRow.id, place.label("place")).where(*of_title).subquery()
    newest = select(ranked.c.id).where(ranked.c.place <= SHOWN)
    live = [p.build_id for rows in standing.live.values() for p in rows]
    rows = select(BuildRow).where(or_(BuildRow.id.in_(newest), BuildRow.id.in_(live)))
    found = uow.session.scalars(rows.order_by(BuildRow.profile, BuildRow.number.desc()))
    return {profile: list(group) for profile, group in groupby(found, key=lambda b: b.profile)}


def _marker(
    uow: UnitOfWork, standing: TitleStanding, heights: _Heights, build: BuildRow, *, leads: bool
) -> wire.RampBuild:
    live = standing.names_of(build.number)
    height = heights.of(build, live)
    # Only the leading build of a row is asked what stops it: the others were left behind.
    stop, act = _next(uow, standing, heights, heights.above(height), build) if leads else (None, None)
    said = (heights.said_of(build) or "") if leads else ""
    if said:
        stop = Finding("blocker", "submission.waits", said, "review", "Answer it, or mend it.")
    following = {name: standing.following.get((name, build.platform), 0) for name in live}
    having = {name: standing.having.get(((name, build.platform), build.number), 0) for name in live}
    return wire.RampBuild(
        number=build.number,
        version_name=build.version_name,
        version_code=build.version_code,
        height=height,
        state=build.state,
        live_on=live,
        places=[_place(standing, p) for rows in standing.live.values() for p in rows if p.build_id == build.id],
        shares={name: round(100 * having[name] / count) for name, count in following.items() if count},
        devices=following,
        created_at=build.created_at,
        created_by=build.created_by,
        size=build.content.size,
        stop=stop,
        next=act,
    )


def before_reviewers(uow: UnitOfWork, standing: TitleStanding) -> dict[uuid.UUID, str]:
    """Builds that are before reviewers of a storefront or of the studio -> what waits for the studio, empty for nothing."""
    told = (SubmissionState.QUESTION, SubmissionState.REFUSED)
    found: dict[uuid.UUID, str] = {}
    own = select(ReviewRow).where(ReviewRow.title_id == standing.title.id).order_by(ReviewRow.number)
    for review in uow.session.scalars(own):
        over = review.state is SubmissionState.WITHDRAWN
        found[review.build_id] = f"the studio's reviewers: {WORDS[review.state]}" if review.state in told else ""
        if over:
            del found[review.build_id]
    sent = select(SubmissionRow).where(SubmissionRow.title_id == standing.title.id).order_by(SubmissionRow.number)
    for row in uow.session.scalars(sent):
        if not row.over and row.state not in ON_SHOW:
            waits = row.course in (Course.HALTED, Course.BY_HAND) or row.state in told
            found[row.build_id] = f"{row.storefront}: {row.words}" if waits else found.get(row.build_id, "")
    return found


def _place(standing: TitleStanding, placement: PlacementRow) -> wire.RampPlace:
    return wire.RampPlace(
        channel=placement.channel.name,
        state=placement.state,
        share=placement.share / 10,
        rest=standing.beside(placement) is not None,
    )


def _next(
    uow: UnitOfWork, standing: TitleStanding, heights: _Heights, station: Station | None, build: BuildRow
) -> tuple[Finding | None, Action | None]:
    """What keeps the leading build from the next station, and the act that takes it there."""
    if station is None:
        return None, None
    found = check(uow, standing, build, standing.channels[station.name])
    blocker = next((f for f in found if f.severity == "blocker" and f.code != BY_STOREFRONT), None)
    if any(f.code == BY_STOREFRONT for f in found):
        # Nothing is placed there: it is submitted, and nothing more is asked of one that was.
        there = heights.said_of(build) is not None
        return (None, None) if there and blocker is None else (blocker, action(uow.actor, Act.SUBMIT, "submit"))
    name = f"place on {station.name}"
    return blocker, action(uow.actor, Act.PLACE, name, blocker.message if blocker else "")
