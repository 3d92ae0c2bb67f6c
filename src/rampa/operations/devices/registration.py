"""Registering a device by a code: who has access to a channel makes it, and the device answers with a key of its own, once."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import delete, select

from rampa.core.devices.proof import must_hold, registration
from rampa.core.errors import Conflict, Denied, Invalid
from rampa.core.platform.table import PLATFORMS
from rampa.db import DeviceCodeRow, DeviceRow, GrantRow, TitleRow
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.base.qr import picture_of
from rampa.operations.people.codes import digest_code, new_code
from rampa.operations.people.guesses import Guess, count, failed
from rampa.operations.people.people import SOMEBODY, actor_of
from rampa.operations.testers.access import may_install, must_install
from rampa.schema import devices as wire
from rampa.schema import testers as testers_wire
from rampa.schema.common import Role

CODE_LIFE = dt.timedelta(minutes=15)


def make_code(services: Services, actor: Actor, slug: str, name: str, at: str) -> testers_wire.RegistrationCode:
    """`at`: where the console is. Raises `NotFound` for a channel that who asks has no access to."""
    code = new_code(10)
    with begin(services, actor) as uow:
        channel = must_install(uow, slug, name)
        uow.session.execute(delete(DeviceCodeRow).where(DeviceCodeRow.expires_at < uow.now))
        ends = uow.now + CODE_LIFE
        row = DeviceCodeRow(
            digest=digest_code(code), person_id=actor.principal, channel=channel, expires_at=ends, created_at=uow.now
        )
        uow.session.add(row)
    link = f"{at}/device#{code}"
    return testers_wire.RegistrationCode(
        code=code, link=link, picture=picture_of(link), expires_at=ends, title=slug, channel=channel.name
    )


def register(services: Services, asked: wire.RegisterDevice, address: str) -> wire.Registered:
    """Takes the public half of a key that the device made. Raises `Denied` for a code that is wrong, used or over, and for a
    proof that does not hold; `Conflict` for a key or a name that another device of the title has. The code is used up only when
    the device is registered."""
    guess = Guess("register", address or "nowhere", address)
    count(services, guess, SOMEBODY, "a device")
    with begin(services) as uow:
        found = uow.session.scalar(
            select(DeviceCodeRow)
            .where(DeviceCodeRow.digest == digest_code(asked.code))
            .with_for_update(of=DeviceCodeRow)
        )
        good = found is not None and found.expires_at > uow.now
        if found is not None and good:
            must_hold(bytes.fromhex(asked.public_key), bytes.fromhex(asked.proof), registration(asked.code))
            if not may_install(uow, found.person, Role(found.person.role), found.channel_id):
                raise Denied("device.no-access", "the access of who made this code was taken away")
            return _made(uow.by(actor_of(found.person)), found, asked)
    failed(services, guess, SOMEBODY, "a device")
    hint = "A code works once, within a quarter of an hour. Make another on your page."
    raise Denied("registration.denied", "this code registers no device", where="code", hint=hint)


def _made(uow: UnitOfWork, code: DeviceCodeRow, asked: wire.RegisterDevice) -> wire.Registered:
    title = uow.session.get_one(TitleRow, code.channel.title_id)
    must_be_platform(asked.platform)
    must_be_free(uow, title, asked.name, asked.platform)
    key = bytes.fromhex(asked.public_key)
    other = select(DeviceRow).where(DeviceRow.title_id == title.id, DeviceRow.public_key == key)
    if uow.session.scalar(other) is not None:
        hint = "Each device makes a key of its own: a folder or a profile that was copied holds another's."
        raise Conflict("device.key-taken", "another device is registered with this key", where="public_key", hint=hint)
    row = DeviceRow(
        title_id=title.id, name=asked.name, platform=asked.platform, channel=code.channel, number=asked.number,
        simulated=asked.simulated, registered_by=code.person.name, person_id=code.person_id, public_key=key,
        form=asked.form, level=asked.level, downloaded=0, uses=0, created_at=uow.now,
    )  # fmt: skip
    uow.session.add(row)
    uow.session.delete(code)
    uow.session.flush()
    audit.record(uow, "device.register", asked.name, title.slug, channel=code.channel.name)
    return wire.Registered(
        device_id=str(row.id),
        name=row.name,
        title=title.slug,
        title_name=title.name,
        identifier=title.identifier,
        channel=code.channel.name,
        platform=row.platform,
        manifest_key=title.manifest_public.hex(),
    )


def must_be_platform(name: str) -> None:
    if name not in PLATFORMS:
        hint = f"There is: {', '.join(PLATFORMS)}."
        raise Invalid("platform.unknown", f"there is no platform {name!r}", where="platform", hint=hint)


def must_be_free(uow: UnitOfWork, title: TitleRow, name: str, platform: str) -> None:
    """A name that a grant still lists is not given to another device: it would run what was granted to the one before."""
    if uow.session.scalar(select(DeviceRow.id).where(DeviceRow.title_id == title.id, DeviceRow.name == name)):
        raise Conflict("device.exists", f"{title.slug} has a device {name!r} already", where="name")
    if not PLATFORMS[platform].needs_grant:
        return
    grants = select(GrantRow.devices).where(GrantRow.title_id == title.id, GrantRow.expires_at > uow.now)
    if any(name in listed for listed in uow.session.scalars(grants)):
        said = f"a grant lists a device {name!r} that is gone"
        raise Conflict("device.name-granted", said, where="name", hint="Take another name.")
