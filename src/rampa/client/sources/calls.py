"""The client's calls about sources, triggers, step variables."""

from __future__ import annotations

from collections.abc import Iterator

from pydantic import BaseModel

from rampa.client.connection import Connection
from rampa.schema import sources as wire
from rampa.schema.builds import builds as builds_wire
from rampa.schema.common import Page

API = "/api/v1"
JSON = {"Content-Type": "application/json"}


class SourceCalls:
    """Part of `Client`."""

    connection: Connection

    def source(self, title: str) -> wire.SourceOut:
        return self.connection.get(wire.SourceOut, _source(title))

    def connect_source(self, title: str, asked: wire.SourceIn) -> wire.SourceOut:
        """The fetch goes on in the background: `tried_at` moves on when it was done."""
        return self.connection.send(wire.SourceOut, "PUT", _source(title), _json(asked), JSON)

    def fetch_source(self, title: str) -> wire.SourceOut:
        return self.connection.post(wire.SourceOut, _source(title) + "/fetch")

    def set_defaults(self, title: str, defaults: list[wire.BranchDefault]) -> wire.SourceOut:
        sent = wire.DefaultsIn(defaults=defaults)
        return self.connection.send(wire.SourceOut, "PUT", _source(title) + "/defaults", _json(sent), JSON)

    def refs(self, title: str, kind: str = "branch", **query: object) -> Iterator[wire.RefOut]:
        return self.connection.pages(Page[wire.RefOut], _source(title) + "/refs", kind=kind, **query)

    def commits(self, title: str, of: str = "", **query: object) -> Iterator[wire.CommitOut]:
        return self.connection.pages(Page[wire.CommitOut], _source(title) + "/commits", of=of, **query)

    def matches(self, title: str, kind: str, pattern: str) -> wire.MatchesOut:
        return self.connection.get(wire.MatchesOut, _source(title) + "/matches", kind=kind, pattern=pattern)

    def proposal(self, title: str, of: str = "") -> wire.SeenDocument:
        return self.connection.get(wire.SeenDocument, _source(title) + "/proposal", of=of)

    def try_repository(self, asked: wire.TryIn) -> wire.SeenDocument:
        """Of a repository that no title has yet."""
        return self.connection.post(wire.SeenDocument, f"{API}/repositories/try", asked)

    def modules(self, title: str, commit: str) -> list[wire.ModuleOut]:
        return self.connection.get(wire.ModuleList, _source(title) + "/modules", of=commit).modules

    # Uploaded folders

    def folders(self, title: str) -> list[wire.FolderOut]:
        return self.connection.get(Page[wire.FolderOut], f"{API}/titles/{title}/folders").items

    def add_folder(self, title: str, folder: wire.NewFolder) -> wire.FolderOut:
        return self.connection.post(wire.FolderOut, f"{API}/titles/{title}/folders", folder)

    def missing_of_folder(self, title: str, digests: list[str]) -> list[str]:
        sent = builds_wire.MissingIn(digests=digests)
        return self.connection.post(builds_wire.MissingOut, f"{API}/titles/{title}/folders/missing", sent).missing

    def put_folder_pack(self, title: str, digest: str, data: bytes) -> builds_wire.PackStored:
        headers = {"Content-Type": "application/octet-stream"}
        path = f"{API}/titles/{title}/folders/packs/{digest}"
        return self.connection.send(builds_wire.PackStored, "PUT", path, data, headers)

    # Triggers

    def triggers(self, title: str) -> list[wire.TriggerOut]:
        return self.connection.get(Page[wire.TriggerOut], f"{API}/titles/{title}/triggers").items

    def add_trigger(self, title: str, trigger: wire.NewTrigger) -> wire.TriggerOut:
        return self.connection.post(wire.TriggerOut, f"{API}/titles/{title}/triggers", trigger)

    def change_trigger(self, title: str, name: str, trigger: wire.TriggerIn) -> wire.TriggerOut:
        path = f"{API}/titles/{title}/triggers/{name}"
        return self.connection.send(wire.TriggerOut, "PUT", path, _json(trigger), JSON)

    def remove_trigger(self, title: str, name: str) -> None:
        self.connection.request("DELETE", f"{API}/titles/{title}/triggers/{name}")

    # Step variables

    def variables(self) -> list[wire.StepVariablesOut]:
        return self.connection.get(Page[wire.StepVariablesOut], f"{API}/variables").items

    def one_variables(self, name: str) -> wire.StepVariablesOut:
        return self.connection.get(wire.StepVariablesOut, f"{API}/variables/{name}")

    def put_variables(self, name: str, asked: wire.StepVariablesIn, seen: int | None = None) -> wire.StepVariablesOut:
        headers = {**JSON, **({"If-Match": f'"{seen}"'} if seen is not None else {})}
        return self.connection.send(wire.StepVariablesOut, "PUT", f"{API}/variables/{name}", _json(asked), headers)

    def remove_variables(self, name: str) -> None:
        self.connection.request("DELETE", f"{API}/variables/{name}")


def _source(title: str) -> str:
    return f"{API}/titles/{title}/source"


def _json(body: BaseModel) -> bytes:
    return body.model_dump_json().encode()
