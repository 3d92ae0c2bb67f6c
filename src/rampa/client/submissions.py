"""Submissions: the plan, putting builds before storefronts, following them, acting on them; checks of the studio's own."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, Calls
from rampa.schema import submissions as wire
from rampa.schema.common import Page


class SubmissionsCalls(Calls):
    """`client.submissions`."""

    def plan(
        self,
        title: str,
        build: int | None = None,
        release: int | None = None,
        to: str = "",
        replaces: int | None = None,
    ) -> wire.SubmissionPlan:
        """`to`: storefronts with commas between them; empty: each build's own."""
        path = f"{API}/titles/{title}/submission-plan"
        return self.connection.get(
            wire.SubmissionPlan, path, build=build, release=release, to=to or None, replaces=replaces
        )

    def all(
        self, title: str, *, open_only: bool = False, storefront: str = "", build: int | None = None
    ) -> Iterator[wire.SubmissionRowOut]:
        """The newest first."""
        asked = {"open": "true" if open_only else None, "storefront": storefront or None, "build": build}
        return self.connection.pages(Page[wire.SubmissionRowOut], _at(title), limit=200, **asked)

    def make(self, title: str, asked: wire.NewSubmissions, key: str = "") -> list[wire.SubmissionOut]:
        return self.connection.post(wire.MadeSubmissions, _at(title), asked, key=key).items

    def get(self, title: str, number: int) -> wire.SubmissionOut:
        return self.connection.get(wire.SubmissionOut, _at(title, number))

    def look(self, title: str, number: int) -> wire.SubmissionOut:
        """Has the storefront asked now."""
        return self.connection.post(wire.SubmissionOut, f"{_at(title, number)}/look")

    def act(self, title: str, number: int, act: str, text: str = "", share: int | None = None) -> wire.SubmissionOut:
        asked = wire.SubmissionAct(act=act, text=text, share=share)
        return self.connection.post(wire.SubmissionOut, f"{_at(title, number)}/acts", asked)

    def hand_in(self, title: str, number: int) -> bytes:
        """A ZIP with the sheet and the pictures that go with a first bundle."""
        return self.connection.request("GET", f"{_at(title, number)}/hand-in").content

    def rules(self) -> list[wire.RuleOut]:
        return self.connection.get(wire.RuleList, f"{API}/studio-rules").items

    def add_rule(self, asked: wire.RuleIn) -> wire.RuleOut:
        return self.connection.post(wire.RuleOut, f"{API}/studio-rules", asked)

    def remove_rule(self, name: str) -> None:
        self.connection.request("DELETE", f"{API}/studio-rules/{name}")


def _at(title: str, number: int | None = None) -> str:
    return f"{API}/titles/{title}/submissions" + ("" if number is None else f"/{number}")
