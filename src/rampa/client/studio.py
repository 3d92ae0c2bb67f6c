"""Who the studio is, its documents, its verification."""

from __future__ import annotations

from urllib.parse import quote

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.core.studio.verification import DocumentKind
from rampa.schema import studio as wire


class StudioCalls(Calls):
    """`client.studio`."""

    def get(self) -> wire.StudioOut:
        return self.connection.get(wire.StudioOut, f"{API}/studio")

    def say(self, facts: wire.StudioFacts) -> wire.StudioOut:
        return self.connection.send(wire.StudioOut, "PUT", f"{API}/studio", json_of(facts), JSON)

    def add_document(self, kind: DocumentKind, name: str, data: bytes) -> wire.StudioOut:
        path = f"{API}/studio/documents/{kind}?name={quote(name, safe='')}"
        return self.connection.send(wire.StudioOut, "PUT", path, data, {"Content-Type": "application/octet-stream"})

    def drop_document(self, kind: DocumentKind) -> wire.StudioOut:
        answer = self.connection.request("DELETE", f"{API}/studio/documents/{kind}")
        return wire.StudioOut.model_validate_json(answer.content)

    def document(self, kind: DocumentKind) -> bytes:
        return self.connection.request("GET", f"{API}/studio/documents/{kind}").content

    def hand_in(self, verifier: str) -> wire.StudioOut:
        return self.connection.post(wire.StudioOut, f"{API}/studio/verifications/{verifier}")

    def look(self, verifier: str) -> wire.StudioOut:
        return self.connection.post(wire.StudioOut, f"{API}/studio/verifications/{verifier}/look")

    def decide(self, asked: wire.VerdictIn) -> wire.StudioOut:
        return self.connection.post(wire.StudioOut, f"{API}/studio/verdict", asked)
