"""Runs: planned, started, watched; what starts them by itself."""

from __future__ import annotations

import json
from collections.abc import Iterator

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import runs as runs_wire
from rampa.schema import sources as sources_wire
from rampa.schema.common import Page


class RunsCalls(Calls):
    """`client.runs`."""

    def plan(self, title: str, asked: runs_wire.NewRuns) -> list[runs_wire.Plan]:
        return self.connection.post(runs_wire.PlanList, f"{API}/titles/{title}/runs/plan", asked).plans

    def start(self, title: str, asked: runs_wire.NewRuns, key: str = "") -> list[runs_wire.RunSummary]:
        return self.connection.post(runs_wire.RunList, f"{API}/titles/{title}/runs", asked, key=key).items

    def repeat(self, title: str, number: int) -> runs_wire.RunSummary:
        return self.connection.post(runs_wire.RunList, _run(title, number) + "/repeat").items[0]

    def all(self, title: str, **query: object) -> Iterator[runs_wire.RunSummary]:
        """Filters as in `rampa.schema.runs.RunQuery`."""
        return self.connection.pages(Page[runs_wire.RunSummary], f"{API}/titles/{title}/runs", **query)

    def get(self, title: str, number: int) -> runs_wire.Run:
        return self.connection.get(runs_wire.Run, _run(title, number))

    def cancel(self, title: str, number: int) -> runs_wire.Run:
        return self.connection.post(runs_wire.Run, _run(title, number) + "/cancel")

    def approve(self, title: str, number: int) -> runs_wire.Run:
        return self.connection.post(runs_wire.Run, _run(title, number) + "/approve")

    def queue(self) -> runs_wire.Queue:
        return self.connection.get(runs_wire.Queue, f"{API}/queue")

    def log(self, title: str, number: int, start: int = 1, limit: int = 2000) -> runs_wire.LogOut:
        return self.connection.get(runs_wire.LogOut, _run(title, number) + "/log", start=start, limit=limit)

    def search_log(self, title: str, number: int, text: str) -> runs_wire.SearchOut:
        return self.connection.get(runs_wire.SearchOut, _run(title, number) + "/log/search", text=text)

    def log_text(self, title: str, number: int) -> Iterator[bytes]:
        return self.connection.stream(_run(title, number) + "/log.txt")

    def watch(self, title: str, number: int, after: int = 0) -> Iterator[runs_wire.LogOut | runs_wire.Run]:
        """Lines as they come, and the run whenever it changes, until it ended. Goes on by itself after a broken connection."""
        for event, data in self.connection.events(_run(title, number) + "/stream", after):
            if event == "lines":
                yield runs_wire.LogOut.model_validate_json(data)
            elif event == "run":
                yield runs_wire.Run.model_validate_json(data)

    def watch_all(self, title: str) -> Iterator[list[runs_wire.RunSummary]]:
        """The title's open and latest runs, again whenever one of them moves."""
        for event, data in self.connection.events(f"{API}/titles/{title}/runs/stream", 0):
            if event == "runs":
                yield [runs_wire.RunSummary.model_validate(r) for r in json.loads(data)["items"]]

    def triggers(self, title: str) -> list[sources_wire.TriggerOut]:
        return self.connection.get(Page[sources_wire.TriggerOut], f"{API}/titles/{title}/triggers").items

    def add_trigger(self, title: str, trigger: sources_wire.NewTrigger) -> sources_wire.TriggerOut:
        return self.connection.post(sources_wire.TriggerOut, f"{API}/titles/{title}/triggers", trigger)

    def change_trigger(self, title: str, name: str, trigger: sources_wire.TriggerIn) -> sources_wire.TriggerOut:
        path = f"{API}/titles/{title}/triggers/{name}"
        return self.connection.send(sources_wire.TriggerOut, "PUT", path, json_of(trigger), JSON)

    def remove_trigger(self, title: str, name: str) -> None:
        self.connection.request("DELETE", f"{API}/titles/{title}/triggers/{name}")


def _run(title: str, number: int) -> str:
    return f"{API}/titles/{title}/runs/{number}"
