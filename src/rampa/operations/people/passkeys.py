"""Passkeys (W3C WebAuthn, level 3): a key pair on a person's device, bound to this service's address.

A passkey is two factors by itself: the device, and what unlocks it (a finger, a PIN), which is required of every answer. No page
at another address can ask for it, and there is nothing to type, so nothing can be phished.
"""

from __future__ import annotations

import uuid

from sqlalchemy import select

from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.db import PasskeyRow, PersonRow, the_studio
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.people import challenges
from rampa.operations.people.factors import note_confirmed, own_password, settle_factor
from rampa.operations.people.relying_party import challenge_in, challenge_of, party, understood
from rampa.schema import sign_in as wire

MOST = 20


def begin_passkey(services: Services, actor: Actor, asked: wire.PasskeyBegin, origin: str) -> wire.Challenge:
    """What a browser needs to make one. Takes the password again, of who has one."""
    from webauthn import generate_registration_options
    from webauthn.helpers import structs

    host, _ = party(services, origin)
    with begin(services, actor) as uow:
        person = uow.session.get_one(PersonRow, actor.principal)
        studio = the_studio(uow.session)
        there = of_person(uow, person)
    own_password(services, actor, asked.password, "password")
    if len(there) >= MOST:
        raise Conflict("passkey.many", f"you have {MOST} passkeys", hint="Remove one that you do not use.")
    options = generate_registration_options(
        rp_id=host,
        rp_name=f"Rampa, {studio.name}",
        user_name=person.email,
        user_id=person.id.bytes,
        user_display_name=person.name,
        challenge=challenges.new_challenge(services, "passkey.add", person.id.bytes),
        authenticator_selection=structs.AuthenticatorSelectionCriteria(
            resident_key=structs.ResidentKeyRequirement.REQUIRED,
            user_verification=structs.UserVerificationRequirement.REQUIRED,
        ),
        exclude_credentials=[structs.PublicKeyCredentialDescriptor(id=row.credential) for row in there],
    )
    return challenge_of(options)


def finish_passkey(services: Services, actor: Actor, asked: wire.PasskeyIn, origin: str) -> wire.Passkey:
    from webauthn import verify_registration_response

    host, here = party(services, origin)
    challenge = challenge_in(asked.answer.response.clientDataJSON)
    challenges.spend(services, challenge, "passkey.add", actor.principal.bytes)
    with understood():
        _must_be_plain(asked.answer)
        made = verify_registration_response(
            credential=asked.answer.model_dump(),
            expected_challenge=challenge,
            expected_rp_id=host,
            expected_origin=here,
            require_user_verification=True,
        )
    with begin(services, actor) as uow:
        person = uow.session.get_one(PersonRow, actor.principal, with_for_update=True)
        if uow.session.scalar(select(PasskeyRow.id).where(PasskeyRow.credential == made.credential_id)):
            raise Conflict("passkey.exists", "this passkey is here already")
        row = PasskeyRow(
            person_id=person.id,
            name=asked.name,
            credential=made.credential_id,
            public_key=made.credential_public_key,
            uses=made.sign_count,
            created_at=uow.now,
        )
        uow.session.add(row)
        uow.session.flush()
        settle_factor(uow, person)
        note_confirmed(uow)
        audit.record(uow, "passkey.add", person.email, name=asked.name)
        return _passkey(row)


def list_passkeys(services: Services, actor: Actor) -> list[wire.Passkey]:
    with begin(services, actor) as uow:
        return [_passkey(row) for row in of_person(uow, uow.session.get_one(PersonRow, actor.principal))]


def remove_passkey(services: Services, actor: Actor, passkey: str) -> None:
    """One of one's own; the call that asks for it was confirmed."""
    with begin(services, actor) as uow:
        person = uow.session.get_one(PersonRow, actor.principal, with_for_update=True)
        row = uow.session.get(PasskeyRow, uuid.UUID(passkey))
        if row is None or row.person_id != person.id:
            raise NotFound("passkey.unknown", "there is no such passkey of yours")
        uow.session.delete(row)
        uow.session.flush()
        settle_factor(uow, person)
        audit.record(uow, "passkey.remove", person.email, name=row.name)


def of_person(uow: UnitOfWork, person: PersonRow) -> list[PasskeyRow]:
    rows = select(PasskeyRow).where(PasskeyRow.person_id == person.id).order_by(PasskeyRow.id)
    return list(uow.session.scalars(rows))


def _must_be_plain(answer: wire.Attested) -> None:
    """No attestation was asked for; readers of certificates and of makers' own formats stay out of reach."""
    from webauthn.helpers import base64url_to_bytes, parse_attestation_object
    from webauthn.helpers.structs import AttestationFormat

    parsed = parse_attestation_object(base64url_to_bytes(answer.response.attestationObject))
    if parsed.fmt != AttestationFormat.NONE:
        raise Invalid("passkey.attested", "the passkey comes with a statement of its maker, which was not asked for")


def _passkey(row: PasskeyRow) -> wire.Passkey:
    return wire.Passkey(id=str(row.id), name=row.name, created_at=row.created_at, last_used_at=row.last_used_at)
