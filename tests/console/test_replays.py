"""The replay page: rules typed, followed until it is done, looked at, stopped and gone on with; in headless Chromium."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, settled, signed_in
from tests.samples import add_key, build, import_title, make_folder, words
from tests.service.test_replays import work

pytestmark = MARKS
PAGES = ["titles/peatlight/replays", "titles/peatlight/replays/1"]


@pytest.fixture
def three(lives: Lives, tmp_path: Path) -> Live:
    def fill(client: Client) -> None:
        add_key(client)
        import_title(client)
        source = make_folder(tmp_path / "source", 200_000)
        for number in range(3):
            (source / "data/story.txt").write_bytes(words(900_000, 7) + words(300_000, number))
            build(client, source, tmp_path / "state")

    return lives(fill)


def test_rules_are_tried_followed_and_looked_at(browser: Browser, three: Live) -> None:
    page = signed_in(browser, three)
    page.goto("/titles/peatlight/updates")
    page.get_by_role("link", name="Replay past releases").click()
    expect(page.get_by_text("Nothing was replayed yet")).to_be_visible()
    editor = page.get_by_label("Rules", exact=True)
    editor.fill("compression = 99")
    page.get_by_role("button", name="Replay 10 releases").click()
    expect(page.get_by_text("99 is not between 0 and 19")).to_be_visible()
    editor.fill("compression = 19")
    page.get_by_role("button", name="Replay 10 releases").click()
    panel = page.locator("section", has=page.get_by_role("heading", name="Replay 1"))
    expect(panel.get_by_text("the worker comes to it")).to_be_visible()
    panel.get_by_role("button", name="Stop").click()
    panel.get_by_role("button", name="Go on").click()
    expect(panel.get_by_role("button", name="Stop")).to_be_visible()
    services = three.worker()
    work(services, 1)
    services.db.engine.dispose()
    expect(panel.get_by_text("done in")).to_be_visible()
    expect(panel.get_by_role("img", name="Fresh install, by release")).to_be_visible()
    expect(panel.get_by_role("row", name="In all")).to_contain_text("−")
    expect(panel.get_by_role("link", name="#3")).to_be_visible()
    settled(page)
    assert complaints(page, PAGES) == []
