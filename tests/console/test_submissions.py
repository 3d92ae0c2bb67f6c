"""Submissions in the console: the plan, sending, what reviewers say, the studio's own checks, going live."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import pytest
from playwright.sync_api import Browser, expect
from sqlalchemy import select

from rampa.client import Client
from rampa.core.submission.life import SubmissionState as S
from rampa.db import SubmissionRow
from rampa.standin.storefront.character import ReviewPolicy
from rampa.store.reach import Reach
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, signed_in
from tests.service.test_storefronts import on_loopback
from tests.shops import Quay
from tests.storefronts.conftest import Opens, opens
from tests.submitting import make_submittable, work

pytestmark = MARKS
__all__ = ["opens"]


class Studio:
    """The service, its jobs in a test's hand, and a storefront where people review."""

    def __init__(self, live: Live, quay: Quay, address: str) -> None:
        reach = Reach(hosts=("127.0.0.1",))
        self.live, self.quay, self.address = live, quay, address
        self.services = live.worker(storefront_reach=reach)

    def until(self, state: S) -> str:
        """The newest submission's number at the storefront."""
        for _ in range(80):
            work(self.services)
            with self.services.db.transaction() as session:
                row = session.scalars(select(SubmissionRow).order_by(SubmissionRow.number.desc()).limit(1)).one()
                if row.state is state:
                    return row.there_id
                row.next_at = self.services.now() if row.next_at else None
            self.quay.pass_(5)
        raise AssertionError(f"never {state}: {row.course} {row.state} {row.said}")


@pytest.fixture
def studio(lives: Lives, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, opens: Opens) -> Iterator[Studio]:
    monkeypatch.setenv("RAMPA_STOREFRONT_HOSTS", "127.0.0.1")

    def fill(client: Client) -> None:
        make_submittable(client, tmp_path)

    live = lives(fill)
    quay = opens("northquay")
    quay.now = dt.datetime.now(dt.UTC)
    object.__setattr__(quay.shop, "character", replace(quay.shop.character, policy=ReviewPolicy.PEOPLE))
    with on_loopback(quay.app) as address:
        made = Studio(live, quay, address)
        yield made
        made.services.db.engine.dispose()


def test_from_the_plan_to_the_players(browser: Browser, studio: Studio) -> None:
    home = SimpleNamespace(address=f"http://localhost:{studio.live.port}", owner_password=studio.live.owner_password)
    page = signed_in(browser, home)  # type: ignore[arg-type]
    page.goto("/titles/peatlight/submissions")
    expect(page.get_by_text("Nothing is before reviewers.")).to_be_visible()
    page.goto("/titles/peatlight/submissions/submit?build=1")
    expect(page.get_by_text("no account at Northquay is connected")).to_be_visible()
    expect(page.get_by_role("button", name="Send 1 build to Northquay")).to_be_disabled()
    page.get_by_role("link", name="Mend it").first.click()
    page.get_by_label("Name here").fill("northquay")
    page.get_by_label("Address").fill(studio.address)
    page.get_by_role("button", name="Connect it …").click()
    page.get_by_role("button", name="Let it in").click()
    expect(page.get_by_role("region", name="Northquay")).to_contain_text("✓ connected")
    page.goto("/titles/peatlight/submissions/submit?build=1")
    expect(page.get_by_text("✓ It can be sent")).to_be_visible()
    page.get_by_label("Notes for the reviewers").fill("The fog is meant.")
    page.get_by_role("button", name="Send 1 build to Northquay").click()
    expect(page.get_by_role("heading", name="Being sent")).to_be_visible()
    page.get_by_role("button", name="Stop sending").click()
    expect(page.get_by_role("heading", name="Halted")).to_be_visible()
    page.get_by_role("button", name="Go on sending").click()
    there = studio.until(S.WAITING)
    expect(page.get_by_role("heading", name="In line")).to_contain_text("next")
    studio.quay.review(there, "claim")
    studio.quay.review(there, "ask", "Is the <b>fog</b> meant?", "the listing's first picture")
    studio.until(S.QUESTION)
    expect(page.get_by_text("Is the <b>fog</b> meant?")).to_be_visible()
    page.get_by_role("button", name="Answer …").click()
    page.get_by_label("Your answer").fill("It is.")
    page.get_by_role("dialog").get_by_role("button", name="Answer").click()
    studio.until(S.WAITING)
    studio.quay.review(there, "claim")
    studio.quay.review(there, "pass")
    studio.until(S.PASSED)
    page.get_by_role("button", name="Let it go live …").click()
    page.get_by_label("Of the players").fill("10")
    page.get_by_role("dialog").get_by_role("button", name="Let it go live").click()
    expect(page.get_by_role("heading", name="Live in parts")).to_contain_text("10 % of the players")
    page.goto("/titles/peatlight/channels/public")
    expect(page.get_by_text("Linux on Northquay").first).to_be_visible()
    paths = [
        "titles/peatlight/submissions",
        "titles/peatlight/submissions/1",
        "titles/peatlight/submissions/submit?build=1",
    ]
    assert not complaints(page, paths)


def test_the_studios_own_checks(browser: Browser, studio: Studio) -> None:
    page = signed_in(browser, studio.live)
    page.goto("/titles/peatlight/submissions")
    page.get_by_role("button", name="Write one …").click()
    page.get_by_label("The rule, as TOML").fill("[a")
    page.get_by_role("button", name="Add the rule").click()
    expect(page.get_by_text("the rule cannot be read")).to_be_visible()
    page.get_by_label("The rule, as TOML").fill('[drafts]\nsays = "a draft"\nfiles = ["bin/*"]\n')
    page.get_by_role("button", name="Add the rule").click()
    expect(page.get_by_role("cell", name="drafts")).to_be_visible()
    page.goto("/titles/peatlight/submissions/submit?build=1")
    expect(page.get_by_text("The studio's own checks: a draft")).to_be_visible()
    page.goto("/titles/peatlight/submissions")
    page.get_by_role("button", name="Remove …").click()
    page.get_by_role("dialog").get_by_role("button", name="Remove it").click()
    expect(page.get_by_text("None yet. What a storefront's machines find")).to_be_visible()
