"""What you are told of by letter."""

from __future__ import annotations

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.core.notices.kinds import NoticeKind, NoticeTime
from rampa.schema.letters import NoticeChoice, NoticeChoiceIn, NoticeChoices

AT = f"{API}/account/notices"


class LettersCalls(Calls):
    """`client.letters`."""

    def choices(self) -> list[NoticeChoice]:
        return self.connection.get(NoticeChoices, AT).items

    def choose(self, kind: NoticeKind, time: NoticeTime | None, title: str = "") -> list[NoticeChoice]:
        """`time` None: no choice of its own any more."""
        asked = NoticeChoiceIn(kind=kind, title=title, time=time)
        return self.connection.send(NoticeChoices, "PUT", AT, json_of(asked), JSON).items
