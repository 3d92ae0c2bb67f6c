"""Enrolling agents, and the tokens of minutes that an enrolled one gets for a proof by its key.

An engineer makes a code for one name; the agent's machine makes a key and sends its public half with the code, once.
"""

from __future__ import annotations

import base64
import binascii
import datetime as dt
import hmac
import secrets

from sqlalchemy import delete, select

from rampa.core.agent import proof as proofs
from rampa.core.errors import Conflict, Denied, Invalid
from rampa.core.run.abilities import Abilities
from rampa.db import AgentRow, AgentTokenRow, EnrolmentRow
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin, service_actor
from rampa.operations.people.codes import digest_code, new_code
from rampa.operations.people.guesses import Guess, count, failed, forget
from rampa.operations.people.people import digest_secret
from rampa.schema import agents as wire

CODE_LIFE = dt.timedelta(hours=1)
TOKEN_LIFE = dt.timedelta(minutes=15)
TOKEN_MARK = "rampa-agent-"
UNKNOWN = service_actor("an unknown agent")


def make_code(services: Services, actor: Actor, name: str) -> wire.EnrolmentCode:
    """A code for one name; an earlier one that was not used is worth nothing any more."""
    code = new_code(10)
    with begin(services, actor) as uow:
        _must_be_free(uow, name)
        uow.session.execute(delete(EnrolmentRow).where(EnrolmentRow.agent == name))
        ends = uow.now + CODE_LIFE
        row = EnrolmentRow(
            agent=name, digest=digest_code(code), made_by=actor.name, expires_at=ends, created_at=uow.now
        )
        uow.session.add(row)
        audit.record(uow, "agent.invite", name)
    return wire.EnrolmentCode(agent=name, code=code, expires_at=ends)


def enrol(services: Services, name: str, asked: wire.EnrolIn, address: str) -> None:
    """Takes the machine's public key, once. Raises `Denied` for a code that is wrong, used or too old: all the same."""
    guess = Guess("enrol", name, address)
    count(services, guess, UNKNOWN, name)
    with begin(services, UNKNOWN) as uow:
        found = uow.session.scalar(select(EnrolmentRow).where(EnrolmentRow.agent == name).with_for_update())
        good = (
            found is not None
            and hmac.compare_digest(found.digest, digest_code(asked.code))
            and found.expires_at > uow.now
        )
        if found is not None and good:
            _must_be_free(uow, name)
            uow.session.add(_row(uow, name, bytes.fromhex(asked.public_key), found.made_by))
            uow.session.delete(found)
            audit.record(uow.by(service_actor(f"agent {name}")), "agent.enrol", name, by=found.made_by)
    if not good:
        failed(services, guess, UNKNOWN, name)
        raise Denied(
            "enrolment.denied",
            f"this code does not enrol an agent called {name}",
            hint="A code works once, within an hour, for one name. Make another: `rampa agent enrol NAME`.",
        )
    forget(services, guess)


def _row(uow: UnitOfWork, name: str, public_key: bytes, by: str) -> AgentRow:
    """Enrolled, and not started yet."""
    nothing = Abilities((), (), 1, 0, 0, "")
    return AgentRow(
        name=name, public_key=public_key, enrolled_by=by, instance="", abilities=nothing, paused=False, stopped=True,
        seen_at=uow.now, started_at=uow.now, created_at=uow.now,
    )  # fmt: skip


def _must_be_free(uow: UnitOfWork, name: str) -> None:
    if uow.session.scalar(select(AgentRow.id).where(AgentRow.name == name)) is not None:
        hint = f"Take another name, or remove that one first: rampa agent remove {name}"
        raise Conflict("agent.exists", f"an agent called {name} is enrolled already", where="agent", hint=hint)


def give_token(services: Services, name: str, asked: wire.ProofIn) -> wire.AgentToken:
    """A token for the start of the agent that the proof names. Raises `Denied` for a proof that is not taken."""
    try:
        envelope = base64.b64decode(asked.proof, validate=True)
    except (binascii.Error, ValueError) as error:
        raise Invalid("proof.base64", "the proof is not valid base64", where="proof") from error
    with begin(services) as uow:
        agent = uow.session.scalar(select(AgentRow).where(AgentRow.name == name))
        # The same answer as for a wrong key: names of agents must not be found out by trying.
        key = agent.public_key if agent else bytes(proofs.KEY_SIZE)
        proof = proofs.read(envelope, name, key, uow.now.timestamp())
        assert agent is not None, "nobody has a key whose public half is all zeros"
        uow.session.execute(delete(AgentTokenRow).where(AgentTokenRow.expires_at < uow.now))
        if uow.session.scalar(select(AgentTokenRow.id).where(AgentTokenRow.nonce == proof.nonce)) is not None:
            raise Denied("agent.proof", "the agent's proof is not taken: it was used before", hint="Make a new one.")
        secret = TOKEN_MARK + secrets.token_urlsafe(32)
        row = AgentTokenRow(
            agent_id=agent.id,
            instance=proof.instance,
            nonce=proof.nonce,
            digest=digest_secret(secret),
            expires_at=uow.now + TOKEN_LIFE,
            created_at=uow.now,
        )
        uow.session.add(row)
    return wire.AgentToken(token=secret, seconds=TOKEN_LIFE.total_seconds())


def find_agent_token(services: Services, secret: str) -> AgentTokenRow | None:
    """None for one that is not known, or whose time is over."""
    with begin(services) as uow:
        row = uow.session.scalar(select(AgentTokenRow).where(AgentTokenRow.digest == digest_secret(secret)))
        return row if row is not None and row.expires_at > uow.now else None
