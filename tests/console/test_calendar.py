"""The calendar in the console: an agreement written down, a feed of one's own."""

from __future__ import annotations

import datetime as dt

from playwright.sync_api import Browser, expect

from rampa.client import Client
from tests.conftest import Lives
from tests.console.driving import MARKS, complaints, signed_in
from tests.samples import add_key, import_title

pytestmark = MARKS


def test_what_ends_when(browser: Browser, lives: Lives) -> None:
    def fill(client: Client) -> None:
        import_title(client)
        add_key(client)

    live = lives(fill)
    page = signed_in(browser, live)
    page.goto("/calendar")
    expect(page.get_by_text("Signing certificate")).to_be_visible()
    page.get_by_role("button", name="Write an agreement down …").click()
    page.get_by_label("Its short name").fill("northquay-terms")
    page.get_by_label("With whom").fill("Northquay")
    page.get_by_label("Its last day").fill(f"{dt.datetime.now(dt.UTC) + dt.timedelta(days=20):%Y-%m-%d}")
    page.get_by_role("button", name="Write it down").click()
    expect(page.get_by_text("northquay-terms with Northquay")).to_be_visible()
    page.get_by_role("button", name="Make an address").click()
    expect(page.get_by_text("/api/v1/calendar/feeds/")).to_be_visible()
    page.get_by_role("button", name="End it").click()
    expect(page.get_by_role("button", name="Make an address")).to_be_visible()
    assert not complaints(page, ["calendar"])
