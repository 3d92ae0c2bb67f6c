"""Profiles: resolved, compared, checked; texts that are no revision yet; picture sets."""

from __future__ import annotations

import base64
from pathlib import Path

from rampa.client.calls import API, Calls
from rampa.schema.profiles import pictures as pictures_wire
from rampa.schema.profiles import profiles as profiles_wire


class ProfilesCalls(Calls):
    """`client.profiles`."""

    def settings(self) -> profiles_wire.SettingsOut:
        return self.connection.get(profiles_wire.SettingsOut, f"{API}/settings")

    def resolved(self, title: str, profile: str, revision: int | None = None) -> profiles_wire.ResolvedOut:
        path = f"{API}/titles/{title}/profiles/{profile}"
        return self.connection.get(profiles_wire.ResolvedOut, path, revision=revision)

    def matrix(self, title: str, revision: int | None = None) -> profiles_wire.MatrixOut:
        return self.connection.get(profiles_wire.MatrixOut, f"{API}/titles/{title}/matrix", revision=revision)

    def check(self, title: str, revision: int | None = None) -> profiles_wire.CheckOut:
        return self.connection.get(profiles_wire.CheckOut, f"{API}/titles/{title}/check", revision=revision)

    def compare(self, title: str, left: str, right: str) -> profiles_wire.ComparisonOut:
        """Each side: `profile`, `profile@revision`, or `#build` for the profile that made that build."""
        return self.connection.get(
            profiles_wire.ComparisonOut, f"{API}/titles/{title}/comparison", left=left, right=right
        )

    def read_text(self, document: str, edits: list[profiles_wire.EditWire] | None = None) -> profiles_wire.TextOut:
        """What a text would be as a document, after edits. Nothing is stored."""
        sent = profiles_wire.TextIn(document=document, edits=edits or [])
        return self.connection.post(profiles_wire.TextOut, f"{API}/documents/read", sent)

    def picture_sets(self, picture: Path, use: str, platforms: list[str], background: str) -> pictures_wire.PicturesOut:
        """`use` is icon or opening; no platforms: all."""
        data = base64.b64encode(picture.read_bytes()).decode()
        sent = pictures_wire.PictureIn(data=data, use=use, platforms=platforms, background=background)
        return self.connection.post(pictures_wire.PicturesOut, f"{API}/pictures/sets", sent)
