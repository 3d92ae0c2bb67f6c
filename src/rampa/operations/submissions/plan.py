"""The plan: what each storefront needs for a build or a release, what is there, what is missing, and where to mend it."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.submission.needs import NEED_TITLES, Need, is_ready
from rampa.db import SubmissionRow, find_title, open_at
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, begin
from rampa.operations.submissions.needs import needs_of
from rampa.operations.submissions.places import Known, Place, ask, find_places
from rampa.schema import submissions as wire
from rampa.schema.storefronts import Going


def plan(services: Services, actor: Actor, slug: str, query: wire.PlanQuery) -> wire.SubmissionPlan:
    """Asks the storefronts what they know of the title. Changes nothing, neither here nor there."""
    with begin(services, actor) as uow:
        places = find_places(uow, slug, query.build, query.release, [name for name in query.to.split(",") if name])
        last = _last(uow, slug)
    known = zip(places, ask(services, places), strict=True)
    items = [_item(services, actor, place, said, query.replaces or 0) for place, said in known]
    return wire.SubmissionPlan(
        title=slug,
        items=items,
        notes=last.asked.notes if last else "",
        going=last.going if last else Going.BY_ACT,
        share=last.asked.share if last else 100,
        allowed_actions=[action(actor, Act.SUBMIT, "submit")],
    )


def _item(services: Services, actor: Actor, place: Place, known: Known, replaces: int) -> wire.PlanFor:
    with begin(services, actor) as uow:
        there = open_at(uow.session, place.build, place.storefront)
    # What is there needs nothing more; one that a new submission mends is looked at like any other.
    needs = [] if there is not None and there.number != replaces else needs_of(services, actor, place, known)
    return describe_plan(place, needs, there)


def describe_plan(place: Place, needs: list[Need], there: SubmissionRow | None) -> wire.PlanFor:
    build = place.build
    return wire.PlanFor(
        storefront=place.storefront,
        storefront_title=place.title,
        simulated=bool(place.about and place.about.simulated),
        build=build.number,
        build_name=build.name,
        platform=build.platform,
        version_name=build.version_name,
        version_code=build.version_code,
        size=build.bundle.size if build.bundle else 0,
        needs=[need_out(need) for need in needs],
        ready=is_ready(needs),
        there=there.number if there else 0,
        abilities=place.abilities,
    )


def need_out(need: Need) -> wire.NeedOut:
    return wire.NeedOut(
        key=need.key,
        title=NEED_TITLES[need.key],
        state=need.state,
        said=need.said,
        mend=need.mend,
        findings=list(need.findings),
    )


def _last(uow: UnitOfWork, slug: str) -> SubmissionRow | None:
    """What one storefront was told is offered to the next."""
    title = find_title(uow.session, slug)
    rows = select(SubmissionRow).where(SubmissionRow.title_id == title.id)
    return uow.session.scalar(rows.order_by(SubmissionRow.number.desc()).limit(1))
