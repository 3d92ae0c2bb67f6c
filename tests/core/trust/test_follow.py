"""What a device says where there is nothing to follow; who stands between is tests/attacks/test_stolen_mirrors.py's."""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.delivery import names
from rampa.core.errors import NotFound
from rampa.core.signing import dsse
from rampa.core.trust.follow import refresh
from rampa.core.trust.issue import issue
from rampa.core.trust.start import PAYLOAD_TYPE, TrustStart, sign_start, verify_start
from rampa.core.trust.terms import ONLINE, TOP, channel_role
from tests.core.trust.test_root import PEOPLE, first, holders, signed
from tests.refusals import refuses

NOW = dt.datetime(2026, 11, 29, 12, tzinfo=dt.UTC)
ROLE = channel_role("c" * 32)
KEYS = {role: Ed25519PrivateKey.from_private_bytes(bytes([20 + i]) * 32) for i, role in enumerate((*TOP, ONLINE[-1]))}
ROOT = signed(first("Vendla", "Aino"), "Vendla", "Aino").root
TITLE = "example.quillback.peatlight"


def files() -> dict[str, bytes]:
    state = issue({}, {ROLE: {f"{ROLE}/linux": b"a line"}}, KEYS, NOW)
    found = {f"metadata/{i.version}.{role}.json": i.data for role, i in state.items()}
    return {**found, names.TIMESTAMP: state["timestamp"].data, names.target_name(f"{ROLE}/linux", b"a line"): b"a line"}


def looked(tmp_path: Path, there: dict[str, bytes], target: str = f"{ROLE}/linux") -> bytes:
    def fetch(name: str, limit: int) -> bytes:
        if name not in there:
            raise NotFound("delivery.no-file", name)
        return there[name]

    return refresh(tmp_path / "seen", ROOT, target, fetch, NOW)


def test_what_is_live_is_found(tmp_path: Path) -> None:
    assert holders("Vendla")[0].public == PEOPLE["Vendla"].public_key().public_bytes_raw()
    assert looked(tmp_path, files()) == b"a line"
    with refuses("trust.nothing"):
        looked(tmp_path, files(), f"{ROLE}/windows")


def test_a_delivery_that_is_not_there(tmp_path: Path) -> None:
    with refuses("trust.away"):
        looked(tmp_path, {})
    with refuses("delivery.no-file"):
        looked(tmp_path, {n: d for n, d in files().items() if not n.startswith("targets/")})


def test_what_it_keeps_may_be_damaged_and_is_made_anew(tmp_path: Path) -> None:
    looked(tmp_path, files())
    for kept in (tmp_path / "seen").rglob("*.json"):
        if not kept.is_symlink():
            kept.write_bytes(b"spoilt")
    assert looked(tmp_path, files()) == b"a line"


def test_a_start_is_of_its_title_and_signed_by_its_key() -> None:
    key = PEOPLE["Ines"]
    public = key.public_key().public_bytes_raw()
    start = TrustStart(TITLE, "early", ROLE, ROOT, True)
    assert verify_start(sign_start(start, key), TITLE, public) == start
    with refuses("trust.start"):
        verify_start(sign_start(start, key), "example.quillback.pocket", public)
    for body in (b"{}", b"[]", json.dumps({"kind": "rampa-trust-start-1", "title": TITLE, "root": "?"}).encode()):
        with refuses("trust.start"):
            verify_start(dsse.sign(PAYLOAD_TYPE, body, key), TITLE, public)
    with refuses("envelope.forged"):
        verify_start(sign_start(start, PEOPLE["Aino"]), TITLE, public)
