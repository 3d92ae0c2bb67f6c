"""The age rating: the answers, what each storefront makes of them, and who affirmed that they are true."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import distinct_on

from rampa.core.build.life import BuildState
from rampa.core.calendar import RATING_HOLDS
from rampa.core.check.listing.whole import Affirmed
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.listing.layout import FACTS
from rampa.core.listing.rating import QUESTIONS, answers_digest, missing
from rampa.core.listing.reader import read_listing
from rampa.core.listing.table import LISTING_RULES
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.quantity import counted
from rampa.db import AffirmationRow, BuildRow, ListingRow, TitleRow, find_title, newest_affirmation, newest_listing
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, audit, begin, must
from rampa.operations.content.result_cache import ResultCache
from rampa.operations.content.stored_trees import build_tree
from rampa.schema import listings as wire

PROGRAMS = (".so", ".dll", ".dylib", ".exe")
_digests = ResultCache(64)
Builds = Mapping[str, BuildRow]
"""Profile -> its newest build for release."""


def get_rating(services: Services, actor: Actor, slug: str) -> wire.RatingOut:
    with begin(services, actor) as uow:
        return _out(uow, find_title(uow.session, slug))


def affirm(services: Services, actor: Actor, slug: str, asked: wire.AffirmIn) -> wire.RatingOut:
    """A person's word, with their name typed as a signature, for the answers of the state that they read."""
    must(actor, Act.AFFIRM_RATING)
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        newest = newest_listing(uow.session, title.id)
        number = newest.number if newest else 0
        if asked.number != number:
            message = f"the listing is at state {number} now, and you read state {asked.number}"
            raise Conflict("listing.moved", message, hint="Read the answers again.")
        answers = _answers(newest)
        left = missing(answers)
        if left:
            message = f"{counted(len(left), 'question')} {'is' if len(left) == 1 else 'are'} not answered"
            raise Refused("rating.open", message, where=", ".join(left), hint="Answer them, save, then affirm.")
        if asked.name.strip().casefold() != actor.name.strip().casefold():
            raise Invalid("rating.name", f"sign with your own name: {actor.name}", where="name")
        content = _content(uow, title)
        row = AffirmationRow(
            title_id=title.id, person=actor.name, answers=answers_digest(answers), said=answers, content=content,
            created_at=uow.now,
        )  # fmt: skip
        uow.session.add(row)
        uow.session.flush()
        audit.record(uow, "listing.affirm", slug, slug, state=number)
        return _out(uow, title)


def affirmed(uow: UnitOfWork, title: TitleRow, builds: Builds) -> Affirmed | None:
    row = newest_affirmation(uow.session, title.id)
    return Affirmed(row.person, row.answers, _stale(uow.services, builds, row)) if row else None


def no_source(builds: Builds) -> str:
    """Why no source archive can be made of the newest builds, as a clause; empty where it can, or where there are none."""
    by_hand = [b for b in builds.values() if not b.made.commit]
    return f"{by_hand[0].name} was made from a folder, not from a commit" if by_hand else ""


def _stale(services: Services, builds: Builds, row: AffirmationRow) -> str:
    """A clause: what players see or hear is not what it was then."""
    if services.now() - row.created_at > RATING_HOLDS:
        return f"that was more than {RATING_HOLDS.days} days ago"
    for profile, build in builds.items():
        if row.content.get(profile) != _digest_of(services, build):
            return f"{build.name} of {profile} has files that were not there then, or were otherwise"
    return ""


def _content(uow: UnitOfWork, title: TitleRow) -> dict[str, str]:
    return {profile: _digest_of(uow.services, b) for profile, b in newest_builds(uow, title).items()}


def newest_builds(uow: UnitOfWork, title: TitleRow) -> Builds:
    """The newest finished one of each profile for release."""
    rows = select(BuildRow).where(
        BuildRow.title_id == title.id, BuildRow.purpose == "release", BuildRow.state == BuildState.READY
    )
    newest = rows.ext(distinct_on(BuildRow.profile)).order_by(BuildRow.profile, BuildRow.number.desc())
    return {build.profile: build for build in uow.session.scalars(newest)}


def _digest_of(services: Services, build: BuildRow) -> str:
    """SHA-256 of what is no program: a build that only mends code needs no new word."""
    return _digests.get(build.id, lambda: _digest(build_tree(services, build)))


def _digest(tree: Tree) -> str:
    made = hashlib.sha256()
    for file in tree.files:
        if not file.executable and not file.path.lower().endswith(PROGRAMS):
            made.update(f"{file.path}\0{file.digest.hex()}\n".encode())
    return made.hexdigest()


def _answers(row: ListingRow | None) -> dict[str, str]:
    """They stand among the facts: no text in any language is read for them."""
    listing, _ = read_listing({FACTS: row.texts.get(FACTS, "")} if row else {}, {})
    return listing.answers()


def questions(answers: dict[str, str]) -> list[wire.RatingQuestion]:
    return [
        wire.RatingQuestion(name=q.name, text=q.text, answers=dict(q.answers), answer=answers.get(q.name, ""))
        for q in QUESTIONS.values()
    ]


def _out(uow: UnitOfWork, title: TitleRow) -> wire.RatingOut:
    row, newest = newest_affirmation(uow.session, title.id), newest_listing(uow.session, title.id)
    answers = _answers(newest)
    left = missing(answers)
    obstacle = f"Not answered yet: {', '.join(left)}." if left else ""
    return wire.RatingOut(
        number=newest.number if newest else 0,
        questions=questions(answers),
        ratings=[] if left else [_rating(name, answers) for name in LISTING_RULES],
        affirmation=_affirmation(uow, title, row, answers) if row else None,
        allowed_actions=[action(uow.actor, Act.AFFIRM_RATING, "affirm", obstacle)],
    )


def _rating(storefront: str, answers: dict[str, str]) -> wire.RatingOf:
    table = LISTING_RULES[storefront].rating
    level, because = table.rate(answers)
    return wire.RatingOf(
        storefront=storefront, title=STOREFRONTS[storefront].title, rating=table.levels[level], because=because
    )


def _affirmation(uow: UnitOfWork, title: TitleRow, row: AffirmationRow, answers: dict[str, str]) -> wire.AffirmationOut:
    changed = "the answers are not those any more" if row.answers != answers_digest(answers) else ""
    return wire.AffirmationOut(
        person=row.person,
        at=row.created_at,
        stale=changed or _stale(uow.services, newest_builds(uow, title), row),
        answers=row.said,
    )
