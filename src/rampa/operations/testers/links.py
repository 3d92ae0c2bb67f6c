"""Codes in links that say themselves what they are for, under an HMAC of the service's key: nothing of them rests here.

An invitation's is good until its row says otherwise; a ticket for a download says itself until when.

    invitation := invitation (16) | HMAC-SHA256 over it and its turn, cut (16)
    ticket     := person (16) | channel (16) | build (16) | until, seconds since 1970 (8) | HMAC-SHA256, cut (16)
    pass       := device or person (16) | channel (16) | until, seconds since 1970 (8) | HMAC-SHA256, cut (16)

All in base64url (RFC 4648, section 5), without padding.
"""

from __future__ import annotations

import base64
import binascii
import datetime as dt
import hmac
import uuid
from dataclasses import dataclass

from rampa.core.errors import Denied
from rampa.core.signing.seal import keys_of
from rampa.operations.base import Services

HINT = "Ask for it again on the page of the build; what was downloaded of it is kept."
MARK = 16
INVITATION, TICKET, PASS = b"rampa invitation", b"rampa download", b"rampa delivery"


@dataclass(frozen=True)
class Ticket:
    person: uuid.UUID
    channel: uuid.UUID
    build: uuid.UUID
    until: int


@dataclass(frozen=True)
class ChannelPass:
    """For the files of a channel by invitation; `holder` is a device or a person."""

    holder: uuid.UUID
    channel: uuid.UUID
    until: int


def invitation_code(services: Services, invitation: uuid.UUID, turn: int) -> str:
    key = keys_of(services.master_key)[0]
    return _text(invitation.bytes + _mark(key, INVITATION, invitation.bytes + turn.to_bytes(4, "big")))


def invitation_of(code: str) -> uuid.UUID:
    """Raises `Denied` for what is no code. Whether it is the right one is `is_code`'s question."""
    raw = _bytes(code)
    if len(raw) != 16 + MARK:
        raise foreign()
    return uuid.UUID(bytes=raw[:16])


def foreign() -> Denied:
    return Denied("invitation.foreign", "this link is not one of this studio's", hint="Open the newest letter again.")


def is_code(services: Services, code: str, turn: int) -> bool:
    raw = _bytes(code)
    body = raw[:16] + turn.to_bytes(4, "big")
    return any(hmac.compare_digest(raw[16:], _mark(key, INVITATION, body)) for key in keys_of(services.master_key))


def ticket_text(services: Services, person: uuid.UUID, channel: uuid.UUID, build: uuid.UUID, until: dt.datetime) -> str:
    body = person.bytes + channel.bytes + build.bytes + int(until.timestamp()).to_bytes(8, "big")
    return _text(body + _mark(keys_of(services.master_key)[0], TICKET, body))


def read_ticket(services: Services, text: str) -> Ticket:
    """Raises `Denied` for one that is not ours or is over."""
    raw = _bytes(text)
    body, mark = raw[:56], raw[56:]
    ours = any(hmac.compare_digest(mark, _mark(key, TICKET, body)) for key in keys_of(services.master_key))
    if len(raw) != 56 + MARK or not ours:
        raise Denied("download.foreign", "this address was not made here", hint=HINT)
    until = int.from_bytes(body[48:], "big")
    if until < services.now().timestamp():
        raise Denied("download.over", "this address is over: it is good for a minute", hint=HINT)
    person, channel, build = (uuid.UUID(bytes=body[at : at + 16]) for at in (0, 16, 32))
    return Ticket(person, channel, build, until)


def pass_text(services: Services, holder: uuid.UUID, channel: uuid.UUID, until: dt.datetime) -> str:
    body = holder.bytes + channel.bytes + int(until.timestamp()).to_bytes(8, "big")
    return _text(body + _mark(keys_of(services.master_key)[0], PASS, body))


def read_pass(services: Services, text: str) -> ChannelPass:
    """Raises `Denied` for one that is not ours or is over."""
    raw = _bytes(text)
    body, mark = raw[:40], raw[40:]
    ours = any(hmac.compare_digest(mark, _mark(key, PASS, body)) for key in keys_of(services.master_key))
    if len(raw) != 40 + MARK or not ours:
        raise Denied("delivery.foreign", "this address was not made here", hint="Ask for it again.")
    until = int.from_bytes(body[32:], "big")
    if until < services.now().timestamp():
        raise Denied("delivery.over", "this address is over", hint="Ask for it again: it is good for a few minutes.")
    return ChannelPass(uuid.UUID(bytes=body[:16]), uuid.UUID(bytes=body[16:32]), until)


def _mark(master: bytes, label: bytes, body: bytes) -> bytes:
    return hmac.digest(hmac.digest(master, label, "sha256"), body, "sha256")[:MARK]


def _text(raw: bytes) -> str:
    return base64.urlsafe_b64encode(raw).decode().rstrip("=")


def _bytes(text: str) -> bytes:
    """Nothing for what is no base64url."""
    try:
        return base64.b64decode(text + "=" * (-len(text) % 4), b"-_", validate=True)
    except (binascii.Error, ValueError):
        return b""
