"""What a service is told by its environment: what is missing or wrong is named, with what it should be."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest

from rampa.core.content.patch.sets import Budget
from rampa.service.settings import ServiceSettings
from tests.refusals import refuses

KEY = "00" * 32


@pytest.fixture
def told(monkeypatch: pytest.MonkeyPatch) -> pytest.MonkeyPatch:
    for name, value in {"DATABASE_URL": "postgresql+psycopg://x", "STORE": "/srv/store", "MASTER_KEY": KEY}.items():
        monkeypatch.setenv(f"RAMPA_{name}", value)
    for name in ("MASTER_KEY_FILE", "CONSOLE", "SECURE_COOKIES", "LEASE_SECONDS"):
        monkeypatch.delenv(f"RAMPA_{name}", raising=False)
    return monkeypatch


def test_what_is_told_is_taken(told: pytest.MonkeyPatch, tmp_path: Path) -> None:
    found = ServiceSettings.from_environment()
    assert (found.process.store, found.process.master_key, found.console) == (Path("/srv/store"), (bytes(32),), None)
    assert (found.secure_cookies, found.process.lease) == (False, dt.timedelta(seconds=30))
    assert found.process.budget == Budget()
    (tmp_path / "keys").write_text(f"{KEY}\n{'11' * 32}\n")
    told.delenv("RAMPA_MASTER_KEY")
    told.setenv("RAMPA_MASTER_KEY_FILE", str(tmp_path / "keys"))
    told.setenv("RAMPA_SECURE_COOKIES", "1")
    told.setenv("RAMPA_LEASE_SECONDS", "5")
    found = ServiceSettings.from_environment()
    assert (len(found.process.master_key), found.secure_cookies) == (2, True)
    assert found.process.lease == dt.timedelta(seconds=5)


@pytest.mark.parametrize("name", ["DATABASE_URL", "STORE", "MASTER_KEY"])
def test_what_is_missing_is_named(name: str, told: pytest.MonkeyPatch) -> None:
    told.delenv(f"RAMPA_{name}")
    with refuses("settings.missing", f"RAMPA_{name}"):
        ServiceSettings.from_environment()


@pytest.mark.parametrize("said", ["soon", "0", "-3", "nan", "inf", "1e300", "86401"])
def test_seconds_are_seconds(said: str, told: pytest.MonkeyPatch) -> None:
    told.setenv("RAMPA_LEASE_SECONDS", said)
    with refuses("settings.seconds", f"{said!r}", where="RAMPA_LEASE_SECONDS"):
        ServiceSettings.from_environment()


@pytest.mark.parametrize("said", ["soon", "-3", "1.5", "٣", "1" * 10])
def test_a_budget_is_whole_numbers_and_nothing_is_allowed(said: str, told: pytest.MonkeyPatch) -> None:
    told.setenv("RAMPA_DIFFERENCE_SECONDS", "0")
    told.setenv("RAMPA_DIFFERENCE_MB", "16")
    assert ServiceSettings.from_environment().process.budget == Budget(0, 16 * 1024 * 1024)
    told.setenv("RAMPA_DIFFERENCE_MB", said)
    with refuses("settings.whole-number", f"{said!r}", where="RAMPA_DIFFERENCE_MB"):
        ServiceSettings.from_environment()


def test_proxies_are_addresses(told: pytest.MonkeyPatch) -> None:
    assert ServiceSettings.from_environment().proxies == frozenset()
    told.setenv("RAMPA_PROXIES", "127.0.0.1, ::1,")
    assert ServiceSettings.from_environment().proxies == {"127.0.0.1", "::1"}
    told.setenv("RAMPA_PROXIES", "proxy.quillback.example")
    with refuses("settings.proxies", where="RAMPA_PROXIES"):
        ServiceSettings.from_environment()


def test_a_master_key_that_is_none_is_said_and_not_shown(told: pytest.MonkeyPatch, tmp_path: Path) -> None:
    for text in ("fog", KEY[:-2], "00" * 31 + "zz"):
        told.setenv("RAMPA_MASTER_KEY", text)
        with refuses("settings.master-key", where="RAMPA_MASTER_KEY") as caught:
            ServiceSettings.from_environment()
        assert text not in str(caught.value)
    told.delenv("RAMPA_MASTER_KEY")
    told.setenv("RAMPA_MASTER_KEY_FILE", str(tmp_path / "none"))
    with refuses("settings.master-key", "cannot be read", where="none"):
        ServiceSettings.from_environment()


@pytest.mark.parametrize("said", ["rampa.quillback.example", "http://rampa.quillback.example", "https://x.example/"])
def test_an_origin_is_one(said: str, told: pytest.MonkeyPatch) -> None:
    told.setenv("RAMPA_ORIGIN", "https://rampa.quillback.example:8443")
    assert ServiceSettings.from_environment().process.origin == "https://rampa.quillback.example:8443"
    told.setenv("RAMPA_ORIGIN", said)
    with refuses("settings.origin", where="RAMPA_ORIGIN"):
        ServiceSettings.from_environment()


def test_the_studio_s_own_sign_in(told: pytest.MonkeyPatch, tmp_path: Path) -> None:
    assert ServiceSettings.from_environment().process.provider is None
    told.setenv("RAMPA_PROVIDER", "https://id.quillback.example")
    for name, value in (("CLIENT", "rampa"), ("ROLES", "builds=engineer"), ("SECRET_FILE", str(tmp_path / "secret"))):
        with refuses("settings.missing", "RAMPA_PROVIDER_"):
            ServiceSettings.from_environment()
        told.setenv(f"RAMPA_PROVIDER_{name}", value)
    with refuses("settings.secret-file", where="secret"):
        ServiceSettings.from_environment()
    (tmp_path / "secret").write_text("a secret\n")
    provider = ServiceSettings.from_environment().process.provider
    assert provider is not None
    assert (provider.secret, provider.roles, provider.groups) == ("a secret", {"builds": "engineer"}, "groups")
    told.setenv("RAMPA_PROVIDER", "http://id.quillback.example")
    with refuses("provider.issuer", where="RAMPA_PROVIDER"):
        ServiceSettings.from_environment()
