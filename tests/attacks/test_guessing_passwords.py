"""Guessing passwords and passphrases: by padding the address, by many tries at one moment, from many addresses, over a proxy.

Before: padded addresses passed 30 of 30, the right password behind a tab was taken while its account was throttled, 17 of 24
tries at one moment were compared, and passphrases of identities could be tried without limit and without an event.
"""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import pytest
from argon2 import PasswordHasher
from flask.testing import FlaskClient

from rampa.core.errors import RampaError
from rampa.operations.base import audit
from rampa.operations.people import guesses, people, sessions
from rampa.operations.signing import unlock
from rampa.schema.events import EventQuery
from rampa.schema.signing.identities import UnlockIn
from rampa.service.wiring import make_app
from tests.conftest import OWNER, World
from tests.refusals import refuses
from tests.samples import add_key

OF_ACCOUNT, OF_ADDRESS = guesses.LIMITS["sign-in"]
PASSPHRASE = "night shift 1907"


class Compared(PasswordHasher):
    """Counts what is compared."""

    def __init__(self) -> None:
        super().__init__(time_cost=1, memory_cost=64, parallelism=1)
        self.count = 0
        self._lock = threading.Lock()

    def verify(self, *words: object) -> bool:  # type: ignore[override]
        with self._lock:
            self.count += 1
        return super().verify(*words)  # type: ignore[arg-type]


@pytest.fixture
def compared(monkeypatch: pytest.MonkeyPatch) -> Iterator[Compared]:
    made = Compared()
    monkeypatch.setattr(people, "_hasher", lambda: made)
    people._nobody.cache_clear()
    yield made
    people._nobody.cache_clear()


def sign_in(world: World, email: str, password: str, address: str = "192.0.2.7") -> str:
    """The refusal's code, or nothing."""
    try:
        sessions.sign_in(world.services, email, password, address)
    except RampaError as error:
        return error.code
    return ""


def events(world: World, act: str) -> list[tuple[str, str]]:
    found = audit.list_events(world.services, EventQuery(act=act, limit=100)).items
    return [(e.who, e.sentence) for e in found]


def test_an_address_is_one_however_it_is_written(world: World, compared: Compared) -> None:
    padded = [f"{' ' * n}{OWNER}{chr(9) * n}" for n in range(10)] + [OWNER.upper(), f"\u00a0{OWNER}", f"{OWNER}\n"] * 7
    codes = [sign_in(world, email, "not it", f"192.0.2.{n}") for n, email in enumerate(padded)]
    assert codes == ["sign-in.denied"] * OF_ACCOUNT + ["sign-in.throttled"] * (len(padded) - OF_ACCOUNT)
    assert compared.count == OF_ACCOUNT
    for email in (OWNER, f"{OWNER}\t", f"\t{OWNER}"):
        assert sign_in(world, email, world.owner_password) == "sign-in.throttled"


def test_many_at_one_moment_are_no_more_than_as_many_one_by_one(world: World, compared: Compared) -> None:
    with ThreadPoolExecutor(24) as threads:
        codes = list(threads.map(lambda n: sign_in(world, OWNER, f"guess {n}", f"192.0.2.{n}"), range(24)))
    assert compared.count <= OF_ACCOUNT
    assert codes.count("sign-in.denied") == compared.count
    assert set(codes) <= {"sign-in.denied", "sign-in.throttled"}


def test_one_address_tries_many_names(world: World, compared: Compared) -> None:
    codes = [sign_in(world, f"kaisa{n}@quillback.example", "fog") for n in range(OF_ADDRESS + 5)]
    assert codes == ["sign-in.denied"] * OF_ADDRESS + ["sign-in.throttled"] * 5
    assert sign_in(world, OWNER, world.owner_password) == "sign-in.throttled"
    assert sign_in(world, OWNER, world.owner_password, "192.0.2.8") == ""


def test_who_guesses_on_keeps_nobody_out_for_longer(world: World, compared: Compared) -> None:
    for n in range(OF_ACCOUNT + 50):
        sign_in(world, OWNER, "not it", f"192.0.2.{n % 9}")
    later = replace(world.services, now=lambda: dt.datetime.now(dt.UTC) + guesses.WITHIN)
    assert sign_in(replace(world, services=later), OWNER, world.owner_password) == ""


def test_the_right_password_forgets_typing_errors(world: World, compared: Compared) -> None:
    for _ in range(3):
        for _ in range(OF_ACCOUNT - 1):
            assert sign_in(world, OWNER, "not it") == "sign-in.denied"
        assert sign_in(world, OWNER, world.owner_password) == ""


def test_failures_are_events_and_name_nothing_that_was_typed(world: World, compared: Compared) -> None:
    sign_in(world, OWNER, "not it")
    sign_in(world, "my secret password", "fog")
    for _ in range(OF_ACCOUNT + 3):
        sign_in(world, OWNER, "not it")
    refused = events(world, "sign-in.refuse")
    assert refused[0] == ("somebody", f"could not sign in with {OWNER}, from 192.0.2.7")
    assert ("somebody", "could not sign in with an unknown address, from 192.0.2.7") in refused
    assert len(refused) == OF_ACCOUNT + 1
    assert events(world, "sign-in.throttle") == [
        ("somebody", f"tried too often to sign in with {OWNER}, from 192.0.2.7")
    ]
    assert "my secret" not in str(refused)


def by_http(world: World, proxies: frozenset[str] = frozenset()) -> FlaskClient:
    return make_app(world.services, proxies=proxies).test_client()


def told(client: FlaskClient, world: World, **headers: str) -> str:
    """The address that an event says after a failed try."""
    words = {name.replace("_", "-"): value for name, value in headers.items()}
    answer = client.post("/api/v1/session", json={"email": OWNER, "password": "not it"}, headers=words)
    assert answer.status_code == 401
    return events(world, "sign-in.refuse")[0][1].rpartition(" ")[2]


def test_a_header_is_believed_from_a_named_proxy_alone(world: World) -> None:
    direct, behind = by_http(world), by_http(world, frozenset({"127.0.0.1", "192.0.2.1"}))
    assert told(direct, world, X_Forwarded_For="198.51.100.9") == "127.0.0.1"
    assert told(behind, world, X_Forwarded_For="198.51.100.9") == "198.51.100.9"
    assert told(behind, world, X_Forwarded_For="203.0.113.5, 198.51.100.9, 192.0.2.1") == "198.51.100.9"
    assert told(behind, world, X_Forwarded_For="2001:db8:1:2:3::4") == "2001:db8:1:2::/64"
    assert told(behind, world, X_Forwarded_For="::ffff:198.51.100.9") == "198.51.100.9"
    assert told(behind, world, X_Forwarded_For="fog, <script>") == "127.0.0.1"
    assert told(behind, world) == "127.0.0.1"


def test_a_throttled_caller_is_told_so(world: World) -> None:
    client = by_http(world)
    answers = [client.post("/api/v1/session", json={"email": OWNER, "password": "no"}) for _ in range(OF_ACCOUNT + 1)]
    assert [a.status_code for a in answers] == [401] * OF_ACCOUNT + [429]
    assert b"Try again in" in answers[-1].data


def test_passphrases_are_counted_and_seen(world: World) -> None:
    with world.client() as client:
        add_key(client, "quillback-2026", passphrase=PASSPHRASE)
    asked = UnlockIn(passphrase="not the passphrase", minutes=5)
    of_identity, _ = guesses.LIMITS["unlock"]
    for _ in range(of_identity):
        with refuses("key.wrong-passphrase"):
            unlock.unlock(world.services, world.actor(), "quillback-2026", asked)
    right = UnlockIn(passphrase=PASSPHRASE, minutes=5)
    with refuses("unlock.throttled", where=""):
        unlock.unlock(world.services, world.actor(), "quillback-2026", right)
    assert events(world, "unlock.refuse") == [("Iida", "was refused the passphrase of quillback-2026")] * of_identity
    assert events(world, "unlock.throttle") == [("Iida", "tried too often to unlock quillback-2026")]


def test_argon2_runs_for_a_few_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(guesses, "PATIENCE", 0.01)
    with guesses.hashing(), guesses.hashing(), refuses("sign-in.busy"), guesses.hashing():
        pass
    with guesses.hashing():
        pass
