"""Feedback: what testers say, and the studio's answers."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, Calls
from rampa.client.testers import at_build
from rampa.schema import feedback as wire
from rampa.schema.common import Page


class FeedbackCalls(Calls):
    """`client.feedback`."""

    def say(self, title: str, channel: str, build: int, asked: wire.FeedbackIn) -> wire.Feedback:
        path = f"{at_build(title, channel, build)}/feedback"
        return self.connection.post(wire.Feedback, path, asked)

    def own(self) -> list[wire.Feedback]:
        return self.connection.get(Page[wire.Feedback], f"{API}/testing/feedback").items

    def reply(self, feedback_id: str, text: str) -> wire.Feedback:
        path = f"{API}/testing/feedback/{feedback_id}/reply"
        return self.connection.post(wire.Feedback, path, wire.WordIn(text=text))

    def all(self, title: str, **query: object) -> Iterator[wire.Feedback]:
        return self.connection.pages(Page[wire.Feedback], f"{API}/titles/{title}/feedback", **query)

    def get(self, title: str, number: int) -> wire.Feedback:
        return self.connection.get(wire.Feedback, f"{API}/titles/{title}/feedback/{number}")

    def answer(self, title: str, number: int, text: str) -> wire.Feedback:
        path = f"{API}/titles/{title}/feedback/{number}/answer"
        return self.connection.post(wire.Feedback, path, wire.WordIn(text=text))

    def close(self, title: str, number: int, asked: wire.CloseIn) -> wire.Feedback:
        return self.connection.post(wire.Feedback, f"{API}/titles/{title}/feedback/{number}/close", asked)

    def reopen(self, title: str, number: int) -> wire.Feedback:
        return self.connection.post(wire.Feedback, f"{API}/titles/{title}/feedback/{number}/reopen")
