"""Who an agent is: a key that is made on its machine and stays there, and the tokens of minutes that it gets for it."""

from __future__ import annotations

import base64
import secrets
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from cryptography.exceptions import UnsupportedAlgorithm
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    load_pem_private_key,
)

from rampa.client import Client
from rampa.client.bearer import RenewedBearer
from rampa.core.agent.proof import Proof, make
from rampa.core.errors import Denied
from rampa.core.files import replace_file
from rampa.schema.agents import EnrolIn, ProofIn

FILE = "agent.pem"


@dataclass(frozen=True)
class AgentIdentity:
    """`name` among the agents; `key` lies in the agent's folder as PKCS#8 (RFC 5958), readable by its user alone."""

    name: str
    key: Ed25519PrivateKey

    def proof(self, instance: str, now: float) -> ProofIn:
        said = make(Proof(self.name, instance, secrets.token_hex(16), int(now)), self.key)
        return ProofIn(proof=base64.b64encode(said).decode())


def load(folder: Path, name: str) -> AgentIdentity:
    """Raises `Denied` for an agent that was not enrolled on this machine, or whose key cannot be read."""
    try:
        key = load_pem_private_key((folder / FILE).read_bytes(), None)
    except FileNotFoundError as error:
        hint = f"An engineer makes a code: rampa agent enrol {name}. Then start it once with --code."
        raise Denied("agent.not-enrolled", f"no agent is enrolled in {folder}", where="--name", hint=hint) from error
    except (OSError, ValueError, TypeError, UnsupportedAlgorithm) as error:
        raise Denied("agent.key", f"the agent's key cannot be read: {error}", where=str(folder / FILE)) from error
    if not isinstance(key, Ed25519PrivateKey):
        raise Denied("agent.key", "the agent's key is not of Ed25519", where=str(folder / FILE))
    return AgentIdentity(name, key)


def enrol(client: Client, name: str, code: str) -> AgentIdentity:
    """Makes the key, and has the service take its public half."""
    key = Ed25519PrivateKey.generate()
    client.agents.enrol(name, EnrolIn(code=code, public_key=key.public_key().public_bytes_raw().hex()))
    return AgentIdentity(name, key)


def save(identity: AgentIdentity, folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    text = identity.key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
    replace_file(folder / FILE, text, 0o600)


class AgentBearer(RenewedBearer):
    """One start of an agent."""

    def __init__(
        self, client: Client, identity: AgentIdentity, instance: str, clock: Callable[[], float] = time.time
    ) -> None:
        super().__init__()
        self._client, self._identity, self._clock = client, identity, clock
        self.instance = instance

    def _obtain(self) -> tuple[str, float]:
        made = self._client.agents.make_token(self._identity.name, self._identity.proof(self.instance, self._clock()))
        return made.token, made.seconds
