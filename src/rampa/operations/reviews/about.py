"""Everything that a reviewer looks at: the bundle, what is inside, permissions with reasons, the listing, what changed since the
last one that passed, findings, what earlier reviewers said."""

from __future__ import annotations

from sqlalchemy import Select, select

from rampa.core.bundle.frameworks import frameworks_in
from rampa.core.check.findings import Finding, in_order
from rampa.core.check.studio_rule import Ruled, apply_rules
from rampa.core.content.tree.comparison import compare
from rampa.core.errors import RampaError
from rampa.core.submission.life import WORDS, SubmissionState
from rampa.db import (
    BuildRow,
    ReviewRow,
    ReviewWordRow,
    newest_affirmation,
    newest_listing,
    studio_rules,
)
from rampa.operations.base import Services, UnitOfWork
from rampa.operations.channels.obstacles import check, profile_of_build
from rampa.operations.channels.standing import load_standing
from rampa.operations.content.stored_trees import build_tree
from rampa.operations.listings import files as listing_files
from rampa.schema import reviews as wire

FILES = 40
EARLIER = 10
NOTE = "note"
NOT_ITS_MATTER = ("line.storefront", "build.live")
"""Where it may stand is no question of what it is."""


def bundle_of(services: Services, uow: UnitOfWork, build: BuildRow) -> wire.ReviewedBuild | None:
    """None where its content is not there any more."""
    try:
        paths = [file.path for file in build_tree(services, build).files]
    except RampaError:
        return None
    profile = profile_of_build(uow, build)
    facts = build.bundle.read_back.facts if build.bundle and build.bundle.read_back else None
    settings = profile.settings
    return wire.ReviewedBuild(
        version_code=build.version_code,
        profile=build.profile,
        kind=build.bundle.kind if build.bundle else "",
        size=build.bundle.size if build.bundle else 0,
        files=build.content.files,
        unpacked=build.content.size,
        identifier=settings.title.identifier,
        minimum=facts.minimum if facts and facts.minimum else settings.system.minimum,
        target=facts.target if facts and facts.target else settings.system.target,
        architectures=list(settings.code.architectures),
        signed_by=build.bundle.identity if build.bundle else "",
        permissions=dict(settings.system.permissions),
        frameworks=frameworks_in(paths),
        commit=build.made.commit,
        release_notes=build.notes,
    )


def findings_of(services: Services, uow: UnitOfWork, row: ReviewRow) -> list[Finding]:
    """Of the checks before the channel, and of the studio's own rules."""
    found = check(uow, load_standing(uow, row.title), row.build, row.channel)
    try:
        paths = tuple(file.path for file in build_tree(services, row.build).files)
    except RampaError:
        return found
    permissions = frozenset(profile_of_build(uow, row.build).settings.system.permissions)
    ruled = Ruled(paths, permissions, tuple(frameworks_in(paths)), lambda _: b"")
    # Rules that read inside of files are part of a submission's plan: a page must not read a build for each look.
    rules = [r.rule for r in studio_rules(uow.session) if not r.rule.holds]
    kept = [f for f in found if f.severity != "note" and f.code not in NOT_ITS_MATTER]
    return in_order([*kept, *apply_rules(rules, "", ruled)])


def listing_of(uow: UnitOfWork, row: ReviewRow) -> wire.ReviewedListing:
    state = newest_listing(uow.session, row.title_id)
    if state is None:
        return wire.ReviewedListing(state=0, name="", short="", languages=[], pictures=0, rated_by="")
    listing, _ = listing_files.read(uow, row.title_id, state.files)
    name, short = (listing.text(listing.main, "", field) for field in ("name", "short"))
    rated = newest_affirmation(uow.session, row.title_id)
    return wire.ReviewedListing(
        state=state.number,
        name=name.value if name else "",
        short=short.value if short else "",
        languages=listing.languages,
        pictures=len(state.pictures),
        rated_by=rated.person if rated else "",
    )


def since_last(services: Services, uow: UnitOfWork, row: ReviewRow) -> wire.SinceLast | None:
    """Beside the newest earlier build of the profile that passed for this channel."""
    passed = _of_line(row).where(ReviewRow.state == SubmissionState.PASSED, BuildRow.profile == row.build.profile)
    last = uow.session.scalar(passed.limit(1))
    if last is None:
        return None
    try:
        changes = compare(build_tree(services, last.build), build_tree(services, row.build))
    except RampaError:
        return None
    before = set(profile_of_build(uow, last.build).settings.system.permissions)
    now = set(profile_of_build(uow, row.build).settings.system.permissions)
    kinds = [c.kind for c in changes]
    heavy = sorted(changes, key=lambda c: -max(c.new_size, c.old_size))
    return wire.SinceLast(
        build=last.build.number,
        version_name=last.build.version_name,
        added=kinds.count("added"),
        removed=kinds.count("removed"),
        changed=kinds.count("changed") + kinds.count("moved"),
        size_before=last.build.bundle.size if last.build.bundle else 0,
        permissions_new=sorted(now - before),
        permissions_gone=sorted(before - now),
        files=heavy[:FILES],
    )


def earlier_of(uow: UnitOfWork, row: ReviewRow) -> list[wire.EarlierReview]:
    """The newest first."""
    found = list(uow.session.scalars(_of_line(row).limit(EARLIER)))
    words = select(ReviewWordRow).where(ReviewWordRow.review_id.in_([r.id for r in found]), ReviewWordRow.text != "")
    last = {w.review_id: w for w in uow.session.scalars(words.order_by(ReviewWordRow.at)) if w.kind != NOTE}
    return [
        wire.EarlierReview(
            number=r.number,
            build=r.build.number,
            version_name=r.build.version_name,
            state=r.state,
            words=WORDS[r.state],
            last=word_out(last[r.id]) if r.id in last else None,
        )
        for r in found
    ]


def word_out(word: ReviewWordRow) -> wire.ReviewWord:
    return wire.ReviewWord(at=word.at, by=word.by, kind=word.kind, text=word.text, about=word.about, reason=word.reason)


def _of_line(row: ReviewRow) -> Select[ReviewRow]:
    """Earlier reviews of the title's builds for this channel and platform, the newest first."""
    rows = (
        select(ReviewRow)
        .join(BuildRow, BuildRow.id == ReviewRow.build_id)
        .where(ReviewRow.title_id == row.title_id, ReviewRow.channel_id == row.channel_id)
        .where(BuildRow.platform == row.build.platform, ReviewRow.number < row.number)
    )
    return rows.order_by(ReviewRow.number.desc())
