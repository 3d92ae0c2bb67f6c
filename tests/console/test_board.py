"""The board is the first page: what is live where, what is new since one looked, and every moment before by a slider."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, signed_in
from tests.samples import add_key, build, change_folder, import_title, make_folder

pytestmark = MARKS


@pytest.fixture
def filled(lives: Lives, tmp_path: Path) -> Live:
    """#1 went to every device on studio, #2 grows there."""

    def fill(client: Client) -> None:
        add_key(client)
        import_title(client)
        source = make_folder(tmp_path / "source", 100_000)
        build(client, source, tmp_path / "state")
        client.channels.place("peatlight", "studio", 1, client.channels.preview("peatlight", "studio", 1).etag)
        change_folder(source)
        build(client, source, tmp_path / "state", version_name="1.5.0")
        etag = client.channels.preview("peatlight", "studio", 2).etag
        client.channels.place("peatlight", "studio", 2, etag, 5)

    return lives(fill)


def test_now_and_every_moment_before(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.get_by_role("link", name="Board", exact=True).click()
    row = page.get_by_role("row", name=re.compile("^Linux"))
    expect(row).to_contain_text("#2 1.5.0")
    expect(row).to_contain_text("every other device")
    slider = page.get_by_role("slider")
    slider.focus()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_text("As it was at")).to_be_visible()
    expect(row).not_to_contain_text("#2")
    expect(row).to_contain_text("#1 1.4.0")
    assert "at=" in page.url
    page.get_by_role("button", name="Now").click()
    expect(row).to_contain_text("#2 1.5.0")
    # What comes after this look is marked at the next.
    with filled.client() as client:
        client.rollouts.grow("peatlight", "studio", 2, 20)
    page.reload()
    expect(page.locator(".board-build.new")).to_contain_text("#2")
    expect(row).to_contain_text("20 %")
    page.get_by_role("link", name="#2").first.click()
    expect(page.get_by_role("heading", name="#2 on studio")).to_be_visible()


def test_axe_finds_nothing_and_nothing_scrolls_sideways(browser: Browser, filled: Live) -> None:
    wrong = complaints(signed_in(browser, filled), [""])
    assert not wrong, "\n".join(wrong)
