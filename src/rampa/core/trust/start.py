"""How a device comes to its first root: signed by the title's manifest key, which it pinned when it was registered.

A DSSE envelope over canonical JSON. A device takes one once; from then on only the root itself says what follows it.
"""

from __future__ import annotations

import base64
import binascii
import json
from dataclasses import dataclass

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.errors import Damaged, RampaError
from rampa.core.signing import dsse
from rampa.core.trust.root import read_root

PAYLOAD_TYPE = "application/vnd.rampa.trust-start+json"
KIND = "rampa-trust-start-1"


@dataclass(frozen=True)
class TrustStart:
    """`title` is the title's identifier; `role` the channel's; `root` the metadata's bytes."""

    title: str
    channel: str
    role: str
    root: bytes
    everybody: bool


def sign_start(start: TrustStart, key: Ed25519PrivateKey) -> bytes:
    body = {
        "kind": KIND,
        "title": start.title,
        "channel": start.channel,
        "role": start.role,
        "root": base64.b64encode(start.root).decode(),
        "everybody": start.everybody,
    }
    return dsse.sign(PAYLOAD_TYPE, json.dumps(body, sort_keys=True, separators=(",", ":")).encode(), key)


def verify_start(envelope: bytes, title: str, public_key: bytes) -> TrustStart:
    """Raises `Damaged` when it is forged, another title's, or cannot be read."""
    payload = dsse.verify(envelope, PAYLOAD_TYPE, public_key)
    try:
        body = json.loads(payload)
        if body["kind"] != KIND or body["title"] != title:
            raise Damaged("trust.start", f"this is no start of {title}'s trust")
        root = base64.b64decode(body["root"], validate=True)
        read_root(root)
        return TrustStart(title, str(body["channel"]), str(body["role"]), root, body["everybody"] is True)
    except RampaError:
        raise
    except (ValueError, KeyError, TypeError, binascii.Error) as error:
        raise Damaged("trust.start", "the start of the title's trust cannot be read") from error
