"""Agents: as people see them, and what an agent itself calls."""

from __future__ import annotations

from pydantic import BaseModel

from rampa.client.calls import API, Calls
from rampa.schema import agents as agents_wire
from rampa.schema.common import Page


class AgentsCalls(Calls):
    """`client.agents`."""

    def all(self) -> list[agents_wire.Agent]:
        return self.connection.get(Page[agents_wire.Agent], f"{API}/agents").items

    def get(self, name: str) -> agents_wire.Agent:
        return self.connection.get(agents_wire.Agent, f"{API}/agents/{name}")

    def change(self, name: str, *, paused: bool) -> agents_wire.Agent:
        body = agents_wire.AgentChange(paused=paused).model_dump_json().encode()
        headers = {"Content-Type": "application/json"}
        return self.connection.send(agents_wire.Agent, "PATCH", f"{API}/agents/{name}", body, headers)

    def remove(self, name: str) -> None:
        self.connection.request("DELETE", f"{API}/agents/{name}")

    def make_code(self, name: str) -> agents_wire.EnrolmentCode:
        return self.connection.post(agents_wire.EnrolmentCode, f"{API}/agents/{name}/enrolment")

    def enrol(self, name: str, asked: agents_wire.EnrolIn) -> None:
        self._tell(f"{API}/agents/{name}/key", asked)

    def make_token(self, name: str, proof: agents_wire.ProofIn) -> agents_wire.AgentToken:
        return self.connection.post(agents_wire.AgentToken, f"{API}/agents/{name}/token", proof)

    def register(self, name: str, asked: agents_wire.RegisterIn) -> agents_wire.Agent:
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

    def _tell(self, path: str, body: BaseModel | None) -> None:
        content = body.model_dump_json().encode() if body else b"{}"
        self.connection.request("POST", path, content=content, headers={"Content-Type": "application/json"})


def _lease(name: str, lease: str) -> str:
    return f"{API}/agents/{name}/runs/{lease}"
