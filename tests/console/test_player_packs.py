"""Packs for players on a build's page, in the place dialogue, the matrix and the store's page: in headless Chromium."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, settled, signed_in
from tests.samples import add_key, build, import_title, make_folder, words
from tests.service.test_player_packs import laid_out

pytestmark = MARKS
BUILD = "/titles/peatlight/builds/1"
PAGES = ["titles/peatlight/builds/1", "titles/peatlight/channels/early/place/2", "titles/peatlight/updates", "store"]


@pytest.fixture
def two(lives: Lives, tmp_path: Path) -> Live:
    def fill(client: Client) -> None:
        add_key(client)
        import_title(client)
        source = make_folder(tmp_path / "source", 200_000)
        for number in range(2):
            (source / "data/story.txt").write_bytes(words(1_200_000, number))
            build(client, source, tmp_path / "state")

    return lives(fill)


def test_they_are_made_and_looked_at(browser: Browser, two: Live) -> None:
    page = signed_in(browser, two)
    page.goto("/titles/peatlight/channels/early/place/2")
    settled(page)
    expect(page.get_by_text("Placing it here makes packs for players: it gets smaller.")).to_be_visible()
    page.goto(BUILD)
    settled(page)
    panel = page.locator("section", has=page.get_by_role("heading", name="Packs for players"))
    expect(panel.get_by_text("none; they are made when")).to_be_visible()
    panel.get_by_role("button", name="Make packs").click()
    expect(panel.get_by_text("ways of packing are tried first")).to_be_visible()
    panel.get_by_role("button", name="Stop").click()
    panel.get_by_role("button", name="Go on").click()
    expect(panel.get_by_role("button", name="Stop")).to_be_visible()
    services = two.worker()
    laid_out(services)
    services.db.engine.dispose()
    expect(panel.get_by_text("% less")).to_be_visible()
    panel.get_by_text("How they were chosen").click()
    expect(panel.get_by_text("· chosen")).to_be_visible()
    page.goto("/store")
    settled(page)
    expect(page.get_by_text("packs for players of peatlight#1 · asked for by hand")).to_be_visible()
    assert complaints(page, PAGES) == []
