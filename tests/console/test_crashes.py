"""Crashes in the console: where, on which devices, since when; and the search for the commit, to what it changed."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from rampa.core.health.crash import CrashModule, CrashReport
from rampa.core.run.bisect import BisectState, Measured
from rampa.operations.base.context import Services
from rampa.operations.health import stacks
from rampa.operations.runs import bisect_trials
from rampa.operations.sources import repository
from rampa.schema.bisects import NewBisect
from rampa.schema.runs import NewRuns
from rampa.schema.sources import SourceIn
from tests.agents import FakeAgent
from tests.conftest import Live, Lives, Standing
from tests.console.driving import MARKS, complaints, signed_in
from tests.gits import ANYWHERE, peatlight
from tests.samples import add_key, import_title
from tests.service.test_crashes import crashed

pytestmark = MARKS
TITLE = "peatlight"
AT = f"/titles/{TITLE}"
CULPRIT = 3
PAGES = [
    "titles/peatlight/crashes",
    "titles/peatlight/crashes/1",
    "titles/peatlight/crashes/1/find",
    "titles/peatlight/bisects",
    "titles/peatlight/bisects/find",
    "titles/peatlight/bisects/1",
]
FELL = CrashReport("SIGABRT", (CrashModule("driver.so", "ab" * 20), CrashModule("bare")), ((0, 0x77), (1, 5)))


@dataclass
class Stage:
    live: Live
    client: Client
    services: Services
    agent: FakeAgent
    commits: list[str]

    def go(self) -> None:
        """Until the search ends: from the third commit on the self-test fails."""
        while self.client.bisects.get(TITLE, 1).state == BisectState.WORKING:
            bisect_trials.go_on(self.services)
            work = self.agent.ask().work
            if work is None:
                continue
            self.agent.holds.append(work.lease)
            bad = self.commits.index(work.commit) >= CULPRIT
            said = Measured("failed" if bad else "passed")
            if bad:
                self.agent.end(work, "failed", code="bundle.self-test", measured=said)
            else:
                self.agent.end(work, measured=said)


KEPT: dict[str, tuple[str, list[str], list[str]]] = {}


@pytest.fixture
def stage(lives: Lives, standing: tuple[Standing, object], tmp_path: Path) -> Iterator[Stage]:
    """#1 of the first commit and #2 of the fifth; #2 crashed on two devices."""

    def fill(client: Client) -> None:
        KEPT["it"] = set_up(client, standing[0].now_in, tmp_path)

    live = lives(fill)
    services = live.worker(reach=ANYWHERE)
    with live.client() as client:
        instance, holds, commits = KEPT["it"]
        agent = FakeAgent(client, services, "kiln-1", instance)
        agent.holds = list(holds)
        yield Stage(live, client, services, agent, commits)
    services.db.engine.dispose()


def set_up(client: Client, services: Services, root: Path) -> tuple[str, list[str], list[str]]:
    add_key(client)
    import_title(client)
    repo = peatlight(root / "peatlight")
    for number in range(1, 5):
        repo.commit(f"Commit {number}", {"data/night.txt": f"{number}\n"})
    client.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
    assert repository.fetch(services, TITLE)
    commits = [c.commit for c in client.sources.commits(TITLE, of="main")][::-1]
    agent = FakeAgent(client, services, "kiln-1")
    for commit in (commits[0], commits[-1]):
        client.runs.start(TITLE, NewRuns(profiles=["linux-release"], of=commit))
        work = agent.work()
        made = agent.build(work, repo.root, root / "state").number
        agent.end(work, build=made)
        client.channels.place(TITLE, "studio", made, client.channels.preview(TITLE, "studio", made).etag)
    for device in range(2):
        crashed(client, 2, FELL, device, dt.datetime.now(dt.UTC))
    assert stacks.look_up(services) == 1
    return agent.instance, agent.holds, commits


def test_from_the_rollout_to_the_place_it_crashes_in(browser: Browser, stage: Stage) -> None:
    page = signed_in(browser, stage.live)
    page.goto(f"{AT}/channels/studio/rollouts/2")
    row = page.get_by_role("row", name=re.compile("driver.so at 0x77 SIGABRT.*new.*2 simulated"))
    expect(row).to_contain_text("visor-2 only")
    page.get_by_role("link", name="All crashes of #2").click()
    expect(page.get_by_role("row", name=re.compile("driver.so"))).to_be_visible()
    page.get_by_role("switch", name="New in this build only").click(force=True)
    expect(page).to_have_url(re.compile("new=true"))
    expect(page.get_by_role("row", name=re.compile("driver.so"))).to_be_visible()
    page.get_by_label("Search functions and files").fill("lantern")
    expect(page.get_by_text("No crash is like that.")).to_be_visible()
    page.get_by_label("Search functions and files").fill("driver")
    page.get_by_role("link", name="driver.so at 0x77").click()
    expect(page.get_by_role("heading", name="SIGABRT in driver.so at 0x77")).to_be_visible()
    expect(page.locator(".headline")).to_contain_text("2 crashes on 2 devices (all simulated) in the last 30 days")
    expect(page.locator(".headline")).to_contain_text("First in peatlight#2; peatlight#1, before it, had none.")
    expect(page.get_by_role("row", name=re.compile("no symbols kept")).first).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("Commit 3"))).to_be_visible()
    page.get_by_role("button", name="Find the commit …").click()
    dialogue = page.get_by_role("dialog")
    expect(dialogue).to_contain_text("4 commits between them. linux-release is built in")
    expect(dialogue).to_contain_text("Its self-test is told that the device is a visor-2.")
    dialogue.get_by_role("button", name="Find nothing").click()
    expect(dialogue).to_have_count(0)
    assert not list(stage.client.bisects.all(TITLE))


def test_the_commit_is_found_while_one_looks(browser: Browser, stage: Stage) -> None:
    page = signed_in(browser, stage.live)
    page.goto(f"{AT}/runs")
    page.get_by_role("link", name="Bisects").click()
    expect(page.get_by_text("No commit was looked for yet.")).to_be_visible()
    page.get_by_role("button", name="Find a commit …").click()
    dialogue = page.get_by_role("dialog")
    start = dialogue.get_by_role("button", name="Find the commit")
    expect(start).to_be_disabled()
    dialogue.get_by_label("Good, without it").fill("main")
    dialogue.get_by_label("Bad, with it").fill("#2 1.4.0, linux-release")
    expect(dialogue.get_by_role("alert")).to_contain_text("main and peatlight#2 are of the same commit")
    expect(start).to_be_disabled()
    dialogue.get_by_label("Good, without it").fill("#1")
    expect(dialogue).to_contain_text("4 commits between them")
    start.click()
    expect(page.get_by_role("heading", name="Bisect 1 of Peatlight")).to_be_visible()
    expect(page.locator(".headline")).to_contain_text("working. 4 of 4 commits can be it")
    stage.go()
    expect(page.locator(".headline")).to_contain_text("found. It came with")
    expect(page.get_by_role("heading", name="Commit 3")).to_be_visible()
    expect(page.get_by_label("Difference of the texts")).to_contain_text("+3")
    page.get_by_role("link", name="All bisects").click()
    expect(page.get_by_role("row", name=re.compile("found.*self test.*peatlight#1 and peatlight#2"))).to_be_visible()


def test_axe_finds_nothing_and_nothing_scrolls_sideways(browser: Browser, stage: Stage) -> None:
    stage.client.bisects.start(TITLE, NewBisect.model_validate({"good": "1", "bad": "2", "by": "self-test"}))
    bisect_trials.go_on(stage.services)
    wrong = complaints(signed_in(browser, stage.live), PAGES)
    assert not wrong, "\n".join(wrong)


def test_a_search_is_cancelled(browser: Browser, stage: Stage) -> None:
    stage.client.bisects.start(TITLE, NewBisect.model_validate({"good": "1", "bad": "2", "by": "self-test"}))
    page = signed_in(browser, stage.live)
    page.goto(f"{AT}/bisects/1")
    page.get_by_role("button", name="Cancel it and its runs").click()
    expect(page.locator(".headline")).to_contain_text("cancelled. Cancelled by Iida.")
