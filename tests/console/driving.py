"""Driving the console in headless Chromium: a browser, signing in, waiting, axe-core."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.conftest import OWNER, Live

CHROMIUM = shutil.which("chromium")
AXE = Path(__file__).parents[2] / "console/node_modules/axe-core/axe.min.js"
QUIET = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    # Each window would load a page of its own for the address bar's suggestions: more than a second of a core.
    "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup",
]
LAID_OUT = ("color-contrast", "scrollable-region-focusable", "button-name", "link-name", "label", "list")
"""Rules whose answer can be another in a narrow window; the others look at the same elements again."""
FADED = (
    "Promise.all(document.getAnimations().filter(a => a instanceof CSSTransition).map(a => a.finished.catch(() => 0)))"
)
"""Resolves when no colour is on its way to another any more."""
# Looked at with each frame: a page's own policy lets no text be run as a script, as waiting for a condition would.
UNTIL = """true_ => new Promise((done, failed) => {
  const end = performance.now() + 30_000;
  const look = () => {
    if (true_()) done();
    else if (performance.now() > end) failed(new Error(`never: ${true_}`));
    else requestAnimationFrame(look);
  };
  look();
})"""
SETTLED = f"({UNTIL})(() => document.querySelector('h1') && !document.querySelector('[aria-busy=true]'))"
# Within the page, as a link goes: it is neither loaded nor read again. By way of an address that no page has, so that
# the wait after it cannot be met by the page before, which stands until the next one is ready.
GO = f"""async path => {{
  const go = to => {{ history.pushState(null, "", to); dispatchEvent(new PopStateEvent("popstate")); }};
  const lost = () => document.querySelector("h1")?.textContent === "There is no such page";
  go("/nowhere");
  await ({UNTIL})(lost);
  if (path === "/nowhere") return;
  go(path);
  await ({UNTIL})(() => document.querySelector("h1") && !lost() && !document.querySelector("[aria-busy=true]"));
}}"""
COLOURED = f"scheme => ({UNTIL})(() => document.documentElement.dataset.mantineColorScheme === scheme)"
MARKS = [pytest.mark.browser, pytest.mark.skipif(not CHROMIUM, reason="Chromium is not installed")]


def signed_in(
    browser: Browser, live: Live, scheme: str = "light", width: int = 1280, email: str = OWNER, password: str = ""
) -> Page:
    context = browser.new_context(
        base_url=live.address,
        color_scheme="dark" if scheme == "dark" else "light",
        viewport={"width": width, "height": 800},
        reduced_motion="reduce",
    )
    page = context.new_page()
    page.goto("/titles/peatlight")
    page.get_by_label("Address").fill(email)
    page.locator("input[type=password]").fill(password or live.owner_password)
    page.keyboard.press("Enter")
    expect(page.get_by_role("navigation", name="Pages")).to_be_attached()
    return page


def settled(page: Page) -> None:
    page.evaluate(SETTLED)


def complaints(page: Page, paths: list[str]) -> list[str]:
    """What axe-core finds on each page, light and wide, dark and narrow, and which pages scroll sideways."""
    wrong = []
    settled(page)
    page.evaluate(AXE.read_text())  # by the debugger's way in: the page's own policy lets no script in
    for path in paths:
        page.evaluate(GO, f"/{path}")
        for scheme, width, rules in (("light", 1280, ()), ("dark", 420, LAID_OUT)):
            page.emulate_media(color_scheme=scheme)  # type: ignore[arg-type]
            page.set_viewport_size({"width": width, "height": 800})
            page.evaluate(COLOURED, scheme)
            page.evaluate(FADED)
            wrong += [f"{path} ({scheme}, {width}): {said}" for said in _complaints(page, rules)]
        page.set_viewport_size({"width": 1280, "height": 800})
    return wrong


def _complaints(page: Page, only: Sequence[str]) -> list[str]:
    options = {"resultTypes": ["violations"]} | ({"runOnly": list(only)} if only else {})
    found = page.evaluate("options => axe.run(document, options)", options)
    nodes = [(v["id"], n) for v in found["violations"] for n in v["nodes"][:2]]
    wrong = [f"{rule}: {n['html'][:160]} {n['failureSummary'][:200]}" for rule, n in nodes]
    if page.evaluate("document.documentElement.scrollWidth > innerWidth"):
        wrong.append("it scrolls sideways")
    return wrong
