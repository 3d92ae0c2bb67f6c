"""What people may be told of by letter: kinds of events, each by how their acts begin; and when."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class NoticeKind(StrEnum):
    RUNS = "runs"
    BUILDS = "builds"
    CHANNELS = "channels"
    HEALTH = "health"
    TESTERS = "testers"
    LISTINGS = "listings"
    STOREFRONTS = "storefronts"
    SUBMISSIONS = "submissions"
    REVIEWS = "reviews"
    SIGNING = "signing"
    PEOPLE = "people"


class NoticeTime(StrEnum):
    AT_ONCE = "at-once"
    DAILY = "daily"
    NEVER = "never"


@dataclass(frozen=True)
class KindOfNotice:
    """`of_titles`: its events belong to titles, so that a title can be chosen apart."""

    words: str
    acts: tuple[str, ...]
    of_titles: bool = True


KINDS = {
    NoticeKind.RUNS: KindOfNotice(
        "runs that fail or are lost; commits that were found", ("run.fail", "run.lose", "bisect.find", "bisect.refute")
    ),
    NoticeKind.BUILDS: KindOfNotice(
        "builds that are completed, abandoned or removed",
        ("build.complete", "build.abandon", "build.remove", "build.reissue", "retention.remove"),
    ),
    NoticeKind.CHANNELS: KindOfNotice(
        "what is placed, grows, is held, withdrawn or rolled back",
        ("build.place", "placement.", "release.place", "release.bring-back", "scheduled.", "channel.", "gate."),
    ),
    NoticeKind.HEALTH: KindOfNotice("builds that do worse than the one before", ("health.",)),
    NoticeKind.TESTERS: KindOfNotice(
        "what testers say and sign off", ("feedback.say", "feedback.reply", "sign-off.", "invitation.")
    ),
    NoticeKind.LISTINGS: KindOfNotice("listings that change, ratings, links that died", ("listing.",)),
    NoticeKind.STOREFRONTS: KindOfNotice(
        "accounts at storefronts that are connected or lost; the studio's verification",
        ("storefront.", "studio."),
        of_titles=False,
    ),
    NoticeKind.SUBMISSIONS: KindOfNotice(
        "submissions that move at storefronts, that are halted, lost or to be handed in",
        ("submission.move", "submission.halt", "submission.set-back", "submission.hand-in"),
    ),
    NoticeKind.REVIEWS: KindOfNotice("builds before the studio's own reviewers, and what they said", ("review.",)),
    NoticeKind.SIGNING: KindOfNotice(
        "signing identities, grants, roots", ("key.", "unlock.", "vault.", "grant.", "trust."), of_titles=False
    ),
    NoticeKind.PEOPLE: KindOfNotice(
        "people, tokens, agents; sign-ins that were refused",
        ("person.", "token.", "sign-in.", "factor.", "passkey.", "machine.", "agent.", "device.copied"),
        of_titles=False,
    ),
}
"""No act begins as two of them do: nobody is told of one event for two reasons."""


def kind_of(act: str) -> NoticeKind | None:
    return next((kind for kind, of in KINDS.items() if act.startswith(of.acts)), None)
