"""Testers: groups, invitations, access; and what a tester calls."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import testers as wire
from rampa.schema.common import Page


class TestersCalls(Calls):
    """`client.testers`."""

    def all(self, title: str, **query: object) -> Iterator[wire.Tester]:
        return self.connection.pages(Page[wire.Tester], f"{API}/titles/{title}/testers", **query)

    def withdraw(self, title: str, person: str) -> None:
        self.connection.request("POST", f"{API}/titles/{title}/testers/{person}/withdraw", content=b"{}", headers=JSON)

    def groups(self, title: str) -> list[wire.Group]:
        return self.connection.get(wire.Groups, f"{API}/titles/{title}/groups").items

    def add_group(self, title: str, group: wire.NewGroup) -> wire.Groups:
        return self.connection.post(wire.Groups, f"{API}/titles/{title}/groups", group)

    def change_group(self, title: str, name: str, change: wire.GroupChange) -> wire.Groups:
        return self.connection.send(wire.Groups, "PATCH", f"{API}/titles/{title}/groups/{name}", json_of(change), JSON)

    def remove_group(self, title: str, name: str) -> None:
        self.connection.request("DELETE", f"{API}/titles/{title}/groups/{name}")

    def add_member(self, title: str, group: str, email: str) -> wire.Groups:
        asked = wire.MemberIn(email=email)
        return self.connection.post(wire.Groups, f"{API}/titles/{title}/groups/{group}/members", asked)

    def remove_member(self, title: str, group: str, person: str) -> None:
        self.connection.request("DELETE", f"{API}/titles/{title}/groups/{group}/members/{person}")

    def access(self, title: str, channel: str) -> list[wire.Access]:
        return self.connection.get(wire.AccessList, f"{API}/titles/{title}/channels/{channel}/access").items

    def give_access(self, title: str, channel: str, asked: wire.AccessIn) -> list[wire.Access]:
        return self.connection.post(wire.AccessList, f"{API}/titles/{title}/channels/{channel}/access", asked).items

    def take_access(self, title: str, channel: str, access: str) -> None:
        self.connection.request("DELETE", f"{API}/titles/{title}/channels/{channel}/access/{access}")

    def preview(self, title: str, group: str, asked: wire.AddressesIn) -> wire.InvitePreview:
        return self.connection.post(wire.InvitePreview, f"{_invitations(title, group)}/preview", asked)

    def invite(self, title: str, group: str, asked: wire.AddressesIn) -> wire.InvitePreview:
        return self.connection.post(wire.InvitePreview, _invitations(title, group), asked)

    def invitations(self, title: str, **query: object) -> Iterator[wire.TesterInvitation]:
        return self.connection.pages(Page[wire.TesterInvitation], f"{API}/titles/{title}/invitations", **query)

    def resend(self, title: str, invitation: str) -> wire.TesterInvitation:
        return self.connection.post(wire.TesterInvitation, f"{API}/titles/{title}/invitations/{invitation}/resend")

    def withdraw_invitation(self, title: str, invitation: str) -> wire.TesterInvitation:
        return self.connection.post(wire.TesterInvitation, f"{API}/titles/{title}/invitations/{invitation}/withdraw")

    def look(self, code: str) -> wire.JoinLook:
        """At an invitation, by the code of its link; needs no sign-in."""
        return self.connection.post(wire.JoinLook, f"{API}/join/look", wire.JoinIn(code=code))

    def join(self, asked: wire.JoinAccept) -> wire.JoinLook:
        return self.connection.post(wire.JoinLook, f"{API}/join", asked)

    def decline(self, code: str) -> None:
        asked = wire.JoinIn(code=code)
        self.connection.request("POST", f"{API}/join/decline", content=json_of(asked), headers=JSON)

    def testing(self) -> wire.Testing:
        """What the caller may install."""
        return self.connection.get(wire.Testing, f"{API}/testing")

    def install_page(self, title: str, channel: str, build: int) -> wire.InstallPage:
        return self.connection.get(wire.InstallPage, at_build(title, channel, build))

    def download_address(self, title: str, channel: str, build: int) -> wire.DownloadAddress:
        return self.connection.post(wire.DownloadAddress, f"{at_build(title, channel, build)}/address")

    def registration_code(self, title: str, channel: str) -> wire.RegistrationCode:
        at = f"{API}/testing/titles/{title}/channels/{channel}/registration"
        return self.connection.post(wire.RegistrationCode, at)

    def own_devices(self) -> list[wire.TestDevice]:
        return self.connection.get(wire.TestDevices, f"{API}/testing/devices").items

    def remove_own_device(self, device: str) -> None:
        self.connection.request("DELETE", f"{API}/testing/devices/{device}")


def _invitations(title: str, group: str) -> str:
    return f"{API}/titles/{title}/groups/{group}/invitations"


def at_build(title: str, channel: str, build: int) -> str:
    return f"{API}/testing/titles/{title}/channels/{channel}/builds/{build}"
