"""The studio's own review desk."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, Calls
from rampa.schema import reviews as wire
from rampa.schema.common import Page


class ReviewsCalls(Calls):
    """`client.reviews`."""

    def all(self, view: str = "open", title: str = "", *, mine: bool = False) -> Iterator[wire.ReviewRowOut]:
        """What waits, by promise and age; or what is over, the newest first."""
        asked = {"view": view, "title": title or None, "mine": "true" if mine else None}
        return self.connection.pages(Page[wire.ReviewRowOut], f"{API}/reviews", limit=200, **asked)

    def make(self, title: str, asked: wire.NewReview) -> wire.BuildReview:
        return self.connection.post(wire.BuildReview, f"{API}/titles/{title}/reviews", asked)

    def get(self, title: str, number: int) -> wire.BuildReview:
        return self.connection.get(wire.BuildReview, f"{API}/titles/{title}/reviews/{number}")

    def act(
        self, title: str, number: int, act: str, text: str = "", about: str = "", reason: str = ""
    ) -> wire.BuildReview:
        asked = wire.ReviewAct.model_validate({"act": act, "text": text, "about": about, "reason": reason})
        return self.connection.post(wire.BuildReview, f"{API}/titles/{title}/reviews/{number}/acts", asked)

    def times(self) -> wire.ReviewTimes:
        return self.connection.get(wire.ReviewTimes, f"{API}/reviews/times")
