"""Sources: repositories, uploaded folders."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import sources as sources_wire
from rampa.schema.builds import builds as builds_wire
from rampa.schema.common import Page


class SourcesCalls(Calls):
    """`client.sources`."""

    def get(self, title: str) -> sources_wire.SourceOut:
        return self.connection.get(sources_wire.SourceOut, _source(title))

    def connect(self, title: str, asked: sources_wire.SourceIn) -> sources_wire.SourceOut:
        """The fetch goes on in the background: `tried_at` moves on when it was done."""
        return self.connection.send(sources_wire.SourceOut, "PUT", _source(title), json_of(asked), JSON)

    def fetch(self, title: str) -> sources_wire.SourceOut:
        return self.connection.post(sources_wire.SourceOut, _source(title) + "/fetch")

    def set_defaults(self, title: str, defaults: list[sources_wire.BranchDefault]) -> sources_wire.SourceOut:
        sent = sources_wire.DefaultsIn(defaults=defaults)
        return self.connection.send(sources_wire.SourceOut, "PUT", _source(title) + "/defaults", json_of(sent), JSON)

    def refs(self, title: str, kind: str = "branch", **query: object) -> Iterator[sources_wire.RefOut]:
        return self.connection.pages(Page[sources_wire.RefOut], _source(title) + "/refs", kind=kind, **query)

    def commits(self, title: str, of: str = "", **query: object) -> Iterator[sources_wire.CommitOut]:
        return self.connection.pages(Page[sources_wire.CommitOut], _source(title) + "/commits", of=of, **query)

    def matches(self, title: str, kind: str, pattern: str) -> sources_wire.MatchesOut:
        return self.connection.get(sources_wire.MatchesOut, _source(title) + "/matches", kind=kind, pattern=pattern)

    def proposal(self, title: str, of: str = "") -> sources_wire.SeenDocument:
        return self.connection.get(sources_wire.SeenDocument, _source(title) + "/proposal", of=of)

    def try_repository(self, asked: sources_wire.TryIn) -> sources_wire.SeenDocument:
        """Of a repository that no title has yet."""
        return self.connection.post(sources_wire.SeenDocument, f"{API}/repositories/try", asked)

    def modules(self, title: str, commit: str) -> list[sources_wire.ModuleOut]:
        return self.connection.get(sources_wire.ModuleList, _source(title) + "/modules", of=commit).modules

    def folders(self, title: str) -> list[sources_wire.FolderOut]:
        return self.connection.get(Page[sources_wire.FolderOut], f"{API}/titles/{title}/folders").items

    def add_folder(self, title: str, folder: sources_wire.NewFolder) -> sources_wire.FolderOut:
        return self.connection.post(sources_wire.FolderOut, f"{API}/titles/{title}/folders", folder)

    def missing_of_folder(self, title: str, digests: list[str]) -> list[str]:
        sent = builds_wire.MissingIn(digests=digests)
        return self.connection.post(builds_wire.MissingOut, f"{API}/titles/{title}/folders/missing", sent).missing

    def put_folder_pack(self, title: str, digest: str, data: bytes) -> builds_wire.PackStored:
        headers = {"Content-Type": "application/octet-stream"}
        path = f"{API}/titles/{title}/folders/packs/{digest}"
        return self.connection.send(builds_wire.PackStored, "PUT", path, data, headers)


def _source(title: str) -> str:
    return f"{API}/titles/{title}/source"
