"""An offer: what a channel's line has for devices now, signed by the title's key and with an end, as a DSSE envelope.

A statement says what a build is; it does not say that anybody is to install it. The offer does, for one channel and platform,
and names the statement by its digest. Its number rises with every change of the channel: a device that saw one takes none below.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
from dataclasses import asdict, dataclass

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.errors import Damaged, RampaError, Refused
from rampa.core.signing import dsse

PAYLOAD_TYPE = "application/vnd.rampa.offer+json"
KIND = "rampa-offer-1"
LIFE = dt.timedelta(hours=24)
SKEW = dt.timedelta(minutes=5)
"""By how much a device's clock may be behind the service's."""


@dataclass(frozen=True)
class Offer:
    """`title` is the title's identifier; `statement` the SHA-256 of the build's statement envelope; moments in UTC."""

    title: str
    channel: str
    platform: str
    number: int
    build: int
    statement: str
    made_at: dt.datetime
    expires_at: dt.datetime


@dataclass(frozen=True)
class Follower:
    """A device: the line that it follows, the title's key that it pinned (raw, 32 bytes), the last offer that it took."""

    title: str
    channel: str
    platform: str
    key: bytes
    last: bytes = b""


def sign(offer: Offer, key: Ed25519PrivateKey) -> bytes:
    """The DSSE envelope; the payload is canonical JSON."""
    moments = {"made_at": offer.made_at.isoformat(), "expires_at": offer.expires_at.isoformat()}
    body = asdict(offer) | moments | {"kind": KIND}
    return dsse.sign(PAYLOAD_TYPE, json.dumps(body, sort_keys=True, separators=(",", ":")).encode(), key)


def verify(envelope: bytes, public_key: bytes) -> Offer:
    """Raises `Damaged` when it is forged or cannot be read. Whether a device may take it is `must_admit`'s question."""
    payload = dsse.verify(envelope, PAYLOAD_TYPE, public_key)
    try:
        body = json.loads(payload)
        if body["kind"] != KIND:
            raise Damaged("offer.damaged", "the signed offer is of a kind that is not known here")
        made_at, expires_at = (dt.datetime.fromisoformat(body[k]).astimezone(dt.UTC) for k in ("made_at", "expires_at"))
        return Offer(
            str(body["title"]), str(body["channel"]), str(body["platform"]), int(body["number"]), int(body["build"]),
            str(body["statement"]), made_at, expires_at,
        )  # fmt: skip
    except RampaError:
        raise
    except (ValueError, KeyError, TypeError, OverflowError) as error:
        raise Damaged("offer.damaged", "the signed offer cannot be read") from error


def must_admit(envelope: bytes, statement: bytes, follower: Follower, now: dt.datetime) -> Offer:
    """The offer, once this device may install this statement's build by it. Raises `Refused` and `Damaged`."""
    offer = verify(envelope, follower.key)
    if (offer.title, offer.channel, offer.platform) != (follower.title, follower.channel, follower.platform):
        raise Refused(
            "offer.other",
            f"the offer is for {offer.title} on {offer.channel}, {offer.platform}",
            hint=f"This device follows {follower.channel} of {follower.title}, {follower.platform}.",
        )
    if hashlib.sha256(statement).hexdigest() != offer.statement:
        raise Refused("offer.statement", f"the offer is for build {offer.build}, and the statement is another's")
    if not offer.made_at - SKEW <= now < offer.expires_at:
        hint = "Nothing was replaced. Ask for a new one; if it is new, set this machine's clock."
        raise Refused(
            "offer.expired", f"the offer holds from {offer.made_at:%F %T} to {offer.expires_at:%F %T} UTC", hint=hint
        )
    if follower.last and offer.number < (seen := verify(follower.last, follower.key).number):
        hint = "Nothing was replaced. Somebody holds newer ones back, or sends old ones."
        raise Refused("offer.older", f"this is offer {offer.number}, and the device has seen {seen} already", hint=hint)
    return offer
