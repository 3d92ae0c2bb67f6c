"""The client's calls about runs: planned, started, watched; agents; the queue."""

from __future__ import annotations

import json
from collections.abc import Iterator

from rampa.client.connection import Connection
from rampa.schema import agents as agents_wire
from rampa.schema import runs as wire
from rampa.schema.common import Page

API = "/api/v1"


class RunCalls:
    """Part of `Client`."""

    connection: Connection

    def plan_runs(self, title: str, asked: wire.NewRuns) -> list[wire.Plan]:
        return self.connection.post(wire.PlanList, f"{API}/titles/{title}/runs/plan", asked).plans

    def start_runs(self, title: str, asked: wire.NewRuns, key: str = "") -> list[wire.RunSummary]:
        return self.connection.post(wire.RunList, f"{API}/titles/{title}/runs", asked, key=key).items

    def repeat_run(self, title: str, number: int) -> wire.RunSummary:
        return self.connection.post(wire.RunList, _run(title, number) + "/repeat").items[0]

    def runs(self, title: str, **query: object) -> Iterator[wire.RunSummary]:
        """Filters as in `rampa.schema.runs.RunQuery`."""
        return self.connection.pages(Page[wire.RunSummary], f"{API}/titles/{title}/runs", **query)

    def run(self, title: str, number: int) -> wire.Run:
        return self.connection.get(wire.Run, _run(title, number))

    def cancel_run(self, title: str, number: int) -> wire.Run:
        return self.connection.post(wire.Run, _run(title, number) + "/cancel")

    def queue(self) -> wire.Queue:
        return self.connection.get(wire.Queue, f"{API}/queue")

    def log(self, title: str, number: int, start: int = 1, limit: int = 2000) -> wire.LogOut:
        return self.connection.get(wire.LogOut, _run(title, number) + "/log", start=start, limit=limit)

    def search_log(self, title: str, number: int, text: str) -> wire.SearchOut:
        return self.connection.get(wire.SearchOut, _run(title, number) + "/log/search", text=text)

    def log_text(self, title: str, number: int) -> Iterator[bytes]:
        return self.connection.stream(_run(title, number) + "/log.txt")

    def watch_run(self, title: str, number: int, after: int = 0) -> Iterator[wire.LogOut | wire.Run]:
        """Lines as they come, and the run whenever it changes, until it ended. Goes on by itself after a broken connection."""
        for event, data in self.connection.events(_run(title, number) + "/stream", after):
            if event == "lines":
                yield wire.LogOut.model_validate_json(data)
            elif event == "run":
                yield wire.Run.model_validate_json(data)

    def watch_runs(self, title: str) -> Iterator[list[wire.RunSummary]]:
        """The title's open and latest runs, again whenever one of them moves."""
        for event, data in self.connection.events(f"{API}/titles/{title}/runs/stream", 0):
            if event == "runs":
                yield [wire.RunSummary.model_validate(r) for r in json.loads(data)["items"]]

    # Agents

    def agents(self) -> list[agents_wire.Agent]:
        return self.connection.get(Page[agents_wire.Agent], f"{API}/agents").items

    def agent(self, name: str) -> agents_wire.Agent:
        return self.connection.get(agents_wire.Agent, f"{API}/agents/{name}")

    def change_agent(self, name: str, *, paused: bool) -> agents_wire.Agent:
        body = agents_wire.AgentChange(paused=paused).model_dump_json().encode()
        headers = {"Content-Type": "application/json"}
        return self.connection.send(agents_wire.Agent, "PATCH", f"{API}/agents/{name}", body, headers)

    def remove_agent(self, name: str) -> None:
        self.connection.request("DELETE", f"{API}/agents/{name}")


class AgentCalls:
    """What an agent itself calls; part of `Client`."""

    connection: Connection

    def register_agent(self, name: str, asked: agents_wire.RegisterIn) -> agents_wire.Agent:
        headers = {"Content-Type": "application/json"}
        body = asked.model_dump_json().encode()
        return self.connection.send(agents_wire.Agent, "PUT", f"{API}/agents/{name}", body, headers)

    def ask_for_work(self, name: str, asked: agents_wire.AskIn) -> agents_wire.WorkOut:
        return self.connection.post(agents_wire.WorkOut, f"{API}/agents/{name}/work", asked)

    def say_goodbye(self, name: str, instance: str) -> None:
        self._tell(f"{API}/agents/{name}/goodbye", agents_wire.GoodbyeIn(instance=instance))

    def beat(self, name: str, lease: str, progress: float | None) -> agents_wire.BeatOut:
        sent = agents_wire.BeatIn(progress=progress)
        return self.connection.post(agents_wire.BeatOut, _lease(name, lease) + "/beat", sent)

    def report_step(self, name: str, lease: str, step: agents_wire.StepIn) -> agents_wire.BeatOut:
        return self.connection.post(agents_wire.BeatOut, _lease(name, lease) + "/step", step)

    def send_log(self, name: str, lease: str, batch: agents_wire.LogIn) -> agents_wire.LogTaken:
        return self.connection.post(agents_wire.LogTaken, _lease(name, lease) + "/log", batch)

    def send_letter(self, name: str, lease: str) -> None:
        self._tell(_lease(name, lease) + "/letter", None)

    def end_run(self, name: str, lease: str, end: agents_wire.EndIn) -> None:
        self._tell(_lease(name, lease) + "/end", end)

    def _tell(self, path: str, body: agents_wire.GoodbyeIn | agents_wire.EndIn | None) -> None:
        content = body.model_dump_json().encode() if body else b"{}"
        self.connection.request("POST", path, content=content, headers={"Content-Type": "application/json"})


def _run(title: str, number: int) -> str:
    return f"{API}/titles/{title}/runs/{number}"


def _lease(name: str, lease: str) -> str:
    return f"{API}/agents/{name}/runs/{lease}"
