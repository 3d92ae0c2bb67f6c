"""The restore drill: a backup is opened far from the service, signs a probe, and the service verifies it."""

from __future__ import annotations

from rampa.client.client import Client
from rampa.core.signing import cms
from rampa.core.signing.identity import to_pkcs12
from rampa.core.signing.keystore import read_pkcs12
from rampa.core.signing.seal import seal, unseal
from rampa.schema.signing.identities import Key
from rampa.system import RANDOM


def restore_drill(client: Client, name: str, export: bytes, password: str) -> Key:
    """`export` is the PKCS#12 file as it came from the safe. Raises `Invalid` or `Damaged` with what is wrong with it."""
    restored = read_pkcs12(export, password).identity
    probe = client.signing.probe(name)
    # The scratch vault: sealed under a key of this moment, opened again, and forgotten at the end.
    scratch, label = RANDOM(32), f"drill:{name}"
    sealed = seal(to_pkcs12(restored, name, password), scratch, label, RANDOM)
    again = read_pkcs12(unseal(sealed, scratch, label), password).identity
    return client.signing.pass_drill(name, cms.sign_content(probe, again))
