"""Titles: their documents, revisions, drafts; the ramp."""

from __future__ import annotations

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema.common import Page
from rampa.schema.titles import drafts as drafts_wire
from rampa.schema.titles import titles as titles_wire
from rampa.schema.titles.titles import SandboxIn, Title


class TitlesCalls(Calls):
    """`client.titles`."""

    def all(self) -> list[titles_wire.Title]:
        return self.connection.get(Page[titles_wire.Title], f"{API}/titles").items

    def get(self, title: str) -> titles_wire.Title:
        return self.connection.get(titles_wire.Title, f"{API}/titles/{title}")

    def add(self, document: str, message: str = "", commit: str = "") -> titles_wire.Title:
        """A new title. One whose identifier is known already is a `Conflict`: add a revision to it."""
        sent = titles_wire.DocumentIn(document=document, message=message, commit=commit)
        return self.connection.post(titles_wire.Title, f"{API}/titles", sent)

    def revise(self, title: str, document: str, message: str, seen: int, commit: str = "") -> titles_wire.Title:
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

    def change(self, title: str, number: int) -> drafts_wire.RevisionChange:
        path = f"{API}/titles/{title}/revisions/{number}/change"
        return self.connection.get(drafts_wire.RevisionChange, path)

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

    def need_sandbox(self, title: str, *, needed: bool) -> Title:
        body = json_of(SandboxIn(needed=needed))
        return self.connection.send(Title, "PUT", f"{API}/titles/{title}/sandbox", body, JSON)

    def set_owner(self, title: str, source: str, path: str = "rampa.toml") -> Title:
        """Hands the document to a source repository; with an empty `source`, back to the service."""
        body = drafts_wire.OwnerIn(source=source, path=path).model_dump_json().encode()
        headers = {"Content-Type": "application/json"}
        return self.connection.send(Title, "PUT", f"{API}/titles/{title}/owner", body, headers)
