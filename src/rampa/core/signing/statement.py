"""The signed statement of a build: an in-toto Statement (v1) whose subjects are the build's manifests.

One signature covers all depots, so that manifests of different builds cannot be mixed, and names the build, so that an older one
cannot be passed off as a newer.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.content.depots.choice import EVERYBODY, Selector, as_words, from_words
from rampa.core.content.tree.paths import check_path
from rampa.core.errors import Damaged, RampaError
from rampa.core.signing import dsse

PAYLOAD_TYPE = "application/vnd.in-toto+json"
STATEMENT_TYPE = "https://in-toto.io/Statement/v1"
PREDICATE_TYPE = "https://rampa.example/delivery/v1"


@dataclass(frozen=True)
class DepotLine:
    """A depot of the build: its manifest's BLAKE3 digest and encoded size in bytes."""

    depot: str
    manifest: bytes
    size: int
    selector: Selector = EVERYBODY


@dataclass(frozen=True)
class Statement:
    """What a device may believe about a build once the signature holds."""

    title: str
    build: int
    profile: str
    platform: str
    version_name: str
    version_code: int
    launch: str
    depots: tuple[DepotLine, ...]


def sign(statement: Statement, key: Ed25519PrivateKey) -> bytes:
    """The DSSE envelope."""
    body = {
        "_type": STATEMENT_TYPE,
        "subject": [{"name": d.depot, "digest": {"blake3": d.manifest.hex()}} for d in statement.depots],
        "predicateType": PREDICATE_TYPE,
        "predicate": {
            "title": statement.title,
            "build": statement.build,
            "profile": statement.profile,
            "platform": statement.platform,
            "version_name": statement.version_name,
            "version_code": statement.version_code,
            "launch": statement.launch,
            "sizes": {d.depot: d.size for d in statement.depots},
            **_selectors(statement),
        },
    }
    # Sorted and without spaces: the same build gives the same bytes, and so the same signature.
    payload = json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()
    return dsse.sign(PAYLOAD_TYPE, payload, key)


def _selectors(statement: Statement) -> dict[str, object]:
    """Whom depots are for; nothing where all are for everybody."""
    said = {d.depot: as_words(d.selector) for d in statement.depots if d.selector != EVERYBODY}
    return {"selectors": said} if said else {}


def _selector(predicate: dict[str, Any], depot: str) -> Selector:
    return from_words(predicate.get("selectors", {}).get(depot, {}))


def depots_in(envelope: bytes) -> dict[str, str]:
    """Manifest's digest (hexadecimal) -> depot, unverified: by what name files are asked for. Raises `Damaged`."""
    try:
        body = json.loads(dsse.payload_in(envelope))
        return {str(s["digest"]["blake3"]): str(s["name"]) for s in body["subject"]}
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise Damaged("statement.damaged", "the signed statement cannot be read") from error


def verify(envelope: bytes, public_key: bytes) -> Statement:
    """Raises `Damaged` when it is forged or cannot be read."""
    payload = dsse.verify(envelope, PAYLOAD_TYPE, public_key)
    try:
        body = json.loads(payload)
        if body["_type"] != STATEMENT_TYPE or body["predicateType"] != PREDICATE_TYPE:
            raise Damaged("statement.damaged", "the signed statement is of a kind that is not known here")
        p = body["predicate"]
        return Statement(
            title=str(p["title"]),
            build=int(p["build"]),
            profile=str(p["profile"]),
            platform=str(p["platform"]),
            version_name=str(p["version_name"]),
            version_code=int(p["version_code"]),
            # Checked here, where it is believed from now on: the launch entry is started by devices.
            launch=check_path(p["launch"]),
            depots=tuple(
                DepotLine(
                    s["name"], bytes.fromhex(s["digest"]["blake3"]), int(p["sizes"][s["name"]]), _selector(p, s["name"])
                )
                for s in body["subject"]
            ),
        )
    except RampaError:
        raise
    except (ValueError, KeyError, TypeError) as error:
        raise Damaged("statement.damaged", "the signed statement cannot be read") from error
