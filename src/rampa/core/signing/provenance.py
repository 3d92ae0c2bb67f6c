"""How a bundle was made: an in-toto Statement (v1) with SLSA provenance (slsa.dev/provenance/v1) in a DSSE envelope."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.errors import Damaged
from rampa.core.signing import dsse
from rampa.core.signing.statement import PAYLOAD_TYPE, STATEMENT_TYPE

PREDICATE_TYPE = "https://slsa.dev/provenance/v1"
BUILD_TYPE = "https://rampa.example/run/v1"


@dataclass(frozen=True)
class Provenance:
    """`subjects` name -> SHA-256. `source` is an address, `commit` empty for an uploaded folder; moments in RFC 3339."""

    subjects: dict[str, str]
    title: str
    build: int
    run: int
    profile: str
    revision: int
    document_sha256: str
    version_name: str
    version_code: int
    source: str
    commit: str
    folder: int
    agent: str
    isolation: str
    """What kept the programs of the run apart; empty for a build by hand."""
    tools: dict[str, str]
    steps: tuple[str, ...]
    started: str
    finished: str


def sign(made: Provenance, key: Ed25519PrivateKey) -> bytes:
    """The DSSE envelope."""
    # One form for one statement: signing the same facts again gives the same envelope.
    payload = json.dumps(_statement(made), sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()
    return dsse.sign(PAYLOAD_TYPE, payload, key)


def _statement(p: Provenance) -> dict[str, Any]:
    sources: list[dict[str, Any]] = [
        {"uri": f"rampa:{p.title}/revisions/{p.revision}", "digest": {"sha256": p.document_sha256}}
    ]
    if p.commit:
        sources.append({"uri": f"git+{p.source}", "digest": {"gitCommit": p.commit}})
    if p.folder:
        sources.append({"uri": f"rampa:{p.title}/folders/{p.folder}"})
    return {
        "_type": STATEMENT_TYPE,
        "subject": [{"name": name, "digest": {"sha256": digest}} for name, digest in sorted(p.subjects.items())],
        "predicateType": PREDICATE_TYPE,
        "predicate": {
            "buildDefinition": {
                "buildType": BUILD_TYPE,
                "externalParameters": {
                    "title": p.title,
                    "profile": p.profile,
                    "revision": p.revision,
                    "version_name": p.version_name,
                    "version_code": p.version_code,
                },
                "internalParameters": {"steps": list(p.steps), "tools": p.tools, "isolation": p.isolation},
                "resolvedDependencies": sources,
            },
            "runDetails": {
                "builder": {"id": f"rampa:agent/{p.agent}" if p.agent else "rampa:by-hand"},
                "metadata": {
                    "invocationId": f"rampa:{p.title}/{f'runs/{p.run}' if p.run else f'builds/{p.build}'}",
                    "startedOn": p.started,
                    "finishedOn": p.finished,
                },
            },
        },
    }


def verify(envelope: bytes, public_key: bytes) -> dict[str, Any]:
    """The statement, once the title's signature holds. Raises `Damaged`."""
    body: dict[str, Any] = json.loads(dsse.verify(envelope, PAYLOAD_TYPE, public_key))
    if body.get("_type") != STATEMENT_TYPE or body.get("predicateType") != PREDICATE_TYPE:
        raise Damaged("provenance.kind", "the signed statement is not one of provenance")
    return body
