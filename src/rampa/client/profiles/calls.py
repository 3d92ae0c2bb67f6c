"""The client's calls about profiles: resolved, compared, checked, drafted; picture sets."""

from __future__ import annotations

import base64
from pathlib import Path

from rampa.client.connection import Connection
from rampa.schema.profiles import pictures as pictures_wire
from rampa.schema.profiles import profiles as wire
from rampa.schema.titles import drafts as drafts_wire
from rampa.schema.titles.titles import Title

API = "/api/v1"


class ProfileCalls:
    """Part of `Client`."""

    connection: Connection

    def settings(self) -> wire.SettingsOut:
        return self.connection.get(wire.SettingsOut, f"{API}/settings")

    def resolved(self, title: str, profile: str, revision: int | None = None) -> wire.ResolvedOut:
        path = f"{API}/titles/{title}/profiles/{profile}"
        return self.connection.get(wire.ResolvedOut, path, revision=revision)

    def matrix(self, title: str, revision: int | None = None) -> wire.MatrixOut:
        return self.connection.get(wire.MatrixOut, f"{API}/titles/{title}/matrix", revision=revision)

    def check(self, title: str, revision: int | None = None) -> wire.CheckOut:
        return self.connection.get(wire.CheckOut, f"{API}/titles/{title}/check", revision=revision)

    def compare(self, title: str, left: str, right: str) -> wire.ComparisonOut:
        """Each side: `profile`, `profile@revision`, or `#build` for the profile that made that build."""
        return self.connection.get(wire.ComparisonOut, f"{API}/titles/{title}/comparison", left=left, right=right)

    def revision_change(self, title: str, number: int) -> drafts_wire.RevisionChange:
        path = f"{API}/titles/{title}/revisions/{number}/change"
        return self.connection.get(drafts_wire.RevisionChange, path)

    def read_text(self, document: str, edits: list[wire.EditWire] | None = None) -> wire.TextOut:
        """What a text would be as a document, after edits. Nothing is stored."""
        sent = wire.TextIn(document=document, edits=edits or [])
        return self.connection.post(wire.TextOut, f"{API}/documents/read", sent)

    def drafts(self, title: str) -> drafts_wire.DraftsOut:
        return self.connection.get(drafts_wire.DraftsOut, f"{API}/titles/{title}/draft")

    def save_draft(self, title: str, document: str, base: int, seen: int) -> drafts_wire.DraftOut:
        """`base` is the revision that the draft was made from, `seen` the draft's version, 0 for none."""
        body = drafts_wire.DraftIn(document=document, base=base).model_dump_json().encode()
        headers = {"If-Match": f'"{seen}"', "Content-Type": "application/json"}
        return self.connection.send(drafts_wire.DraftOut, "PUT", f"{API}/titles/{title}/draft", body, headers)

    def drop_draft(self, title: str) -> None:
        self.connection.request("DELETE", f"{API}/titles/{title}/draft")

    def review(self, title: str, document: str, base: int) -> drafts_wire.ReviewOut:
        sent = drafts_wire.DraftIn(document=document, base=base)
        return self.connection.post(drafts_wire.ReviewOut, f"{API}/titles/{title}/draft/review", sent)

    def set_owner(self, title: str, source: str, path: str = "rampa.toml") -> Title:
        """Hands the document to a source repository; with an empty `source`, back to the service."""
        body = drafts_wire.OwnerIn(source=source, path=path).model_dump_json().encode()
        headers = {"Content-Type": "application/json"}
        return self.connection.send(Title, "PUT", f"{API}/titles/{title}/owner", body, headers)

    def picture_sets(self, picture: Path, use: str, platforms: list[str], background: str) -> pictures_wire.PicturesOut:
        """`use` is icon or opening; no platforms: all."""
        data = base64.b64encode(picture.read_bytes()).decode()
        sent = pictures_wire.PictureIn(data=data, use=use, platforms=platforms, background=background)
        return self.connection.post(pictures_wire.PicturesOut, f"{API}/pictures/sets", sent)
