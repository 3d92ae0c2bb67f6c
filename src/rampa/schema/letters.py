"""What a person is told of by letter."""

from __future__ import annotations

from rampa.core.notices.kinds import NoticeKind, NoticeTime
from rampa.schema.common import SlugOrNone, Wire


class NoticeChoiceIn(Wire):
    """`title` empty: every title that has no choice of its own. `time` null: no choice of its own any more."""

    kind: NoticeKind
    title: SlugOrNone = ""
    time: NoticeTime | None


class TitleChoice(Wire):
    title: str
    time: NoticeTime


class NoticeChoice(Wire):
    kind: NoticeKind
    words: str
    of_titles: bool
    time: NoticeTime
    titles: list[TitleChoice]


class NoticeChoices(Wire):
    items: list[NoticeChoice]
