"""Signing identities whose key is in a key module: signatures hold, the key never comes here, a wrong PIN is not tried until the
module locks, and a key that was put in another's place signs nothing."""

from __future__ import annotations

import copy
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

from rampa.client import Client
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.verification import verify_package
from rampa.core.signing import succession
from rampa.core.signing.identity import Identity
from rampa.db import SigningIdentityRow, find_key
from rampa.operations.base import begin
from rampa.operations.signing import identities
from rampa.operations.signing.succession import change_master_key
from rampa.schema.common import Role
from rampa.schema.signing.identities import ConnectKey
from tests.conftest import MASTER, World
from tests.key_modules import PIN, Slot, new_slot, there
from tests.packages import aab_files, apk_files, lay_out
from tests.refusals import refuses
from tests.samples import add_key, build, import_title
from tests.service.test_packages import DOCUMENT

pytestmark = pytest.mark.skipif(not there(), reason="SoftHSM is not installed")
NAME = "quillback-2026"


@pytest.fixture
def slot(world: World) -> Slot:
    slot = new_slot()
    object.__setattr__(world.services, "key_module", slot.module)
    return slot


def connect(client: Client, label: str = "release", name: str = NAME, certificate: str = "") -> None:
    client.signing.connect(ConnectKey(name=name, label=label, certificate=certificate))


@pytest.mark.parametrize("kind", ["ec-p256", "ec-p384", "rsa-2048", "rsa-4096"])
def test_what_it_signs_holds(client: Client, slot: Slot, tmp_path: Path, kind: str) -> None:
    certificate = slot.make("release", kind)
    connect(client)
    key = client.signing.get(NAME)
    assert (key.outside, key.origin, key.warnings) == ("release", "connected", [])
    assert key.certificate.encode() == certificate.public_bytes(Encoding.PEM)
    import_title(client, DOCUMENT)
    for number, (profile, files) in enumerate((("phone", apk_files()), ("store", aab_files())), 1):
        build(client, lay_out(tmp_path / profile, files), tmp_path / "state", profile)
        client.builds.save_bundle("peatlight", number, tmp_path / profile / "out")
        seen = verify_package(FileBytes(tmp_path / profile / "out"))
        assert (seen.holds, seen.fingerprint) == (True, key.fingerprint)
    assert client.signing.get(NAME).used == 2


@pytest.mark.parametrize("padding", ["pkcs1", "rsa-pss"])
def test_both_ways_of_rsa(client: Client, slot: Slot, tmp_path: Path, padding: str) -> None:
    slot.make("release", "rsa-3072")
    connect(client)
    import_title(
        client, DOCUMENT.replace('identity = "quillback-2026"', f'identity = "{NAME}"\nrsa_padding = "{padding}"')
    )
    build(client, lay_out(tmp_path / "in", apk_files()), tmp_path / "state", "phone")
    client.builds.save_bundle("peatlight", 1, tmp_path / "out.apk")
    assert verify_package(FileBytes(tmp_path / "out.apk")).holds


def test_an_identity_is_handed_over_to_the_module(client: Client, slot: Slot) -> None:
    """How a studio moves: the key that was here signs that the one in the module may speak for it, and later the other way."""
    add_key(client, "before")
    slot.make("release")
    connect(client)
    line = client.signing.hand_over("before", NAME).succession
    assert [line[0], line[-1]] == [client.signing.get("before").fingerprint, client.signing.get(NAME).fingerprint]
    slot.make("next")
    connect(client, "next", "next")
    assert len(succession.fingerprints(succession.decode(client.signing.succession(NAME)))) == 2
    assert len(client.signing.hand_over(NAME, "next").succession) == 3


def test_the_key_never_comes_here(world: World, client: Client, slot: Slot) -> None:
    slot.make("release")
    connect(client)
    with refuses("key.outside", "does not leave it"):
        client.signing.export(NAME, "a long enough password")
    with world.services.db.transaction() as session:
        row = session.query(SigningIdentityRow).one()
        assert row.sealed == b""
    opened = _opened(world)
    for take in (
        lambda: opened.key.private_numbers(),
        lambda: opened.key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()),
    ):
        with refuses("key.outside"):
            take()
    assert copy.deepcopy(opened.key) is opened.key
    # There is nothing of it to wrap again.
    object.__setattr__(world.services, "master_key", (bytes(32), MASTER))
    change_master_key(world.services, world.actor())


def test_a_pin_is_said_nowhere_and_a_wrong_one_tried_once(world: World, client: Client) -> None:
    slot = new_slot(pin="another PIN")
    object.__setattr__(world.services, "key_module", slot.module)
    for _ in range(20):
        with refuses("key-module.pin", "refuses the PIN"):
            connect(client)
    assert "another PIN" not in repr(slot.module) + repr(world.services)
    # Twenty tries of ours were one of the module's: it is not locked.
    slot.module.pin, slot.module._refused = PIN, ""
    slot.make("release")
    connect(client)


def test_another_key_in_its_place_signs_nothing(client: Client, slot: Slot, tmp_path: Path) -> None:
    slot.make("release")
    connect(client)
    import_title(client, DOCUMENT)
    slot.replace_key("release")
    with refuses("key.mismatch", "does not belong to this certificate"):
        build(client, lay_out(tmp_path / "in", apk_files()), tmp_path / "state", "phone")
    other = slot.make("other", bare=True)
    with refuses("key.mismatch"):
        connect(client, "release", "stolen", other.public_bytes(Encoding.PEM).decode())


def test_what_is_not_there_is_said(world: World, client: Client, slot: Slot, tmp_path: Path) -> None:
    with refuses("key-module.no-key", "no private key 'release'"):
        slot.keep("release", slot.make("for its certificate", bare=True))
        connect(client)
    bare = slot.make("bare", bare=True)
    with refuses("key-module.no-certificate", "no certificate 'bare'"):
        connect(client, "bare")
    with refuses("key.certificate"):
        connect(client, "bare", certificate="no certificate")
    connect(client, "bare", certificate=bare.public_bytes(Encoding.PEM).decode())
    slot.make("another")
    with refuses("key.exists"):
        connect(client, "another")
    slot.module.slot = "a slot that was taken out"
    import_title(client, DOCUMENT)
    with refuses("key-module.away", "does not answer"):
        build(client, lay_out(tmp_path / "in", apk_files()), tmp_path / "state", "phone")
    object.__setattr__(world.services, "key_module", None)
    with refuses("key-module.none", "has no key module"):
        connect(client)


def test_the_same_key_under_another_name_would_sign_past_its_policy(client: Client, slot: Slot) -> None:
    slot.make("release")
    connect(client)
    for label in ("release", "copy"):
        with refuses("key.connected", f"is the signing identity {NAME} already"):
            if label == "copy":
                slot.relabel("release", "copy")
            connect(client, label, "mine", client.signing.get(NAME).certificate)


def test_who_may_not(world: World, slot: Slot) -> None:
    slot.make("release")
    for role in (Role.ENGINEER, Role.TESTER, Role.VIEWER, Role.REVIEWER):
        with refuses("role.denied"):
            connect(world.client(role))


def _opened(world: World) -> Identity:
    with begin(world.services, world.actor()) as uow:
        return identities.open_identity(uow, find_key(uow.session, NAME))
