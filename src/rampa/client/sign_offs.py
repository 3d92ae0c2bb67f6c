"""Play sign-offs: checklists, one's own word on a build, what it comes to."""

from __future__ import annotations

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.client.testers import at_build
from rampa.schema import sign_offs as wire


class SignOffsCalls(Calls):
    """`client.sign_offs`."""

    def checklists(self, title: str) -> wire.Checklists:
        return self.connection.get(wire.Checklists, f"{API}/titles/{title}/checklists")

    def set_checklists(self, title: str, text: str) -> wire.Checklists:
        sent = json_of(wire.ChecklistsIn(text=text))
        return self.connection.send(wire.Checklists, "PUT", f"{API}/titles/{title}/checklists", sent, JSON)

    def of_build(self, title: str, build: int) -> wire.BuildSignOffs:
        return self.connection.get(wire.BuildSignOffs, f"{API}/titles/{title}/builds/{build}/sign-offs")

    def of_release(self, title: str, release: int) -> wire.ReleaseSignOffs:
        return self.connection.get(wire.ReleaseSignOffs, f"{API}/titles/{title}/releases/{release}/sign-offs")

    def own(self, title: str, channel: str, build: int) -> list[wire.OwnSignOff]:
        return self.connection.get(wire.OwnSignOffs, f"{at_build(title, channel, build)}/sign-offs").items

    def save(self, title: str, channel: str, build: int, checklist: str, asked: wire.SignOffIn) -> wire.OwnSignOff:
        path = f"{at_build(title, channel, build)}/sign-offs/{checklist}"
        return self.connection.send(wire.OwnSignOff, "PUT", path, json_of(asked), JSON)

    def reopen(self, title: str, channel: str, build: int, checklist: str) -> wire.OwnSignOff:
        return self.connection.post(wire.OwnSignOff, f"{at_build(title, channel, build)}/sign-offs/{checklist}/reopen")

    def add_picture(self, title: str, channel: str, build: int, data: bytes) -> wire.MadePicture:
        headers = {"Content-Type": "image/*"}
        return self.connection.send(
            wire.MadePicture, "POST", f"{at_build(title, channel, build)}/pictures", data, headers
        )

    def picture(self, picture: str) -> bytes:
        """A JPEG."""
        return self._fetch(f"{API}/testing/pictures/{picture}")
