"""Signing identities and people: kept sealed, used, never answered."""

from __future__ import annotations

import base64
import datetime as dt
import inspect
from dataclasses import replace
from pathlib import Path

from rampa.client import Client
from rampa.client.signing.drill import restore_drill
from rampa.core.signing import identity
from rampa.db.base import Base
from rampa.db.signing import find_key
from rampa.operations.base.unit_of_work import begin
from rampa.operations.people import people, sessions, tokens
from rampa.operations.signing import continuity, identities, succession
from rampa.schema.common import Role
from rampa.schema.people import NewPerson, NewToken
from rampa.schema.signing.identities import NewKey, UnlockIn
from tests.conftest import OWNER, World
from tests.refusals import refuses
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
    key = client.signing.add(asked)
    assert (key.name, key.kind, key.used) == ("quillback-2026", "EC P-256", 0)
    assert client.signing.get("quillback-2026").fingerprint == key.fingerprint
    shown = str(client.signing.all()) + str([e.detail for e in client.events.all()])
    assert asked.pkcs12 not in shown
    assert "a password" not in shown
    with world.services.db.engine.connect() as connection:
        kept = str(connection.exec_driver_sql("select * from signing_identity").fetchall())
    assert asked.pkcs12 not in kept
    assert "a password" not in kept


def test_what_is_wrong_with_a_key_is_said(client: Client) -> None:
    with refuses("key.wrong-password", "password does not open"):
        client.signing.add(new_key(password="another one"))
    with refuses("key.pkcs12", "not a PKCS#12"):
        client.signing.add(NewKey(name="k", pkcs12="AAAA", password="a password"))
    client.signing.add(new_key())
    with refuses("key.exists", "signing identity 'quillback-2026' already"):
        client.signing.add(new_key())
    with refuses("key.unknown", "no signing identity 'none'"):
        client.signing.get("none")


def test_an_expired_certificate_signs_nothing(world: World, client: Client) -> None:
    with refuses("key.expired", "certificate expired on"):
        client.signing.add(new_key(made_at=NOW - dt.timedelta(days=800), years=1))
    client.signing.add(new_key(made_at=NOW - dt.timedelta(days=364), years=1))
    later = replace(world.services, now=lambda: NOW + dt.timedelta(days=2))
    with begin(later) as uow, refuses("key.expired", "expired on"):
        identities.open_identity(uow, find_key(uow.session, "quillback-2026"))


def test_a_certificate_that_nears_its_end_is_warned_of_where_it_is_relied_on(
    world: World, client: Client, tmp_path: Path
) -> None:
    client.signing.add(new_key(made_at=NOW - dt.timedelta(days=364), years=2))
    import_title(client)
    build(client, make_folder(tmp_path / "source", 1000), tmp_path / "state")
    found = client.channels.preview("peatlight", "studio", 1).findings
    assert ("warning", "signing.near-end") in {(f.severity, f.code) for f in found}
    with begin(world.services) as uow:
        assert [f.code for f in continuity.check_backup(uow, "quillback-2026")] == [
            "signing.not-backed-up",
            "signing.near-end",
        ]
        assert continuity.check_backup(uow, "none") == []


def test_another_master_key_opens_nothing(world: World, client: Client) -> None:
    add_key(client)
    other = replace(world.services, master_key=bytes(32))
    with begin(world.services) as uow:
        row = find_key(uow.session, "quillback-2026")
        assert identities.open_identity(uow, row).fingerprint == row.fingerprint
        with refuses("vault.key", "master key does not open"):
            identities.open_identity(replace(uow, services=other), row)


def locked(client: Client, name: str = "quillback-2026") -> None:
    client.signing.add(new_key(name).model_copy(update={"passphrase": "night shift 1907"}))


def test_a_locked_identity_signs_only_while_it_is_unlocked(world: World, client: Client, tmp_path: Path) -> None:
    locked(client)
    import_title(client)
    source = make_folder(tmp_path / "source", 1000)
    with refuses("key.locked", "quillback-2026 is locked") as error:
        build(client, source, tmp_path / "state")
    assert "rampa key unlock quillback-2026" in error.value.hint
    with refuses("key.wrong-passphrase", "does not unlock"):
        client.signing.unlock("quillback-2026", UnlockIn(passphrase="night shift 1908"))
    for run, code in (({"run": 1}, "unlock.title"), ({"run": 1, "title": "peatlight"}, "run.unknown")):
        with refuses(code):
            client.signing.unlock("quillback-2026", UnlockIn(passphrase="night shift 1907", **run))
    assert client.signing.unlock("quillback-2026", UnlockIn(passphrase="night shift 1907", minutes=5)).unlocked_until
    assert build(client, source, tmp_path / "state").build.signed
    assert client.signing.lock("quillback-2026").unlocked_until is None
    with refuses("key.locked", "is locked"):
        build(client, source, tmp_path / "state")
    client.signing.unlock("quillback-2026", UnlockIn(passphrase="night shift 1907", minutes=5))
    later = replace(world.services, now=lambda: dt.datetime.now(dt.UTC) + dt.timedelta(minutes=6))
    assert identities.get_key(later, "quillback-2026").unlocked_until is None, "the time is over"
    assert [e.act for e in client.events.all(act="key.")] == [
        "key.unlock",
        "key.lock",
        "key.use",
        "key.unlock",
        "key.add",
    ]
    with world.services.db.engine.connect() as connection:
        kept = str(connection.exec_driver_sql("select * from unlock").fetchall())
    assert "night shift" not in kept


def test_an_identity_is_unbacked_until_the_drill_passed(client: Client) -> None:
    client.signing.add(new_key())
    client.signing.add(new_key("other"))
    assert "Not backed up" in client.signing.get("quillback-2026").warnings[0]
    export = client.signing.export("quillback-2026", "a new password")
    assert "Not backed up" in client.signing.get("quillback-2026").warnings[0], "an export alone is no backup"
    with refuses("key.wrong-password", "password does not open"):
        restore_drill(client, "quillback-2026", export, "a password")
    with refuses("drill.other", "export is of another signing identity"):
        restore_drill(client, "quillback-2026", client.signing.export("other", "a new password"), "a new password")
    key = restore_drill(client, "quillback-2026", export, "a new password")
    assert (key.backed_by, key.warnings) == ("Iida", [])
    assert {u.act for u in client.signing.uses("quillback-2026")} == {"key.add", "key.export", "key.drill"}


def test_only_the_owner_moves_identities(world: World, client: Client) -> None:
    client.signing.add(new_key())
    with world.client(Role.ENGINEER) as engineer:
        with refuses("role.denied"):
            engineer.signing.export("quillback-2026", "a new password")
        with refuses("role.denied"):
            engineer.signing.hand_over("quillback-2026", "other")
        with refuses("role.denied"):
            engineer.signing.change_master_key()


def test_the_master_key_changes_without_a_pause(world: World, client: Client) -> None:
    from rampa.service.wiring import make_app

    locked(client)
    add_key(client, "other")
    import_title(client)
    fresh = b"\x07" * 32
    before = world.services.master_key
    assert isinstance(before, bytes)
    both = replace(world.services, master_key=(fresh, before))
    with replace(world, services=both, app=make_app(both)).client() as newer:
        done = newer.signing.change_master_key()
        assert (done.wrapped, done.unchanged, done.keys) == (3, 0, 2)
        assert newer.signing.change_master_key().unchanged == 3
        newer.signing.unlock("quillback-2026", UnlockIn(passphrase="night shift 1907"))
    alone = replace(world.services, master_key=fresh)
    with begin(alone) as uow:
        for name in ("quillback-2026", "other"):
            row = find_key(uow.session, name)
            assert identities.open_identity(uow, row).fingerprint == row.fingerprint


def test_every_sealed_column_is_wrapped_with_the_new_master_key() -> None:
    """What is left out would be lost with the old key."""
    code = inspect.getsource(succession)
    sealed = {
        mapper.class_.__name__: column.name
        for mapper in Base.registry.mappers
        for column in mapper.local_table.columns
        if column.name.endswith("sealed")
    }
    assert [(row, column) for row, column in sealed.items() if f"select({row})" not in code or column not in code] == []
    assert len(sealed) >= 13


def test_every_use_of_a_key_is_an_event(client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    made = build(client, make_folder(tmp_path / "source", 1000), tmp_path / "state")
    (event,) = client.events.all(act="key.use")
    assert event.subject == "quillback-2026"
    assert made.build.bundle
    assert event.detail == {
        "build": "peatlight#1",
        "bundle_sha256": made.build.bundle.sha256,
        "run": "",
        "scheme": "cms",
    }
    assert client.signing.get("quillback-2026").used == 1


def test_people_are_added_once(client: Client) -> None:
    asked = NewPerson(name="Oskari", email="oskari@quillback.example", role=Role.ENGINEER, password="a long password")
    client.people.add(asked)
    with refuses("person.exists", "is taken"):
        client.people.add(asked.model_copy(update={"email": "OSKARI@quillback.example"}))
    assert [p.name for p in client.people.all()] == ["Iida", "Oskari"]


def test_no_person_and_no_token_is_an_agent(client: Client) -> None:
    with refuses("role.machine", where="role"):
        client.people.make_token(NewToken(name="build machine", role=Role.AGENT))
    with refuses("role.machine", where="role"):
        client.people.add(NewPerson(name="A", email="a@quillback.example", role=Role.AGENT, password="a long password"))


def test_tokens_are_listed_and_revoked(world: World, client: Client) -> None:
    made = client.people.make_token(NewToken(name="build machine", role=Role.VIEWER, days=3))
    assert made.secret.startswith("rampa-")
    assert (made.expires_at - made.created_at).days == 0, "the token that made it lives for a day"
    listed = client.people.tokens()
    assert "build machine" in [t.name for t in listed]
    assert not any(hasattr(t, "secret") for t in listed)
    client.people.revoke_token(made.id)
    assert tokens.find_token(world.services, made.secret) is None
    with refuses("token.unknown"):
        client.people.revoke_token(made.id)
    with world.client(Role.VIEWER) as viewer:
        with refuses("token.unknown", "no such token of yours"):
            viewer.people.revoke_token(listed[0].id)


def test_a_new_password_ends_what_the_old_one_opened(world: World) -> None:
    token = world.token()
    fresh = people.new_password(world.services, OWNER)
    assert tokens.find_token(world.services, token) is None
    with refuses("sign-in.denied"):
        sessions.sign_in(world.services, OWNER, world.owner_password)
    assert sessions.sign_in(world.services, OWNER, fresh)
    assert people.first_start(world.services, "Other", "Other", "o@x") is None, "a service has one first start"


def test_events_filter_and_page(client: Client) -> None:
    for n in range(5):
        add_key(client, f"key-{n}")
    assert [e.subject for e in client.events.all(act="key.add", limit=2)] == [f"key-{n}" for n in reversed(range(5))]
    assert list(client.events.all(title="peatlight")) == []
