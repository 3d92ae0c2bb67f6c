"""One browser for a file of tests."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, expect, sync_playwright

from tests.console.driving import CHROMIUM, QUIET

# How long a sign waits: a busy machine needs more than five seconds for a password's hash and a page.
expect.set_options(timeout=30_000)


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        args = [*QUIET, "--disable-component-update", "--disable-sync"]
        made = playwright.chromium.launch(executable_path=CHROMIUM, args=args)
        yield made
        made.close()


@pytest.fixture(autouse=True)
def _closed(request: pytest.FixtureRequest) -> Iterator[None]:
    """What a test opened goes with it: pages that nobody looks at any more go on asking and drawing."""
    yield
    if "browser" in request.fixturenames:
        browser: Browser = request.getfixturevalue("browser")
        for context in browser.contexts:
            context.close()
