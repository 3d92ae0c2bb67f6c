"""Sessions, people, tokens."""

from __future__ import annotations

from rampa.client.calls import API, Calls
from rampa.schema import people as people_wire
from rampa.schema.common import Page


class PeopleCalls(Calls):
    """`client.people`."""

    def session(self) -> people_wire.Session:
        return self.connection.get(people_wire.Session, f"{API}/session")

    def all(self) -> list[people_wire.Person]:
        return self.connection.get(Page[people_wire.Person], f"{API}/people").items

    def add(self, person: people_wire.NewPerson) -> people_wire.Person:
        return self.connection.post(people_wire.Person, f"{API}/people", person)

    def tokens(self) -> list[people_wire.Token]:
        return self.connection.get(Page[people_wire.Token], f"{API}/tokens").items

    def make_token(self, token: people_wire.NewToken) -> people_wire.MadeToken:
        return self.connection.post(people_wire.MadeToken, f"{API}/tokens", token)

    def revoke_token(self, token_id: str) -> None:
        self.connection.request("DELETE", f"{API}/tokens/{token_id}")
