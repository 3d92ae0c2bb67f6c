"""Answers of passkeys: for signing in, and for confirming an act that matters."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sqlalchemy import select

from rampa.core.address import normal
from rampa.core.errors import Denied, Invalid
from rampa.db import PasskeyRow, PersonRow
from rampa.operations.base import Actor, Services, audit, begin
from rampa.operations.people import challenges
from rampa.operations.people.factors import note_confirmed
from rampa.operations.people.guesses import Guess, count, failed, forget
from rampa.operations.people.passkeys import of_person
from rampa.operations.people.people import SOMEBODY
from rampa.operations.people.relying_party import challenge_in, challenge_of, party, raw, understood
from rampa.schema import sign_in as wire

if TYPE_CHECKING:
    from webauthn.authentication.verify_authentication_response import VerifiedAuthentication


def ask(services: Services, origin: str, actor: Actor | None = None) -> wire.Challenge:
    """For signing in, or, for an `actor`, for confirming an act that matters."""
    from webauthn import generate_authentication_options
    from webauthn.helpers import structs

    host, _ = party(services, origin)
    allowed: list[bytes] = []
    if actor is not None:
        with begin(services, actor) as uow:
            person = uow.session.get_one(PersonRow, actor.principal)
            allowed = [row.credential for row in of_person(uow, person)]
    options = generate_authentication_options(
        rp_id=host,
        challenge=challenges.new_challenge(services, *_for(actor)),
        allow_credentials=[structs.PublicKeyCredentialDescriptor(id=each) for each in allowed],
        user_verification=structs.UserVerificationRequirement.REQUIRED,
    )
    return challenge_of(options)


def check(
    services: Services, answer: wire.Asserted, origin: str, address: str, actor: Actor | None = None
) -> PersonRow:
    """Whose passkey it is, once what it signed was right. For an `actor`, theirs alone. Raises `Denied`."""
    host, here = party(services, origin)
    challenge = challenge_in(answer.response.clientDataJSON)
    challenges.spend(services, challenge, *_for(actor))
    with begin(services) as uow:
        row = uow.session.scalar(select(PasskeyRow).where(PasskeyRow.credential == raw(answer.rawId)))
        person = uow.session.get_one(PersonRow, row.person_id) if row else None
    if row is None or person is None or (actor is not None and row.person_id != actor.principal):
        raise Denied("passkey.unknown-here", "this passkey is not known here", hint="Sign in in another way.")
    by = actor or SOMEBODY
    guess = Guess("passkey", normal(person.email), address)
    count(services, guess, by, person.email)
    try:
        with understood():
            found = _verified(answer, challenge, host, here, row)
    except (Denied, Invalid):
        failed(services, guess, by, person.email)
        raise
    forget(services, guess)
    _note_used(services, row, found.new_sign_count)
    return person


def confirm(services: Services, actor: Actor, answer: wire.Asserted, origin: str, address: str) -> None:
    """Before an act that matters: for five minutes, this session or token alone. Raises `Denied`."""
    person = check(services, answer, origin, address, actor)
    with begin(services, actor) as uow:
        note_confirmed(uow)
        audit.record(uow, "factor.confirm", person.email)


def _verified(answer: wire.Asserted, challenge: bytes, host: str, here: str, row: PasskeyRow) -> VerifiedAuthentication:
    from webauthn import verify_authentication_response

    handle = answer.response.userHandle
    if handle and raw(handle) != row.person_id.bytes:
        raise Denied("passkey.wrong", "this passkey is somebody else's")
    return verify_authentication_response(
        credential=answer.model_dump(),
        expected_challenge=challenge,
        expected_rp_id=host,
        expected_origin=here,
        credential_public_key=row.public_key,
        credential_current_sign_count=row.uses,
        require_user_verification=True,
    )


def _note_used(services: Services, row: PasskeyRow, uses: int) -> None:
    with begin(services) as uow:
        kept = uow.session.get(PasskeyRow, row.id, with_for_update=True)
        # Of two answers at one moment, one may have been signed by a copy: the count never goes back.
        if kept is None or kept.uses > uses or (uses and kept.uses == uses):
            raise Denied("passkey.wrong", "this passkey was removed, or another device has a copy of it")
        kept.uses, kept.last_used_at = uses, uow.now


def _for(actor: Actor | None) -> tuple[str, bytes]:
    """A challenge's purpose, and whom it is for: a session's is worth nothing in another session of the same person."""
    if actor is None:
        return "passkey.sign-in", b""
    return "passkey.confirm", actor.session or (actor.token.bytes if actor.token else b"")
