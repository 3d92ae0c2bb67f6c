"""Sets of step variables."""

from __future__ import annotations

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import sources as sources_wire
from rampa.schema.common import Page


class VariablesCalls(Calls):
    """`client.variables`."""

    def all(self) -> list[sources_wire.StepVariablesOut]:
        return self.connection.get(Page[sources_wire.StepVariablesOut], f"{API}/variables").items

    def get(self, name: str) -> sources_wire.StepVariablesOut:
        return self.connection.get(sources_wire.StepVariablesOut, f"{API}/variables/{name}")

    def put(
        self, name: str, asked: sources_wire.StepVariablesIn, seen: int | None = None
    ) -> sources_wire.StepVariablesOut:
        headers = {**JSON, **({"If-Match": f'"{seen}"'} if seen is not None else {})}
        return self.connection.send(
            sources_wire.StepVariablesOut, "PUT", f"{API}/variables/{name}", json_of(asked), headers
        )

    def remove(self, name: str) -> None:
        self.connection.request("DELETE", f"{API}/variables/{name}")
