"""What a device calls with: a token of minutes, for a proof by its key; looked at with every call."""

from __future__ import annotations

import datetime as dt
import secrets
import uuid

from sqlalchemy import delete, select

from rampa.core.devices.proof import must_hold, session
from rampa.core.errors import Denied
from rampa.db import DeviceRow, DeviceTokenRow
from rampa.operations.base import Services, audit, begin, service_actor
from rampa.operations.people.challenges import new_challenge, spend
from rampa.operations.people.people import digest_secret
from rampa.operations.testers.access import must_have_access
from rampa.schema import devices as wire

TOKEN_LIFE = dt.timedelta(minutes=15)
TOKEN_MARK = "rampa-device-"
PURPOSE = "device"
SEEN_EVERY = dt.timedelta(minutes=1)


def ask(services: Services, device: str) -> wire.DeviceChallenge:
    """For whatever number: which devices there are is not told."""
    return wire.DeviceChallenge(challenge=new_challenge(services, PURPOSE, uuid.UUID(device).bytes).hex())


def open_session(services: Services, device: str, asked: wire.DeviceSessionIn) -> wire.DeviceSession:
    """Raises `Denied` for a proof that does not hold, a copy of a device, and access that is gone."""
    number, challenge = uuid.UUID(device), bytes.fromhex(asked.challenge)
    spend(services, challenge, PURPOSE, number.bytes)
    secret = TOKEN_MARK + secrets.token_urlsafe(32)
    with begin(services) as uow:
        row = uow.session.get(DeviceRow, number, with_for_update={"of": DeviceRow})
        if row is None or row.public_key is None:
            raise Denied("device.unknown-key", "this device is not registered here", hint="Register it again.")
        must_hold(row.public_key, bytes.fromhex(asked.signature), session(challenge, asked.uses))
        must_have_access(uow, row)
        copied = asked.uses <= row.uses
        if copied:
            audit.record(uow.by(service_actor(f"device {row.name}")), "device.copied", row.name)
        else:
            row.uses, row.last_seen_at = asked.uses, uow.now
            uow.session.execute(delete(DeviceTokenRow).where(DeviceTokenRow.expires_at < uow.now))
            ends = uow.now + TOKEN_LIFE
            uow.session.add(
                DeviceTokenRow(device=row, digest=digest_secret(secret), expires_at=ends, created_at=uow.now)
            )
    if copied:
        hint = "Two devices have one key: this one is a copy, or was set back. Register it as a device of its own."
        raise Denied("device.copied", f"{row.name} went on elsewhere with this key", hint=hint)
    return wire.DeviceSession(token=secret, seconds=TOKEN_LIFE.total_seconds())


def find_device(services: Services, secret: str) -> DeviceRow | None:
    """Who calls with this token; None for one that is not known, or over. Raises `Denied` where the access is gone."""
    with begin(services) as uow:
        token = uow.session.scalar(select(DeviceTokenRow).where(DeviceTokenRow.digest == digest_secret(secret)))
        if token is None or token.expires_at <= uow.now:
            return None
        row = token.device
        must_have_access(uow, row)
        if row.last_seen_at is None or uow.now - row.last_seen_at > SEEN_EVERY:
            row.last_seen_at = uow.now
        return row
