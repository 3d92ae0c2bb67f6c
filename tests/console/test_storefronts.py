"""Accounts at storefronts in the console: to the storefront and back, what it took away, one that is worked off by hand."""

from __future__ import annotations

from pathlib import Path
from types import SimpleNamespace

import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, signed_in
from tests.samples import import_title
from tests.service.test_storefronts import on_loopback
from tests.storefronts.conftest import Opens, opens

pytestmark = MARKS
__all__ = ["opens"]


@pytest.fixture
def live_with_reach(lives: Lives, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Live:
    """A service that may reach this machine."""
    monkeypatch.setenv("RAMPA_STOREFRONT_HOSTS", "127.0.0.1")
    monkeypatch.setenv("RAMPA_HAND_OVER", str(tmp_path / "hand-over"))

    def fill(client: Client) -> None:
        import_title(client)

    return lives(fill)


def test_to_the_storefront_and_back(browser: Browser, live_with_reach: Live, opens: Opens) -> None:
    quay = opens("northquay")
    # Where the service says that browsers find it: the storefront sends them back there.
    at_home = SimpleNamespace(
        address=f"http://localhost:{live_with_reach.port}", owner_password=live_with_reach.owner_password
    )
    page = signed_in(browser, at_home)  # type: ignore[arg-type]
    with on_loopback(quay.app) as address:
        page.goto("/storefronts")
        expect(page.get_by_text("No account is connected yet.")).to_be_visible()
        page.get_by_label("Name here").fill("northquay")
        page.get_by_label("Address").fill(address)
        page.get_by_role("button", name="Connect it …").click()
        expect(page.get_by_role("heading", name="May Rampa act for Quillback Works?")).to_be_visible()
        page.get_by_label("say how many players get what passed").uncheck()
        page.get_by_role("button", name="Let it in").click()
        row = page.get_by_role("region", name="Northquay")
        expect(row).to_contain_text("Rampa needs releases:write and may not")
        row.get_by_role("button", name="Let it in …").click()
        page.get_by_role("button", name="Let it in").click()
        expect(row).to_contain_text("✓ connected")
        quay.trouble("revoke")
        row.get_by_role("button", name="Look now").click()
        expect(row).to_contain_text("The storefront revoked this access")
        page.get_by_text("By hand, over a folder").click()
        page.get_by_label("Name here").fill("moorside")
        page.get_by_label("What it is called").fill("Moorside")
        page.get_by_role("button", name="Connect it", exact=True).click()
        expect(page.get_by_role("region", name="Moorside")).to_contain_text("take builds, and nothing else")
        assert not complaints(page, ["storefronts", "storefronts/return"])
        page.goto("/storefronts")
        row.get_by_role("button", name="Take away …").click()
        page.get_by_role("dialog").get_by_role("button", name="Take it away").click()
        expect(row).to_have_count(0)
