"""Putting builds before storefronts: all of what was asked for, or nothing; what is in the way is said for each."""

from __future__ import annotations

import datetime as dt
import uuid
from dataclasses import replace

from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.placement.schedule import must_be_ahead
from rampa.core.submission.changes import changed
from rampa.core.submission.needs import Need, NeedState
from rampa.db import (
    BuildRow,
    SubmissionRow,
    find_release,
    find_submission,
    find_title,
    new_id,
    newest_listing,
    next_submission,
    open_at,
)
from rampa.operations.base import Act, Actor, Once, Services, UnitOfWork, answered, audit, begin, must, once
from rampa.operations.channels.shown import reviewed_channel
from rampa.operations.submissions.asked import asked_of, put_of
from rampa.operations.submissions.needs import closed_gates, needs_of
from rampa.operations.submissions.places import Place, ask, find_places
from rampa.operations.submissions.rows import new_submission
from rampa.operations.submissions.views import describe
from rampa.schema import submissions as wire
from rampa.schema.storefronts import Ability, Going


def submit(
    services: Services, actor: Actor, slug: str, asked: wire.NewSubmissions, key: Once | None
) -> wire.MadeSubmissions:
    """Raises `Refused` with what each storefront misses, `Conflict` where the build is there already."""
    must(actor, Act.SUBMIT)
    with begin(services, actor) as uow:
        earlier = answered(uow, key, wire.MadeSubmissions)
        if earlier is not None:
            return earlier
        _must_make_sense(uow.now, asked)
        places = _not_there(uow, find_places(uow, slug, asked.build, asked.release, asked.to), asked)
    known = zip(places, ask(services, places), strict=True)
    needs = [needs_of(services, actor, place, said) for place, said in known]
    _must_be_ready(places, needs)
    _must_be_possible(services, actor, places, asked)

    def make() -> wire.MadeSubmissions:
        title = find_title(uow.session, slug, lock=True)
        together = new_id() if asked.wait and len(places) > 1 else None
        number = next_submission(uow.session, title)
        rows = [_put(uow, _here(uow, place), asked, number + n, together) for n, place in enumerate(places)]
        return wire.MadeSubmissions(items=[describe(uow, row) for row in rows])

    with begin(services, actor) as uow:
        return once(uow, key, wire.MadeSubmissions, make)


def _not_there(uow: UnitOfWork, places: list[Place], asked: wire.NewSubmissions) -> list[Place]:
    """Of a release what is there already stays there. Raises `Conflict` where all of it is."""
    there = [(place, open_at(uow.session, place.build, place.storefront)) for place in places]
    found = [place for place, row in there if row is None or row.number == asked.replaces]
    if len(found) < len(places) and (not found or asked.release is None):
        place, row = next((p, r) for p, r in there if r is not None and p not in found)
        hint = f"rampa submission show {row.number}" if row else ""
        said = f"{place.build.name} is at {place.title} already: {row.words if row else ''}"
        raise Conflict("submission.there", said, hint=hint)
    return found


def _here(uow: UnitOfWork, place: Place) -> Place:
    """The same, with the build of this transaction."""
    return replace(place, build=uow.session.get_one(BuildRow, place.build.id))


def _put(
    uow: UnitOfWork, place: Place, asked: wire.NewSubmissions, number: int, together: uuid.UUID | None
) -> SubmissionRow:
    build = place.build
    old = find_submission(uow.session, build.title.slug, asked.replaces) if asked.replaces else None
    # Looked at once more, with the title locked: two who send at once.
    _not_there(uow, [place], asked)
    listing = newest_listing(uow.session, build.title_id)
    if listing is None or build.bundle is None:
        raise Conflict(
            "submission.moved", f"{build.name} has no bundle or no listing any more", hint="Look at the plan again."
        )
    going = _told(place, asked, together)
    made = asked_of(uow, place, listing, asked.notes, going, asked.share)
    made.at = asked.at if going is Going.AT else None
    new = put_of(uow, build, made, listing.number, place.table)
    before = put_of(uow, old.build, old.asked, old.listing, place.table) if old else None
    if old is not None:
        made.replaces = old.there_id or None
    row = new_submission(uow, place, made, number, listing.number)
    row.changed, row.replaces = changed(before, new) if before else [], old
    row.going, row.going_at, row.together = asked.going, asked.at, together
    if asked.release is not None:
        row.release_id = find_release(uow.session, build.title.slug, asked.release).id
    uow.session.add(row)
    uow.session.flush()
    audit.record(uow, "submission.make", row.name, build.title.slug, storefront=place.title, build=build.name)
    return row


def _told(place: Place, asked: wire.NewSubmissions, together: uuid.UUID | None) -> Going:
    """What the storefront is told; where it must wait for others, or knows no moments, Rampa lets it go live."""
    if together is not None or (asked.going is Going.AT and Ability.MOMENT not in place.abilities):
        return Going.BY_ACT
    return asked.going


def _must_make_sense(now: dt.datetime, asked: wire.NewSubmissions) -> None:
    if (asked.going is Going.AT) != (asked.at is not None):
        raise Invalid("submission.moment", "a moment is said where it goes live at one, and only there", where="at")
    if asked.at is not None:
        must_be_ahead(asked.at, now)
    if asked.share == 0:
        raise Invalid("submission.share", "nobody would get it", where="share", hint="Say 1 to 100 per cent.")
    if asked.replaces is not None and (asked.release is not None or len(asked.to) > 1):
        raise Invalid("submission.replaces", "one build mends one submission", where="replaces")


def _must_be_ready(places: list[Place], needs: list[list[Need]]) -> None:
    said = ""
    for place, found in zip(places, needs, strict=True):
        missing = [need for need in found if need.state is NeedState.MISSING]
        lines = "".join(f"\n    {n.said}" + (f" ({n.mend})" if n.mend else "") for n in missing)
        said += f"\n  {place.title}, {place.build.name}:{lines}" if missing else ""
    if said:
        hint = "The whole plan: rampa submission plan."
        raise Refused("submission.not-ready", f"nothing was sent, for something is missing:{said}", hint=hint)


def _must_be_possible(services: Services, actor: Actor, places: list[Place], asked: wire.NewSubmissions) -> None:
    """What a storefront cannot do is said before it is sent."""
    for place in places:
        if asked.share < 100 and Ability.SHARE not in place.abilities:
            said = f"{place.title} gives a build to all players or to none"
            raise Refused("submission.cannot", said, where="share", hint="Leave the share out, or send that one apart.")
        if asked.going is not Going.BY_ACT:
            with begin(services, actor) as uow:
                channel = reviewed_channel(uow, place.build.title)
            closed = closed_gates(services, actor, place.build, channel) if channel else []
            if channel and closed:
                said = f"{place.build.name} would go live by itself, and a gate of {channel.name} is closed: {closed[0].said}"
                raise Refused(
                    "gate.closed", said, where=closed[0].gate, hint="Let it go live by an act, or open the gate first."
                )
