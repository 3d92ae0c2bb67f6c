"""How an agent shows that it is the one that was enrolled: a statement of this moment, signed by the key of its machine.

The envelope is DSSE (protocol version 1.0.2) with Ed25519 (RFC 8032), and its payload JSON of payload type `KIND`. A proof is
good once, for a minute: whoever copies one later has nothing.
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.errors import Damaged, Denied
from rampa.core.signing import dsse

KIND = "application/vnd.rampa.agent-proof+json"
CLOCKS = 60
"""Seconds that the clocks of an agent and the service may differ."""
SIZE = 4096
KEY_SIZE = 32


@dataclass(frozen=True)
class Proof:
    """`instance` is one start of the agent, 32 hexadecimal digits; `nonce` as many, new each time; `at` in Unix seconds."""

    agent: str
    instance: str
    nonce: str
    at: int


def make(proof: Proof, key: Ed25519PrivateKey) -> bytes:
    return dsse.sign(KIND, json.dumps(asdict(proof), sort_keys=True).encode(), key)


def read(envelope: bytes, agent: str, public_key: bytes, now: float) -> Proof:
    """`public_key` raw, 32 bytes. Raises `Denied` for a proof of another, of another time, or none at all."""
    proof = _signed(envelope, public_key)
    if proof.agent != agent:
        raise _denied("it was made by another agent")
    if abs(now - proof.at) > CLOCKS:
        apart = f"{abs(now - proof.at):,.0f} s"
        raise _denied(f"its clock and the service's differ by {apart}", "Set the clock of the agent's machine.")
    return proof


def _signed(envelope: bytes, public_key: bytes) -> Proof:
    if len(envelope) > SIZE:
        raise _denied("it is too large")
    try:
        read = json.loads(dsse.verify(envelope, KIND, public_key))
        proof = Proof(read["agent"], read["instance"], read["nonce"], read["at"])
    except (Damaged, ValueError, KeyError, TypeError, RecursionError) as error:
        raise _denied("its key is not the one that was enrolled") from error
    texts = (proof.agent, proof.instance, proof.nonce)
    if not all(isinstance(t, str) for t in texts) or type(proof.at) is not int:
        raise _denied("it cannot be read")
    if not all(len(t) == 32 and set(t) <= set("0123456789abcdef") for t in texts[1:]):
        raise _denied("it cannot be read")
    return proof


def _denied(why: str, hint: str = "Enrol it again: `rampa agent enrol`.") -> Denied:
    return Denied("agent.proof", f"the agent's proof is not taken: {why}", hint=hint)
