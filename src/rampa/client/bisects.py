"""Finding the commit between two builds."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, Calls
from rampa.schema import bisects as wire


class BisectsCalls(Calls):
    """`client.bisects`."""

    def plan(self, title: str, asked: wire.NewBisect) -> wire.BisectPlan:
        return self.connection.post(wire.BisectPlan, f"{API}/titles/{title}/bisects/plan", asked)

    def start(self, title: str, asked: wire.NewBisect, key: str = "") -> wire.Bisect:
        return self.connection.post(wire.Bisect, f"{API}/titles/{title}/bisects", asked, key=key)

    def all(self, title: str, **query: object) -> Iterator[wire.BisectSummary]:
        """Newest first; filters as in `rampa.schema.bisects.BisectQuery`."""
        return self.connection.pages(wire.BisectPage, f"{API}/titles/{title}/bisects", **query)

    def get(self, title: str, number: int) -> wire.Bisect:
        return self.connection.get(wire.Bisect, _bisect(title, number))

    def cancel(self, title: str, number: int) -> wire.Bisect:
        return self.connection.post(wire.Bisect, _bisect(title, number) + "/cancel")

    def diff(self, title: str, number: int) -> wire.CommitDiff:
        return self.connection.get(wire.CommitDiff, _bisect(title, number) + "/diff")


def _bisect(title: str, number: int) -> str:
    return f"{API}/titles/{title}/bisects/{number}"
