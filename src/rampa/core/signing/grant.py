"""A grant: the signed list of devices that a restricted build may run on, as CMS SignedData with the list inside (RFC 5652).

The list is canonical JSON: identifier, certificate, purpose, devices, number, when it was made and when it ends. A device reads
it, verifies the signature by the certificate that the build was signed with, and looks for itself.
"""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import asdict, dataclass

from rampa.core.errors import Damaged, Invalid, Refused
from rampa.core.signing import cms
from rampa.core.signing.identity import Identity

KIND = "rampa-grant-1"
PURPOSES = ("development", "testing", "release")
MAX_DEVICES = 10_000


@dataclass(frozen=True)
class Grant:
    """`certificate` is the SHA-256 of the one that the builds are signed with; moments in UTC."""

    number: int
    identifier: str
    certificate: str
    purpose: str
    devices: tuple[str, ...]
    made_at: dt.datetime
    expires_at: dt.datetime

    def __post_init__(self) -> None:
        if self.purpose not in PURPOSES:
            raise Invalid(
                "grant.purpose", f"there is no purpose {self.purpose!r}", hint=f"Choose: {', '.join(PURPOSES)}."
            )
        if not 1 <= len(self.devices) <= MAX_DEVICES or len(set(self.devices)) != len(self.devices):
            raise Invalid("grant.devices", f"a grant lists 1 to {MAX_DEVICES:,} devices, each once")
        if self.expires_at <= self.made_at:
            raise Invalid("grant.expiry", "the grant would end before it begins", where="expires_at")


def sign(grant: Grant, identity: Identity) -> bytes:
    """Raises `Invalid` when the identity is not the one that the grant names."""
    if identity.fingerprint != grant.certificate:
        raise Invalid("grant.identity", "a grant is signed by the identity that signs its builds")
    return cms.sign_inside(_encode(grant), identity)


def read(signed: bytes) -> Grant:
    """Verifies the signature and reads the list. Raises `Damaged`. Whether it lets a device run is `must_allow`'s question."""
    content, signer = cms.open_inside(signed)
    try:
        body = json.loads(content)
        if body.pop("kind") != KIND:
            raise Damaged("grant.kind", "this is not a grant")
        moments = {k: dt.datetime.fromisoformat(body.pop(k)) for k in ("made_at", "expires_at")}
        grant = Grant(
            int(body["number"]), str(body["identifier"]), str(body["certificate"]), str(body["purpose"]),
            tuple(str(d) for d in body["devices"]), moments["made_at"], moments["expires_at"],
        )  # fmt: skip
    except (ValueError, KeyError, TypeError, Invalid) as error:
        raise Damaged("grant.damaged", "the grant cannot be read") from error
    if signer.fingerprint != grant.certificate:
        raise Damaged("grant.forged", "the grant is signed by another certificate than it names")
    return grant


def must_allow(grant: Grant, device: str, identifier: str, certificate: str, now: dt.datetime) -> None:
    """Raises `Refused` with the reason why this device may not run what `certificate` signed for `identifier`."""
    if grant.identifier != identifier or grant.certificate != certificate:
        raise Refused("grant.other", "the grant is for another title or another certificate")
    if now >= grant.expires_at:
        hint = "Ask for a new grant: rampa grant make, then rampa build re-sign."
        raise Refused("grant.expired", f"the grant ended on {grant.expires_at:%Y-%m-%d}", hint=hint)
    if device not in grant.devices:
        hint = "It was registered after the grant. Make a new one and sign the build again; nothing is rebuilt."
        raise Refused("grant.device", f"the grant does not list {device}", where=device, hint=hint)


def _encode(grant: Grant) -> bytes:
    body = asdict(grant) | {
        "kind": KIND, "made_at": grant.made_at.isoformat(), "expires_at": grant.expires_at.isoformat(),
    }  # fmt: skip
    return json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()
