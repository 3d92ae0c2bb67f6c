"""An offer: the builds that a channel's line has for devices now, signed by the title's key and with an end, as a DSSE envelope.

A statement says what a build is; it does not say that anybody is to install it. The offer does, for one channel and platform,
and names statements by their digests. It is the same for every device of the line: which of the builds is for which device is
worked out on the device (rampa.core.placement.share), so that who carries offers cannot choose. Its number rises with every
change of the channel: a device that saw one takes none below.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
from dataclasses import asdict, dataclass

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.errors import Damaged, RampaError, Refused
from rampa.core.placement.share import Having, OfferedBuild, must_build_for
from rampa.core.signing import dsse

PAYLOAD_TYPE = "application/vnd.rampa.offer+json"
KIND = "rampa-offer-2"
LIFE = dt.timedelta(hours=24)
SKEW = dt.timedelta(minutes=5)
"""By how much a device's clock may be behind the service's."""
MOST_BUILDS = 20

NOTHING = Having()


@dataclass(frozen=True)
class Offer:
    """`title` is the title's identifier; `builds` newest first; moments in UTC; `reports` is shown with health reports."""

    title: str
    channel: str
    platform: str
    number: int
    builds: tuple[OfferedBuild, ...]
    made_at: dt.datetime
    expires_at: dt.datetime
    reports: str = ""


@dataclass(frozen=True)
class Follower:
    """A device: its number, the line that it follows, the title's key that it pinned (raw, 32 bytes), the last offer that
    it took, and what it has."""

    title: str
    channel: str
    platform: str
    key: bytes
    device: str = ""
    last: bytes = b""
    having: Having = NOTHING


def sign(offer: Offer, key: Ed25519PrivateKey) -> bytes:
    """The DSSE envelope; the payload is canonical JSON."""
    moments = {"made_at": offer.made_at.isoformat(), "expires_at": offer.expires_at.isoformat()}
    body = asdict(offer) | moments | {"kind": KIND}
    return dsse.sign(PAYLOAD_TYPE, json.dumps(body, sort_keys=True, separators=(",", ":")).encode(), key)


def verify(envelope: bytes, public_key: bytes) -> Offer:
    """Raises `Damaged` when it is forged or cannot be read. Whether a device may take it is `must_hold`'s question."""
    payload = dsse.verify(envelope, PAYLOAD_TYPE, public_key)
    try:
        body = json.loads(payload)
        if body["kind"] != KIND:
            raise Damaged("offer.damaged", "the signed offer is of a kind that is not known here")
        made_at, expires_at = (dt.datetime.fromisoformat(body[k]).astimezone(dt.UTC) for k in ("made_at", "expires_at"))
        if len(body["builds"]) > MOST_BUILDS:
            raise Damaged("offer.damaged", f"the signed offer names more than {MOST_BUILDS} builds")
        builds = tuple(_build(each) for each in body["builds"])
        return Offer(
            str(body["title"]), str(body["channel"]), str(body["platform"]), int(body["number"]), builds,
            made_at, expires_at, str(body.get("reports", "")),
        )  # fmt: skip
    except RampaError:
        raise
    except (ValueError, KeyError, TypeError, OverflowError) as error:
        raise Damaged("offer.damaged", "the signed offer cannot be read") from error


def _build(body: dict[str, object]) -> OfferedBuild:
    numbers = [body[k] for k in ("build", "code", "share")]
    if not all(type(n) is int and 0 <= n < 2**53 for n in numbers):
        raise ValueError("a number that is none")
    build, code, share = (int(str(n)) for n in numbers)
    return OfferedBuild(
        build, code, str(body["statement"]), str(body["rollout"]), share, body["held"] is True, body["back"] is True
    )


def must_hold(envelope: bytes, follower: Follower, now: dt.datetime) -> Offer:
    """The offer, once it is this device's, and in time. Raises `Refused` and `Damaged`."""
    offer = verify(envelope, follower.key)
    if (offer.title, offer.channel, offer.platform) != (follower.title, follower.channel, follower.platform):
        raise Refused(
            "offer.other",
            f"the offer is for {offer.title} on {offer.channel}, {offer.platform}",
            hint=f"This device follows {follower.channel} of {follower.title}, {follower.platform}.",
        )
    if not offer.made_at - SKEW <= now < offer.expires_at:
        hint = "Nothing was replaced. Ask for a new one; if it is new, set this machine's clock."
        raise Refused(
            "offer.expired", f"the offer holds from {offer.made_at:%F %T} to {offer.expires_at:%F %T} UTC", hint=hint
        )
    if follower.last and offer.number < (seen := _number_of(follower)):
        hint = "Nothing was replaced. Somebody holds newer ones back, or sends old ones."
        raise Refused("offer.older", f"this is offer {offer.number}, and the device has seen {seen} already", hint=hint)
    return offer


def must_admit(envelope: bytes, statement: bytes, follower: Follower, now: dt.datetime) -> OfferedBuild:
    """What the offer has for this device, once that is this statement's build. Raises `NotFound`, `Refused` and `Damaged`."""
    wanted = chosen(must_hold(envelope, follower, now), follower)
    if hashlib.sha256(statement).hexdigest() != wanted.statement:
        raise Refused("offer.statement", f"the offer is for build {wanted.build}, and the statement is another's")
    return wanted


def chosen(offer: Offer, follower: Follower) -> OfferedBuild:
    """Raises `NotFound` where the line has nothing for this device."""
    return must_build_for(offer.channel, offer.builds, follower.device, follower.having)


def _number_of(follower: Follower) -> int:
    """Of the last one that it took; one that an earlier version of Rampa left is older than any."""
    try:
        return verify(follower.last, follower.key).number
    except Damaged:
        return 0
