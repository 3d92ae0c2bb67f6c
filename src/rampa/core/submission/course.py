"""How a submission goes until a storefront has it. From then on it is what the storefront says: life.py.

    waiting --begin--> sending
    sending --arrive--> there
     |  ^ `--hand-in--> by-hand --arrive--> there
     |  `--go-on------ halted
     `-----halt---------^
    waiting, sending, halted, by-hand --drop--> dropped          there --send-again--> sending: what the storefront lost

Waiting: it goes by itself once its checks are clean and its gates are open. Halted: a person stopped it, or the storefront said
no to something that a person must mend. By hand: a person hands the bundle in on the storefront's own page. What is dropped never
came there.
"""

from __future__ import annotations

from enum import StrEnum

from rampa.core.submission.life import OVER, WORDS, SubmissionState


class Course(StrEnum):
    WAITING = "waiting"
    SENDING = "sending"
    HALTED = "halted"
    BY_HAND = "by-hand"
    THERE = "there"
    DROPPED = "dropped"


class CourseEvent(StrEnum):
    BEGIN = "begin"
    HALT = "halt"
    GO_ON = "go-on"
    HAND_IN = "hand-in"
    ARRIVE = "arrive"
    SEND_AGAIN = "send-again"
    DROP = "drop"


BEFORE_THERE = (Course.WAITING, Course.SENDING, Course.HALTED, Course.BY_HAND)
TRANSITIONS = {
    (Course.WAITING, CourseEvent.BEGIN): Course.SENDING,
    (Course.SENDING, CourseEvent.HALT): Course.HALTED,
    (Course.SENDING, CourseEvent.HAND_IN): Course.BY_HAND,
    (Course.SENDING, CourseEvent.ARRIVE): Course.THERE,
    (Course.HALTED, CourseEvent.GO_ON): Course.SENDING,
    (Course.BY_HAND, CourseEvent.ARRIVE): Course.THERE,
    (Course.THERE, CourseEvent.SEND_AGAIN): Course.SENDING,
    **{(course, CourseEvent.DROP): Course.DROPPED for course in BEFORE_THERE},
}
COURSE_WORDS = {
    Course.WAITING: "waiting for its checks and gates",
    Course.SENDING: "being sent",
    Course.HALTED: "halted",
    Course.BY_HAND: "to be handed in by a person",
    Course.DROPPED: "given up before it was there",
}


def state_words(course: Course, state: SubmissionState | None) -> str:
    """Where a submission is, as people read it."""
    return WORDS[state] if course is Course.THERE and state is not None else COURSE_WORDS.get(course, course.value)


def is_over(course: Course, state: SubmissionState | None) -> bool:
    """Nothing more comes of it: the same build can be submitted there anew."""
    return course is Course.DROPPED or (course is Course.THERE and state in OVER)
