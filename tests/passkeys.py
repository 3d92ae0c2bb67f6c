"""A passkey in software, for tests: what a browser and an authenticator do together (WebAuthn, ES256, no attestation)."""

from __future__ import annotations

import base64
import hashlib
import json
import secrets
from dataclasses import dataclass, field
from typing import Any

import cbor2
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec

HERE = "http://localhost:8600"
PRESENT, VERIFIED, ATTESTED = 0x01, 0x04, 0x40


@dataclass
class Passkey:
    """`origin` is the page's, `host` what the answer is made for; `flags` what the device claims of its person."""

    origin: str = HERE
    host: str = "localhost"
    flags: int = PRESENT | VERIFIED
    uses: int = 0
    handle: bytes = b""
    ident: bytes = field(default_factory=lambda: secrets.token_bytes(32))
    key: ec.EllipticCurvePrivateKey = field(default_factory=lambda: ec.generate_private_key(ec.SECP256R1()))

    def attested(self, options: dict[str, Any], fmt: str = "none") -> dict[str, Any]:
        self.handle = unpacked(options["user"]["id"])
        at = self.key.public_key().public_numbers()
        cose = cbor2.dumps({1: 2, 3: -7, -1: 1, -2: at.x.to_bytes(32, "big"), -3: at.y.to_bytes(32, "big")})
        data = self._data(ATTESTED) + bytes(16) + len(self.ident).to_bytes(2, "big") + self.ident + cose
        statement = {"fmt": fmt, "attStmt": {}, "authData": data}
        said = self._client_data("webauthn.create", options)
        return self._answer({"clientDataJSON": packed(said), "attestationObject": packed(cbor2.dumps(statement))})

    def asserted(self, options: dict[str, Any]) -> dict[str, Any]:
        self.uses += 1
        data, said = self._data(0), self._client_data("webauthn.get", options)
        signature = self.key.sign(data + hashlib.sha256(said).digest(), ec.ECDSA(hashes.SHA256()))
        response = {"authenticatorData": data, "clientDataJSON": said, "signature": signature}
        response |= {"userHandle": self.handle} if self.handle else {}
        return self._answer({name: packed(value) for name, value in response.items()})

    def _data(self, flags: int) -> bytes:
        return hashlib.sha256(self.host.encode()).digest() + bytes([self.flags | flags]) + self.uses.to_bytes(4, "big")

    def _client_data(self, kind: str, options: dict[str, Any]) -> bytes:
        return json.dumps({"type": kind, "challenge": options["challenge"], "origin": self.origin}).encode()

    def _answer(self, response: dict[str, str]) -> dict[str, Any]:
        ident = packed(self.ident)
        return {"id": ident, "rawId": ident, "type": "public-key", "response": response}


def packed(raw: bytes) -> str:
    return base64.urlsafe_b64encode(raw).decode().rstrip("=")


def unpacked(text: str) -> bytes:
    return base64.urlsafe_b64decode(text + "=" * (-len(text) % 4))
