"""What updates cost, what takes the space, what the store holds: in headless Chromium, and axe-core finds nothing."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, settled, signed_in
from tests.samples import add_key, build, change_folder, import_title, make_folder

pytestmark = MARKS
PAGES = [
    "titles/peatlight/updates",
    "titles/peatlight/updates?from=1&to=2&show=peak&rate=200",
    "titles/peatlight/builds/2/content",
    "titles/peatlight/builds/2/content?folder=data",
    "store",
]


@pytest.fixture
def two(lives: Lives, tmp_path: Path) -> Live:
    def fill(client: Client) -> None:
        add_key(client)
        import_title(client)
        source = make_folder(tmp_path / "source", 300_000)
        build(client, source, tmp_path / "state")
        client.channels.place("peatlight", "studio", 1, client.channels.preview("peatlight", "studio", 1).etag)
        change_folder(source)
        build(client, source, tmp_path / "state")

    return lives(fill)


def test_a_cell_of_the_matrix_opens_its_depots_and_dearest_files(browser: Browser, two: Live) -> None:
    page = signed_in(browser, two)
    page.goto("/titles/peatlight/updates")
    settled(page)
    with two.client() as client:
        cell = next(c for c in client.updates.matrix("peatlight", "linux").cells if (c.old, c.new) == (1, 2))
    said = f"{cell.download / 1e3:.1f} kB"
    page.get_by_role("button", name=said).click()
    settled(page)
    expect(page.get_by_role("heading", name="From #1 to #2, by depot")).to_be_visible()
    expect(page.get_by_text("data/thaw.bin")).to_be_visible()
    assert page.url.endswith("from=1&to=2")
    page.get_by_role("button", name="Make differences").click()
    expect(page.get_by_text("differences are being made")).to_be_visible()


def test_the_content_is_walked_folder_by_folder(browser: Browser, two: Live) -> None:
    page = signed_in(browser, two)
    page.goto("/titles/peatlight/builds/2")
    settled(page)
    page.get_by_role("link", name="what takes the space").click()
    # The page before stands until this one is fetched, and has folders to click on, too.
    expect(page.get_by_role("heading", name="Content of #2")).to_be_visible()
    settled(page)
    page.get_by_role("button", name="data/", exact=True).click()
    settled(page)
    expect(page.get_by_role("cell", name="bog.arc", exact=True)).to_be_visible()
    page.get_by_role("button", name="all of it").click()
    expect(page.get_by_role("button", name="locale/", exact=True)).to_be_visible()


def test_axe_finds_nothing_on_pages_of_content(browser: Browser, two: Live) -> None:
    wrong = complaints(signed_in(browser, two), PAGES)
    assert not wrong, "\n".join(wrong)
