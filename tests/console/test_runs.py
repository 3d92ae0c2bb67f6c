"""Runs in the console: the list, starting with a plan, a run as it goes, its log, the queue, sources, groups, two builds."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from rampa.client import Client
from rampa.operations.base.context import Services
from rampa.operations.sources import repository
from rampa.schema.runs import NewRuns
from rampa.schema.sources import BranchDefault, NewTrigger, SourceIn, StepVariablesIn
from tests.agents import FakeAgent
from tests.conftest import Live, Lives, Standing
from tests.console.driving import MARKS, complaints, signed_in
from tests.gits import ANYWHERE, peatlight
from tests.samples import add_key, import_title

pytestmark = MARKS
TITLE = "peatlight"
RUNS = f"titles/{TITLE}/runs"
LINES = 100_000


@dataclass
class Stage:
    live: Live
    client: Client
    agent: FakeAgent


KEPT: dict[str, tuple[str, list[str]]] = {}
"""What the agent was when the stage was set: the start of it, and what it holds."""


@pytest.fixture
def stage(lives: Lives, standing: tuple[Standing, object], tmp_path: Path) -> Iterator[Stage]:
    """Run 1 made build 1, run 2 failed with errors of two kinds, run 3 is worked on, run 4 waits."""

    def fill(client: Client) -> None:
        KEPT["kiln-1"] = set_up(client, standing[0].now_in, tmp_path)

    live = lives(fill)
    services = live.worker(reach=ANYWHERE)
    with live.client() as client:
        instance, holds = KEPT["kiln-1"]
        agent = FakeAgent(client, services, "kiln-1", instance)
        agent.holds = list(holds)
        yield Stage(live, client, agent)
    services.db.engine.dispose()


def set_up(client: Client, services: Services, root: Path) -> tuple[str, list[str]]:
    add_key(client)
    import_title(client)
    repo = peatlight(root / "peatlight")
    repo.git("branch", "release/1.6")
    client.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
    assert repository.fetch(services, TITLE)
    client.sources.set_defaults(TITLE, [BranchDefault(pattern="main", profiles=["linux-release", "windows-release"])])
    client.variables.put("desktop", StepVariablesIn(variables={"PACE": "1"}, secrets={"TOKEN": "lantern-4f9c"}))
    client.runs.add_trigger(TITLE, NewTrigger(name="night", kind="schedule", schedule="30 2 * * *", pattern="main"))
    agent = FakeAgent(client, services, "kiln-1")
    for _ in range(2):
        start(client)
        work = agent.work()
        for position in range(3):
            agent.step(work, position, "working")
            agent.say(work, f"step {position} speaks", step=position)
            agent.step(work, position, "done")
        agent.end(work, build=agent.build(work, repo.root, root / "state").number)
    start(client)
    work = agent.work()
    agent.step(work, 0, "working")
    agent.say(work, "warning: owl 1 is late", "warning: owl 2 is late", level="warning")
    agent.say(work, "src/fog.c:7: error: 'lanterns' undeclared", level="error")
    agent.step(work, 0, "failed", "exit code 1")
    agent.end(work, "failed", code="step.failed", step="fetch", detail="exit code 1")
    start(client)
    work = agent.work()
    agent.step(work, 0, "working")
    agent.say(work, "fog on the line")
    start(client, "windows-release")
    agent.ask()
    return agent.instance, agent.holds


def start(client: Client, profile: str = "linux-release") -> None:
    client.runs.start(TITLE, NewRuns(profiles=[profile], note="For the weekend."))


def open_page(browser: Browser, stage: Stage, path: str) -> Page:
    page = signed_in(browser, stage.live)
    page.goto(f"/{path}")
    return page


def test_what_runs_what_waits_and_why(browser: Browser, stage: Stage) -> None:
    page = open_page(browser, stage, RUNS)
    now = page.locator("section", has=page.get_by_role("heading", name="Now"))
    expect(now).to_contain_text("1 worked on, 1 waits")
    expect(now).to_contain_text("Waits for an agent to be free: kiln-1 (1 of 1)")
    page.goto("/queue")
    expect(page.get_by_role("row", name=re.compile("peatlight 5"))).to_contain_text("Waits for an agent")
    page.goto(f"/{RUNS}?state=failed")
    expect(page.get_by_role("row")).to_have_count(2 + 2)


def test_a_run_is_seen_as_it_goes(browser: Browser, stage: Stage) -> None:
    page = open_page(browser, stage, f"{RUNS}/4")
    log = page.get_by_role("log")
    expect(log).to_contain_text("fog on the line")
    work = stage.agent.holds[0]
    from rampa.schema.agents import LogIn, StepIn

    stage.agent.client.agents.send_log("kiln-1", work, LogIn(batch=2, lines=[(900, 0, "", "the fog lifts")]))
    expect(log).to_contain_text("the fog lifts")
    stage.agent.client.agents.report_step("kiln-1", work, StepIn(position=0, state="done"))
    stage.agent.client.agents.report_step("kiln-1", work, StepIn(position=1, state="working"))
    expect(page.get_by_role("listitem").filter(has_text="collect")).to_contain_text("working")
    page.get_by_role("button", name="Cancel …").click()
    expect(page.get_by_role("dialog")).to_contain_text("kiln-1".capitalize() + " stops the step collect")
    page.get_by_role("button", name="Cancel the run").click()
    expect(page.get_by_text("stopping").first).to_be_visible()
    assert stage.agent.client.agents.beat("kiln-1", work, None).stop


def test_why_it_failed_and_where(browser: Browser, stage: Stage) -> None:
    page = open_page(browser, stage, f"{RUNS}/3")
    expect(page.get_by_role("alert")).to_contain_text("The step fetch ended with exit code 1.")
    kinds = page.locator(".kinds button")
    expect(kinds).to_have_count(2)
    expect(kinds.filter(has_text="late")).to_contain_text("2 ×")
    page.get_by_role("button", name="First error").click()
    expect(page).to_have_url(re.compile(r"line=4"))
    expect(page.locator(".line.marked")).to_contain_text("lanterns")
    kinds.filter(has_text="late").click()
    expect(page.locator(".line.marked")).to_contain_text("owl 1")
    kinds.filter(has_text="late").click()
    expect(page.locator(".line.marked")).to_contain_text("owl 2")
    page.get_by_label("Search the log").fill("LANTERNS")
    page.keyboard.press("Enter")
    expect(page.get_by_text("1 of 1", exact=True)).to_be_visible()
    page.reload()
    expect(page.locator(".line.marked")).to_contain_text("lanterns")
    with page.expect_download() as saved:
        page.get_by_role("link", name="Download").click()
    assert "lanterns" in Path(saved.value.path()).read_text()


def test_a_hundred_thousand_lines(browser: Browser, stage: Stage) -> None:
    work = stage.agent.holds[0]
    from rampa.schema.agents import LogIn

    for batch in range(LINES // 20_000):
        lines = [(n, 0, "", f"wagon {batch * 20_000 + n} is home") for n in range(20_000)]
        stage.agent.client.agents.send_log("kiln-1", work, LogIn(batch=2 + batch, lines=lines))
    page = open_page(browser, stage, f"{RUNS}/4?line=50001")
    marked = page.locator(".line.marked")
    expect(marked).to_contain_text("wagon 49998 is home")
    assert page.locator(".line").count() < 200
    page.get_by_role("button", name="Follow the end").click()
    expect(page.get_by_role("log")).to_contain_text("wagon 99999 is home")
    page.get_by_label("Search the log").fill("wagon 31415 ")
    page.keyboard.press("Enter")
    expect(marked).to_contain_text("wagon 31415 is home")


def test_a_plan_then_the_start(browser: Browser, stage: Stage) -> None:
    page = open_page(browser, stage, f"{RUNS}/start")
    expect(page.get_by_label("linux-release")).to_be_checked()
    expect(page.get_by_text("only content changed").first).to_be_visible()
    page.get_by_label("linux-unsigned").check()
    page.get_by_label("Note").fill("From the console.")
    page.get_by_role("button", name="Start 3 runs").click()
    expect(page).to_have_url(re.compile(RUNS + "$"))
    started = [r for r in stage.client.runs.all(TITLE) if r.note == "From the console."]
    assert {r.profile for r in started} == {"linux-release", "windows-release", "linux-unsigned"}


def test_source_trigger_and_group(browser: Browser, stage: Stage) -> None:
    page = open_page(browser, stage, f"titles/{TITLE}/source")
    row = page.get_by_role("row", name=re.compile("main"))
    expect(row).to_contain_text("#1")
    page.get_by_role("tab", name="Triggers").click()
    page.get_by_role("button", name="Add a trigger …").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill("release")
    dialog.get_by_label("Branches").fill("rel*")
    expect(dialog.get_by_role("status")).to_contain_text("matches today: release/1.6 · not: main")
    dialog.get_by_role("button", name="Add the trigger").click()
    expect(page.get_by_role("row", name=re.compile("release"))).to_contain_text("branch rel*")
    page.goto("/variables")
    page.get_by_role("button", name="Change …").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name="Add a secret").click()
    dialog.get_by_label("Name of the secret").nth(1).fill("KEY")
    dialog.get_by_label("Value of the secret").nth(1).fill("another-one")
    dialog.get_by_role("button", name="Save the group").click()
    expect(dialog).to_have_count(0)
    assert stage.client.variables.get("desktop").secrets == ["KEY", "TOKEN"]


def test_axe_finds_nothing_and_nothing_scrolls_sideways(browser: Browser, stage: Stage) -> None:
    pages = [
        RUNS, f"{RUNS}/3", f"{RUNS}/4", f"{RUNS}/start", "queue", "agents", "variables", f"titles/{TITLE}/source",
        *(f"titles/{TITLE}/source?tab={tab}" for tab in ("triggers", "document", "defaults")), f"titles/{TITLE}/builds",
        f"titles/{TITLE}/builds/1", f"titles/{TITLE}/builds/compare?left=1&right=2", f"titles/{TITLE}/builds/retention",
    ]  # fmt: skip
    wrong = complaints(signed_in(browser, stage.live), pages)
    assert not wrong, "\n".join(wrong)
