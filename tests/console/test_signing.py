"""Identities, version codes and grants in the console: unlocking, entering a taken code, signing again."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from rampa.schema.devices import NewDevice
from rampa.schema.signing.grants import NewGrant
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, signed_in
from tests.packages import ipa_files, lay_out
from tests.samples import add_key, build, import_title
from tests.service.test_packages import DOCUMENT
from tests.service.test_signing import new_key

pytestmark = MARKS


@pytest.fixture
def filled(lives: Lives, tmp_path: Path) -> Live:
    def fill(client: Client) -> None:
        add_key(client)
        client.signing.add(new_key("fog-locked").model_copy(update={"passphrase": "night shift 1907"}))
        import_title(client, DOCUMENT)
        client.devices.register(
            "peatlight", NewDevice(name="moss-handset", platform="ios", channel="testers", simulated=True)
        )
        client.signing.make_grant("peatlight", NewGrant(profile="handset"))
        build(client, lay_out(tmp_path / "e", ipa_files()), tmp_path / "state", "handset")
        client.devices.register(
            "peatlight", NewDevice(name="loft-tablet", platform="ios", channel="testers", simulated=True)
        )

    return lives(fill)


def test_an_identity_is_unlocked_and_locked_again(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto(f"{filled.address}/keys")
    expect(page.get_by_text("● locked")).to_be_visible()
    page.get_by_role("link", name="fog-locked").first.click()
    page.get_by_label("Passphrase").fill("another one")
    page.get_by_role("button", name="Unlock for 60 min").click()
    expect(page.get_by_text("the passphrase does not unlock this signing identity", exact=False)).to_be_visible()
    page.get_by_label("Passphrase").fill("night shift 1907")
    page.get_by_role("button", name="Unlock for 60 min").click()
    expect(page.get_by_text("○ unlocked until").first).to_be_visible()
    page.get_by_role("button", name="Lock it now").click()
    expect(page.get_by_text("● locked")).to_be_visible()


def test_a_taken_code_is_entered(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto(f"{filled.address}/titles/peatlight/versions")
    page.get_by_role("combobox", name="Storefront or platform").last.click()
    page.get_by_role("option", name="ios").click()
    page.get_by_label("Version code").fill("41")
    page.get_by_label("How it came there").fill("by hand, before")
    page.get_by_role("button", name="Never give it again").click()
    expect(page.get_by_text("■ taken")).to_be_visible()
    expect(page.get_by_text("by hand, before").last).to_be_visible()
    with filled.client() as client:
        assert next(n.code for n in client.versions.next("peatlight") if n.profile == "handset") == 42


def test_a_build_behind_its_grant_is_signed_again(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto(f"{filled.address}/titles/peatlight/grants")
    expect(page.get_by_text("has grant 1 and does not run on loft-tablet")).to_be_visible()
    expect(page.get_by_text("Make a grant for handset first", exact=False)).to_be_visible()
    page.get_by_role("combobox", name="Profile").click()
    page.get_by_role("option", name="handset").click()
    page.get_by_role("button", name="Sign for all registered devices").click()
    page.get_by_role("button", name="Sign again with the newest grant").click()
    expect(page.get_by_text("To be signed again")).to_have_count(0)
    with filled.client() as client:
        assert client.builds.get("peatlight", 1).grant == 2
