"""The client library: what people script with. The command line and agents use nothing else.

from rampa.client import Client
with Client("http://127.0.0.1:8600", token) as rampa:
    for build in rampa.builds("peatlight"):
        print(build.name, build.version_name)
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from types import TracebackType

from blake3 import blake3

from rampa.client.connection import Connection
from rampa.client.profiles.calls import ProfileCalls
from rampa.client.runs import AgentCalls, RunCalls
from rampa.client.signing.calls import VaultCalls
from rampa.client.sources.calls import SourceCalls
from rampa.client.store import StoreCalls
from rampa.client.updates import UpdateCalls
from rampa.core.content.select.left_out import LeftOut
from rampa.core.files import disk_error
from rampa.schema import channels as channels_wire
from rampa.schema import devices as devices_wire
from rampa.schema import people as people_wire
from rampa.schema.builds import builds as builds_wire
from rampa.schema.builds import changes as changes_wire
from rampa.schema.common import Page
from rampa.schema.events import AuditEvent
from rampa.schema.titles import titles as titles_wire

API = "/api/v1"


class Client(ProfileCalls, SourceCalls, RunCalls, AgentCalls, VaultCalls, UpdateCalls, StoreCalls):
    """Every call of the service, with wire types in and out. Raises the errors of `rampa.core.errors`."""

    def __init__(self, address: str, token: str = "", *, connection: Connection | None = None) -> None:
        self.connection = connection or Connection(address, token)

    def __enter__(self) -> Client:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.connection.close()

    # People

    def session(self) -> people_wire.Session:
        return self.connection.get(people_wire.Session, f"{API}/session")

    def people(self) -> list[people_wire.Person]:
        return self.connection.get(Page[people_wire.Person], f"{API}/people").items

    def add_person(self, person: people_wire.NewPerson) -> people_wire.Person:
        return self.connection.post(people_wire.Person, f"{API}/people", person)

    def tokens(self) -> list[people_wire.Token]:
        return self.connection.get(Page[people_wire.Token], f"{API}/tokens").items

    def make_token(self, token: people_wire.NewToken) -> people_wire.MadeToken:
        return self.connection.post(people_wire.MadeToken, f"{API}/tokens", token)

    def revoke_token(self, token_id: str) -> None:
        self.connection.request("DELETE", f"{API}/tokens/{token_id}")

    # Titles

    def titles(self) -> list[titles_wire.Title]:
        return self.connection.get(Page[titles_wire.Title], f"{API}/titles").items

    def title(self, title: str) -> titles_wire.Title:
        return self.connection.get(titles_wire.Title, f"{API}/titles/{title}")

    def import_title(self, document: str, message: str = "", commit: str = "") -> titles_wire.Title:
        """A new title. One whose identifier is known already is a `Conflict`: add a revision to it."""
        sent = titles_wire.DocumentIn(document=document, message=message, commit=commit)
        return self.connection.post(titles_wire.Title, f"{API}/titles", sent)

    def add_revision(self, title: str, document: str, message: str, seen: int, commit: str = "") -> titles_wire.Title:
        """`seen` is the revision that this one was made from; `commit` where a repository owns the document."""
        sent = titles_wire.DocumentIn(document=document, message=message, commit=commit)
        path = f"{API}/titles/{title}/revisions"
        return self.connection.post(titles_wire.Title, path, sent, if_match=f'"{seen}"')

    def revisions(self, title: str) -> list[titles_wire.Revision]:
        return self.connection.get(Page[titles_wire.Revision], f"{API}/titles/{title}/revisions").items

    def revision(self, title: str, number: int) -> titles_wire.RevisionText:
        return self.connection.get(titles_wire.RevisionText, f"{API}/titles/{title}/revisions/{number}")

    def ramp(self, title: str) -> titles_wire.Ramp:
        return self.connection.get(titles_wire.Ramp, f"{API}/titles/{title}/ramp")

    # Builds

    def builds(self, title: str, **query: object) -> Iterator[builds_wire.BuildSummary]:
        """Filters as in `rampa.schema.builds.builds.BuildQuery`."""
        return self.connection.pages(Page[builds_wire.BuildSummary], f"{API}/titles/{title}/builds", **query)

    def build(self, title: str, number: int) -> builds_wire.Build:
        return self.connection.get(builds_wire.Build, _build(title, number))

    def open_build(self, title: str, build: builds_wire.NewBuild, key: str = "") -> builds_wire.Build:
        return self.connection.post(builds_wire.Build, f"{API}/titles/{title}/builds", build, key=key)

    def missing(self, title: str, number: int, digests: list[str]) -> list[str]:
        sent = builds_wire.MissingIn(digests=digests)
        return self.connection.post(builds_wire.MissingOut, _build(title, number) + "/missing", sent).missing

    def put_pack(self, title: str, number: int, data: bytes) -> builds_wire.PackStored:
        path = f"{_build(title, number)}/packs/{blake3(data).hexdigest()}"
        headers = {"Content-Type": "application/octet-stream"}
        return self.connection.send(builds_wire.PackStored, "PUT", path, data, headers)

    def complete_build(self, title: str, number: int, complete: builds_wire.CompleteBuild) -> builds_wire.Build:
        return self.connection.post(builds_wire.Build, _build(title, number) + "/complete", complete)

    def abandon_build(self, title: str, number: int) -> builds_wire.Build:
        return self.connection.post(builds_wire.Build, _build(title, number) + "/abandon")

    def change_notes(self, title: str, number: int, notes: str) -> builds_wire.Build:
        """Replaces the notes, whatever they were."""
        body = builds_wire.BuildChange(notes=notes).model_dump_json().encode()
        headers = {"If-Match": "*", "Content-Type": "application/json"}
        return self.connection.send(builds_wire.Build, "PATCH", _build(title, number), body, headers)

    def pin_build(self, title: str, number: int, pinned: bool) -> builds_wire.Build:
        body = builds_wire.BuildChange(pinned=pinned).model_dump_json(exclude_none=True).encode()
        headers = {"If-Match": "*", "Content-Type": "application/json"}
        return self.connection.send(builds_wire.Build, "PATCH", _build(title, number), body, headers)

    def sign_parts(self, title: str, number: int, asked: builds_wire.ToSignIn) -> builds_wire.SignaturesOut:
        return self.connection.post(builds_wire.SignaturesOut, _build(title, number) + "/signatures", asked)

    def provenance(self, title: str, number: int) -> bytes:
        return self.connection.request("GET", _build(title, number) + "/provenance").content

    def find_symbols(self, ident: str) -> builds_wire.SymbolsFound:
        return self.connection.get(builds_wire.SymbolsFound, f"{API}/symbols/{ident}")

    def sign_bundle(self, title: str, number: int, asked: builds_wire.SignBundleIn) -> builds_wire.Build:
        return self.connection.post(builds_wire.Build, _build(title, number) + "/sign", asked)

    def compare_builds(self, title: str, left: int, right: int) -> changes_wire.BuildComparison:
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
        beside = target.with_name(target.name + ".part")
        try:
            with beside.open("wb") as out:
                for piece in self.connection.stream(_build(title, number) + "/bundle"):
                    out.write(piece)
            beside.replace(target)
        except OSError as error:
            raise disk_error(error, target) from error
        finally:
            beside.unlink(missing_ok=True)

    def signature(self, title: str, number: int) -> bytes:
        return self.fetch(_build(title, number) + "/signature")

    def statement(self, title: str, number: int) -> bytes:
        return self.fetch(_build(title, number) + "/statement")

    # Channels and devices

    def channels(self, title: str) -> list[channels_wire.Channel]:
        return self.connection.get(channels_wire.ChannelList, f"{API}/titles/{title}/channels").items

    def channel(self, title: str, channel: str) -> channels_wire.Channel:
        return self.connection.get(channels_wire.Channel, _channel(title, channel))

    def preview(self, title: str, channel: str, number: int) -> channels_wire.PlacePreview:
        sent = channels_wire.PlaceIn(build=number)
        return self.connection.post(channels_wire.PlacePreview, _channel(title, channel) + "/preview", sent)

    def place(self, title: str, channel: str, number: int, etag: str) -> channels_wire.Placement:
        """`etag` from the preview: what the caller saw is what is placed, or nothing is."""
        sent = channels_wire.PlaceIn(build=number)
        path = _channel(title, channel) + "/placements"
        return self.connection.post(channels_wire.Placement, path, sent, if_match=f'"{etag}"')

    def withdraw(self, title: str, channel: str, placement: int) -> channels_wire.Placement:
        path = f"{_channel(title, channel)}/placements/{placement}/withdraw"
        return self.connection.post(channels_wire.Placement, path)

    def offer(self, title: str, channel: str, platform: str) -> channels_wire.Offer:
        return self.connection.get(channels_wire.Offer, _channel(title, channel) + "/offer", platform=platform)

    def devices(self, title: str) -> list[devices_wire.Device]:
        return self.connection.get(Page[devices_wire.Device], f"{API}/titles/{title}/devices").items

    def register_device(self, title: str, device: devices_wire.NewDevice) -> devices_wire.Device:
        return self.connection.post(devices_wire.Device, f"{API}/titles/{title}/devices", device)

    def remove_device(self, title: str, name: str) -> None:
        self.connection.request("DELETE", f"{API}/titles/{title}/devices/{name}")

    def report_device(self, title: str, name: str, report: devices_wire.DeviceReport) -> devices_wire.Device:
        path = f"{API}/titles/{title}/devices/{name}/report"
        headers = {"Content-Type": "application/json"}
        return self.connection.send(devices_wire.Device, "PUT", path, report.model_dump_json().encode(), headers)

    def events(self, **query: object) -> Iterator[AuditEvent]:
        return self.connection.pages(Page[AuditEvent], f"{API}/events", **query)

    def fetch(self, path: str, headers: dict[str, str] | None = None) -> bytes:
        """Plain bytes of an address."""
        return self.connection.request("GET", path, headers=headers or {}).content


def _build(title: str, number: int) -> str:
    return f"{API}/titles/{title}/builds/{number}"


def _channel(title: str, channel: str) -> str:
    return f"{API}/titles/{title}/channels/{channel}"
