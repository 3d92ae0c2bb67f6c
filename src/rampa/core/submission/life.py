"""A submission's life: a build put before a storefront's reviewers.

    sent --unpack--> unpacked --check--> checking --queue--> waiting --claim--> reviewing --pass--> passed
     `-----lose-------+-lose-> lost         `--refuse-.        ^ ^ ^ `---lapse----'  |  |              | |
                                                      v        | | `---answer--- question <--ask-------' |
                                                   refused ----' |                                go-part v
                                                     ^  appeal   `-- (from refused)          partly-live --go-live--> live
                                                     `-- refuse: checking, reviewing, passed (a changed mind)

Every state before live can be withdrawn by the studio. A newer one of the same title and platform replaces what is live, and a
roll-back restores it. Lost: the storefront no longer has what was sent, and it is sent again. The storefront moves it, and Rampa
follows what the storefront says.
"""

from __future__ import annotations

from enum import StrEnum


class SubmissionState(StrEnum):
    SENT = "sent"
    UNPACKED = "unpacked"
    CHECKING = "checking"
    WAITING = "waiting"
    REVIEWING = "reviewing"
    QUESTION = "question"
    REFUSED = "refused"
    PASSED = "passed"
    PARTLY_LIVE = "partly-live"
    LIVE = "live"
    LOST = "lost"
    WITHDRAWN = "withdrawn"
    REPLACED = "replaced"


class SubmissionEvent(StrEnum):
    UNPACK = "unpack"
    CHECK = "check"
    QUEUE = "queue"
    CLAIM = "claim"
    LAPSE = "lapse"
    ASK = "ask"
    ANSWER = "answer"
    REFUSE = "refuse"
    PASS = "pass"
    APPEAL = "appeal"
    GO_PART = "go-part"
    GO_LIVE = "go-live"
    LOSE = "lose"
    WITHDRAW = "withdraw"
    REPLACE = "replace"
    RESTORE = "restore"


WORDS = {
    SubmissionState.SENT: "sent",
    SubmissionState.UNPACKED: "unpacked",
    SubmissionState.CHECKING: "machine checks",
    SubmissionState.WAITING: "in line",
    SubmissionState.REVIEWING: "with a reviewer",
    SubmissionState.QUESTION: "question asked",
    SubmissionState.REFUSED: "refused",
    SubmissionState.PASSED: "passed",
    SubmissionState.PARTLY_LIVE: "live in parts",
    SubmissionState.LIVE: "live",
    SubmissionState.LOST: "lost by the storefront",
    SubmissionState.WITHDRAWN: "withdrawn",
    SubmissionState.REPLACED: "replaced by a newer one",
}
"""As people read them."""
BEFORE_LIVE = (
    SubmissionState.SENT,
    SubmissionState.UNPACKED,
    SubmissionState.CHECKING,
    SubmissionState.WAITING,
    SubmissionState.REVIEWING,
    SubmissionState.QUESTION,
    SubmissionState.REFUSED,
    SubmissionState.PASSED,
)
ON_SHOW = (SubmissionState.PARTLY_LIVE, SubmissionState.LIVE)
OVER = (SubmissionState.LOST, SubmissionState.WITHDRAWN, SubmissionState.REPLACED)

TRANSITIONS = {
    (SubmissionState.SENT, SubmissionEvent.UNPACK): SubmissionState.UNPACKED,
    (SubmissionState.SENT, SubmissionEvent.LOSE): SubmissionState.LOST,
    (SubmissionState.UNPACKED, SubmissionEvent.CHECK): SubmissionState.CHECKING,
    (SubmissionState.UNPACKED, SubmissionEvent.LOSE): SubmissionState.LOST,
    (SubmissionState.CHECKING, SubmissionEvent.QUEUE): SubmissionState.WAITING,
    (SubmissionState.CHECKING, SubmissionEvent.REFUSE): SubmissionState.REFUSED,
    (SubmissionState.WAITING, SubmissionEvent.CLAIM): SubmissionState.REVIEWING,
    (SubmissionState.REVIEWING, SubmissionEvent.LAPSE): SubmissionState.WAITING,
    (SubmissionState.REVIEWING, SubmissionEvent.ASK): SubmissionState.QUESTION,
    (SubmissionState.REVIEWING, SubmissionEvent.REFUSE): SubmissionState.REFUSED,
    (SubmissionState.REVIEWING, SubmissionEvent.PASS): SubmissionState.PASSED,
    (SubmissionState.QUESTION, SubmissionEvent.ANSWER): SubmissionState.WAITING,
    (SubmissionState.REFUSED, SubmissionEvent.APPEAL): SubmissionState.WAITING,
    (SubmissionState.PASSED, SubmissionEvent.REFUSE): SubmissionState.REFUSED,
    (SubmissionState.PASSED, SubmissionEvent.GO_PART): SubmissionState.PARTLY_LIVE,
    (SubmissionState.PASSED, SubmissionEvent.GO_LIVE): SubmissionState.LIVE,
    (SubmissionState.PARTLY_LIVE, SubmissionEvent.GO_PART): SubmissionState.PARTLY_LIVE,
    (SubmissionState.PARTLY_LIVE, SubmissionEvent.GO_LIVE): SubmissionState.LIVE,
    **{(state, SubmissionEvent.WITHDRAW): SubmissionState.WITHDRAWN for state in (*BEFORE_LIVE, *ON_SHOW)},
    **{(state, SubmissionEvent.REPLACE): SubmissionState.REPLACED for state in ON_SHOW},
    (SubmissionState.REPLACED, SubmissionEvent.RESTORE): SubmissionState.LIVE,
}
