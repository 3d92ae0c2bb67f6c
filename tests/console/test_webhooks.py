"""Webhooks in the console: added, what their target answered, sent again, paused, removed."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import replace

from playwright.sync_api import Browser, expect

from rampa.operations.base.context import Services
from rampa.operations.notices import sending
from rampa.store.outbound import Answer, poster
from rampa.store.reach import Reach
from tests.console.driving import MARKS, complaints, signed_in
from tests.console.test_testers import Stage, stage

pytestmark = MARKS
__all__ = ["stage"]


def test_webhooks_show_what_was_answered_and_send_again(browser: Browser, stage: Stage) -> None:
    page = signed_in(browser, stage.live)
    page.goto("/events")
    page.get_by_role("link", name="Webhooks of Peatlight").click()
    page.get_by_role("button", name="Add a webhook …").click()
    page.get_by_label("Name").fill("night-chat")
    page.get_by_label("Address").fill("https://127.0.0.1:9/hook")
    page.get_by_label("Events").fill("channel., webhook.")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("dialog")).to_contain_text("whsec_")
    page.get_by_role("button", name="Close").click()
    expect(page.get_by_role("row", name=re.compile("night-chat.*channel., webhook.*1 waiting"))).to_be_visible()
    sending.send_due(stage.services, poster(Reach(variable="RAMPA_WEBHOOK_HOSTS")))
    page.get_by_role("link", name="night-chat").click()
    assert page.url.endswith("/titles/peatlight/webhooks/night-chat")
    row = page.get_by_role("row", name=re.compile("added the webhook night-chat"))
    expect(row).to_contain_text("RAMPA_WEBHOOK_HOSTS")
    expect(row.get_by_role("button", name="Send again")).to_be_disabled()
    sending.send_due(moved(stage.services, hours=1), lambda *_: Answer(200, "good", 12))
    expect(row).to_contain_text("✓ taken")
    row.get_by_role("button", name="Send again").click()
    expect(row).to_contain_text("on its way")
    page.goto("/titles/peatlight/webhooks")
    page.get_by_role("button", name="Pause, night-chat").click()
    expect(page.get_by_text("▲ paused")).to_be_visible()
    assert not complaints(page, ["titles/peatlight/webhooks", "titles/peatlight/webhooks/night-chat", "events"])
    page.goto("/titles/peatlight/webhooks")
    page.get_by_role("button", name="Remove … night-chat").click()
    page.get_by_role("dialog").get_by_role("button", name="Remove night-chat").click()
    expect(page.get_by_text("Nothing is sent anywhere.")).to_be_visible()


def moved(services: Services, hours: int) -> Services:
    now = services.now
    return replace(services, now=lambda: now() + dt.timedelta(hours=hours))
