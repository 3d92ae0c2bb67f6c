"""Signing identities and people: kept sealed, used, never answered."""

from __future__ import annotations

import base64
import datetime as dt
from dataclasses import replace
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.errors import Conflict, Damaged, Denied, Invalid, NotFound
from rampa.core.signing import identity
from rampa.operations import keys, people
from rampa.schema.common import Role
from rampa.schema.keys import NewKey
from rampa.schema.people import NewPerson, NewToken
from tests.conftest import OWNER, World
from tests.samples import add_key, build, import_title, make_folder

NOW = dt.datetime.now(dt.UTC)


def new_key(
    name: str = "quillback-2026", password: str = "a password", made_at: dt.datetime = NOW, years: int = 30
) -> NewKey:
    made = identity.make(name, "Quillback Works", "ec-p256", made_at, years)
    data = identity.to_pkcs12(made, name, "a password")
    return NewKey(name=name, pkcs12=base64.b64encode(data).decode(), password=password)


def test_an_identity_is_shown_without_its_key(world: World, client: Client) -> None:
    asked = new_key()
    key = client.add_key(asked)
    assert (key.name, key.kind, key.used) == ("quillback-2026", "EC P-256", 0)
    assert client.key("quillback-2026").fingerprint == key.fingerprint
    shown = str(client.keys()) + str([e.detail for e in client.events()])
    assert asked.pkcs12 not in shown
    assert "a password" not in shown
    with world.services.db.engine.connect() as connection:
        kept = str(connection.exec_driver_sql("select * from signing_identity").fetchall())
    assert asked.pkcs12 not in kept
    assert "a password" not in kept


def test_what_is_wrong_with_a_key_is_said(client: Client) -> None:
    with pytest.raises(Invalid, match="password does not open"):
        client.add_key(new_key(password="another one"))
    with pytest.raises(Invalid, match="not a PKCS#12"):
        client.add_key(NewKey(name="k", pkcs12="AAAA", password="a password"))
    client.add_key(new_key())
    with pytest.raises(Conflict, match="signing identity 'quillback-2026' already"):
        client.add_key(new_key())
    with pytest.raises(NotFound, match="no signing identity 'none'"):
        client.key("none")


def test_an_expired_certificate_signs_nothing(client: Client, tmp_path: Path) -> None:
    client.add_key(new_key(made_at=NOW - dt.timedelta(days=800), years=1))
    import_title(client)
    with pytest.raises(Invalid, match="expired on"):
        build(client, make_folder(tmp_path / "source", 1000), tmp_path / "state")
    assert client.build("peatlight", 1).state == "open"


def test_another_master_key_opens_nothing(world: World, client: Client) -> None:
    add_key(client)
    other = replace(world.services, master_key=bytes(32))
    with world.services.db.transaction() as session:
        row = keys.find_key(session, "quillback-2026")
        assert keys.open_identity(world.services, row).fingerprint == row.fingerprint
        with pytest.raises(Damaged, match="master key does not open"):
            keys.open_identity(other, row)


def test_every_use_of_a_key_is_an_event(client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    made = build(client, make_folder(tmp_path / "source", 1000), tmp_path / "state")
    (event,) = client.events(act="key.use")
    assert event.subject == "quillback-2026"
    assert made.build.bundle
    assert event.detail == {"build": "peatlight#1", "bundle_sha256": made.build.bundle.sha256}
    assert client.key("quillback-2026").used == 1


def test_people_are_added_once(client: Client) -> None:
    asked = NewPerson(name="Oskari", email="oskari@quillback.example", role=Role.ENGINEER, password="a long password")
    client.add_person(asked)
    with pytest.raises(Conflict, match="is taken"):
        client.add_person(asked.model_copy(update={"email": "OSKARI@quillback.example"}))
    assert [p.name for p in client.people()] == ["Iida", "Oskari"]


def test_tokens_are_listed_and_revoked(world: World, client: Client) -> None:
    made = client.make_token(NewToken(name="build machine", role=Role.AGENT, days=3))
    assert made.secret.startswith("rampa-")
    assert (made.expires_at - made.created_at).days == 3
    listed = client.tokens()
    assert "build machine" in [t.name for t in listed]
    assert not any(hasattr(t, "secret") for t in listed)
    client.revoke_token(made.id)
    assert people.find_token(world.services, made.secret) is None
    with pytest.raises(NotFound):
        client.revoke_token(made.id)
    with world.client(Role.VIEWER) as viewer:
        with pytest.raises(NotFound, match="no such token of yours"):
            viewer.revoke_token(listed[0].id)


def test_a_new_password_ends_what_the_old_one_opened(world: World) -> None:
    token = world.token()
    fresh = people.new_password(world.services, OWNER)
    assert people.find_token(world.services, token) is None
    with pytest.raises(Denied):
        people.sign_in(world.services, OWNER, world.owner_password)
    assert people.sign_in(world.services, OWNER, fresh)
    assert people.first_start(world.services, "Other", "Other", "o@x") is None, "a service has one first start"


def test_events_filter_and_page(client: Client) -> None:
    for n in range(5):
        add_key(client, f"key-{n}")
    assert [e.subject for e in client.events(act="key.add", limit=2)] == [f"key-{n}" for n in reversed(range(5))]
    assert list(client.events(title="peatlight")) == []
