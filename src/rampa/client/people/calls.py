"""Sessions, people, tokens."""

from __future__ import annotations

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import people as people_wire
from rampa.schema import sign_in as sign_in_wire
from rampa.schema import title_people as title_wire
from rampa.schema.common import Page, Role


class PeopleCalls(Calls):
    """`client.people`."""

    def session(self) -> people_wire.Session:
        return self.connection.get(people_wire.Session, f"{API}/session")

    def all(self) -> list[people_wire.Person]:
        return self.connection.get(Page[people_wire.Person], f"{API}/people", testers="true").items

    def add(self, person: people_wire.NewPerson) -> people_wire.Person:
        return self.connection.post(people_wire.Person, f"{API}/people", person)

    def invite(self, person: people_wire.InviteIn) -> people_wire.Invitation:
        return self.connection.post(people_wire.Invitation, f"{API}/people/invitations", person)

    def accept(self, accepted: people_wire.AcceptIn) -> None:
        """With the code of an invitation or a reset; needs no sign-in."""
        self.connection.request("POST", f"{API}/invitation", content=json_of(accepted), headers=JSON)

    def change(self, person_id: str, change: people_wire.PersonChange) -> people_wire.Person:
        return self.connection.send(people_wire.Person, "PATCH", f"{API}/people/{person_id}", json_of(change), JSON)

    def at_title(self, title: str) -> title_wire.TitlePeople:
        return self.connection.get(title_wire.TitlePeople, f"{API}/titles/{title}/people")

    def set_title_role(self, title: str, person_id: str, role: Role) -> title_wire.TitlePeople:
        asked = json_of(title_wire.TitleRoleIn(role=role))
        path = f"{API}/titles/{title}/people/{person_id}"
        return self.connection.send(title_wire.TitlePeople, "PUT", path, asked, JSON)

    def drop_title_role(self, title: str, person_id: str) -> title_wire.TitlePeople:
        path = f"{API}/titles/{title}/people/{person_id}"
        return self.connection.send(title_wire.TitlePeople, "DELETE", path, b"", {})

    def reset(self, person_id: str) -> people_wire.Invitation:
        return self.connection.post(people_wire.Invitation, f"{API}/people/{person_id}/reset")

    def change_password(self, change: people_wire.PasswordChange) -> None:
        self.connection.request("PUT", f"{API}/session/password", content=json_of(change), headers=JSON)

    def begin_factor(self, password: str) -> people_wire.NewFactor:
        return self.connection.post(
            people_wire.NewFactor, f"{API}/session/second-factor", people_wire.FactorIn(password=password)
        )

    def finish_factor(self, code: str) -> people_wire.SpareCodes:
        asked = json_of(people_wire.CodeIn(code=code))
        return self.connection.send(people_wire.SpareCodes, "PUT", f"{API}/session/second-factor", asked, JSON)

    def passkeys(self) -> list[sign_in_wire.Passkey]:
        return self.connection.get(Page[sign_in_wire.Passkey], f"{API}/session/passkeys").items

    def remove_passkey(self, passkey: str) -> None:
        self.connection.request("DELETE", f"{API}/session/passkeys/{passkey}")

    def ways(self) -> sign_in_wire.Ways:
        """How one can sign in; needs no sign-in."""
        return self.connection.get(sign_in_wire.Ways, f"{API}/session/ways")

    def remove_factor(self) -> None:
        self.connection.request("DELETE", f"{API}/session/second-factor")

    def confirm(self, code: str) -> None:
        """For acts that matter: this token, for five minutes."""
        self.connection.request(
            "POST", f"{API}/session/confirmation", content=json_of(people_wire.CodeIn(code=code)), headers=JSON
        )

    def tokens(self) -> list[people_wire.Token]:
        return self.connection.get(Page[people_wire.Token], f"{API}/tokens").items

    def make_token(self, token: people_wire.NewToken) -> people_wire.MadeToken:
        return self.connection.post(people_wire.MadeToken, f"{API}/tokens", token)

    def revoke_token(self, token_id: str) -> None:
        self.connection.request("DELETE", f"{API}/tokens/{token_id}")
