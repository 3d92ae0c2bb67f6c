"""A piece of feedback's life: what a tester said of a build, and what came of it.

    open <---reply--- answered <--answer-.
     | `----answer----^  `------answer---'
     `---close--> closed <--close-- answered
                    `---reopen---> open

Open: the studio has the word. Answered: the tester has it. Closed: nothing more is waited for, mended or not.
"""

from __future__ import annotations

from enum import StrEnum


class FeedbackState(StrEnum):
    OPEN = "open"
    ANSWERED = "answered"
    CLOSED = "closed"


class FeedbackEvent(StrEnum):
    ANSWER = "answer"
    REPLY = "reply"
    CLOSE = "close"
    REOPEN = "reopen"


TRANSITIONS = {
    (FeedbackState.OPEN, FeedbackEvent.ANSWER): FeedbackState.ANSWERED,
    (FeedbackState.OPEN, FeedbackEvent.REPLY): FeedbackState.OPEN,
    (FeedbackState.OPEN, FeedbackEvent.CLOSE): FeedbackState.CLOSED,
    (FeedbackState.ANSWERED, FeedbackEvent.ANSWER): FeedbackState.ANSWERED,
    (FeedbackState.ANSWERED, FeedbackEvent.REPLY): FeedbackState.OPEN,
    (FeedbackState.ANSWERED, FeedbackEvent.CLOSE): FeedbackState.CLOSED,
    (FeedbackState.CLOSED, FeedbackEvent.REOPEN): FeedbackState.OPEN,
}
