"""Builds: made step by step, looked at, compared, removed."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from blake3 import blake3

from rampa.client.calls import API, Calls
from rampa.core.content.select.left_out import LeftOut
from rampa.core.files import disk_error, replacing
from rampa.schema.builds import builds as builds_wire
from rampa.schema.builds import changes as changes_wire
from rampa.schema.common import Page


class BuildsCalls(Calls):
    """`client.builds`."""

    def all(self, title: str, **query: object) -> Iterator[builds_wire.BuildSummary]:
        """Filters as in `rampa.schema.builds.builds.BuildQuery`."""
        return self.connection.pages(Page[builds_wire.BuildSummary], f"{API}/titles/{title}/builds", **query)

    def get(self, title: str, number: int) -> builds_wire.Build:
        return self.connection.get(builds_wire.Build, _build(title, number))

    def open(self, title: str, build: builds_wire.NewBuild, key: str = "") -> builds_wire.Build:
        return self.connection.post(builds_wire.Build, f"{API}/titles/{title}/builds", build, key=key)

    def missing(self, title: str, number: int, digests: list[str]) -> list[str]:
        sent = builds_wire.MissingIn(digests=digests)
        return self.connection.post(builds_wire.MissingOut, _build(title, number) + "/missing", sent).missing

    def put_pack(self, title: str, number: int, data: bytes) -> builds_wire.PackStored:
        path = f"{_build(title, number)}/packs/{blake3(data).hexdigest()}"
        headers = {"Content-Type": "application/octet-stream"}
        return self.connection.send(builds_wire.PackStored, "PUT", path, data, headers)

    def write_bundle(
        self, title: str, number: int, wanted: builds_wire.WriteBundleIn
    ) -> Iterator[builds_wire.BundleWriting]:
        """The service writes the bundle itself; how far it is, and in the end whether it is there."""
        return self.connection.lines(builds_wire.BundleWriting, _build(title, number) + "/bundle", wanted)

    def complete(self, title: str, number: int, complete: builds_wire.CompleteBuild) -> builds_wire.Build:
        return self.connection.post(builds_wire.Build, _build(title, number) + "/complete", complete)

    def abandon(self, title: str, number: int) -> builds_wire.Build:
        return self.connection.post(builds_wire.Build, _build(title, number) + "/abandon")

    def change_notes(self, title: str, number: int, notes: str) -> builds_wire.Build:
        """Replaces the notes, whatever they were."""
        body = builds_wire.BuildChange(notes=notes).model_dump_json().encode()
        headers = {"If-Match": "*", "Content-Type": "application/json"}
        return self.connection.send(builds_wire.Build, "PATCH", _build(title, number), body, headers)

    def pin(self, title: str, number: int, pinned: bool) -> builds_wire.Build:
        body = builds_wire.BuildChange(pinned=pinned).model_dump_json(exclude_none=True).encode()
        headers = {"If-Match": "*", "Content-Type": "application/json"}
        return self.connection.send(builds_wire.Build, "PATCH", _build(title, number), body, headers)

    def sign_inside(self, title: str, number: int, asked: builds_wire.SignBundleIn) -> builds_wire.SignaturesOut:
        return self.connection.post(builds_wire.SignaturesOut, _build(title, number) + "/signatures", asked)

    def provenance(self, title: str, number: int) -> bytes:
        return self.connection.request("GET", _build(title, number) + "/provenance").content

    def find_symbols(self, ident: str) -> builds_wire.SymbolsFound:
        return self.connection.get(builds_wire.SymbolsFound, f"{API}/symbols/{ident}")

    def sign_bundle(self, title: str, number: int, asked: builds_wire.SignBundleIn) -> builds_wire.Build:
        return self.connection.post(builds_wire.Build, _build(title, number) + "/sign", asked)

    def compare(self, title: str, left: int, right: int) -> changes_wire.BuildComparison:
        path = f"{API}/titles/{title}/builds/comparison"
        return self.connection.get(changes_wire.BuildComparison, path, left=left, right=right)

    def retention(self, title: str) -> changes_wire.RetentionOut:
        return self.connection.get(changes_wire.RetentionOut, f"{API}/titles/{title}/retention")

    def preview_retention(self, title: str, policy: changes_wire.RetentionPolicy) -> changes_wire.RetentionOut:
        return self.connection.post(changes_wire.RetentionOut, f"{API}/titles/{title}/retention/preview", policy)

    def set_retention(self, title: str, policy: changes_wire.RetentionPolicy) -> changes_wire.RetentionOut:
        headers = {"Content-Type": "application/json"}
        body = policy.model_dump_json().encode()
        return self.connection.send(changes_wire.RetentionOut, "PUT", f"{API}/titles/{title}/retention", body, headers)

    def apply_retention(self, title: str, builds: list[int]) -> changes_wire.RetentionOut:
        sent = changes_wire.RemoveIn(builds=builds)
        return self.connection.post(changes_wire.RetentionOut, f"{API}/titles/{title}/retention/apply", sent)

    def files(self, title: str, number: int) -> list[builds_wire.FileOut]:
        return self.connection.get(builds_wire.FileList, _build(title, number) + "/files").files

    def left_out(self, title: str, number: int) -> list[LeftOut]:
        return self.connection.get(builds_wire.LeftOutList, _build(title, number) + "/left-out").files

    def save_bundle(self, title: str, number: int, target: Path) -> None:
        """Writes the bundle beside and renames it."""
        try:
            with replacing(target) as out:
                for piece in self.connection.stream(_build(title, number) + "/bundle"):
                    out.write(piece)
        except OSError as error:
            raise disk_error(error, target) from error

    def signature(self, title: str, number: int) -> bytes:
        return self._fetch(_build(title, number) + "/signature")

    def statement(self, title: str, number: int) -> bytes:
        return self._fetch(_build(title, number) + "/statement")


def _build(title: str, number: int) -> str:
    return f"{API}/titles/{title}/builds/{number}"
