"""Finding the commit: by runs on agents that say what they measured, resumed after a kill, ended with one commit or a range."""

from __future__ import annotations

from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.run.bisect import BisectState, By, Measured, TrialState
from rampa.operations.runs import bisect_trials
from rampa.schema.bisects import NewBisect
from rampa.schema.common import Role
from rampa.schema.runs import NewRuns
from tests.agents import FakeAgent
from tests.bisecting import COUNT, PROFILE, TITLE, Bench, from_, made_bench
from tests.conftest import Begun, World
from tests.refusals import refuses
from tests.samples import build, change_folder, make_folder


@pytest.fixture
def bench(world: World, client: Client, begun: Begun, tmp_path: Path) -> Bench:
    return made_bench(world, client, begun, tmp_path / "peatlight")


@pytest.mark.parametrize("culprit", [1, 5, 12])
def test_one_commit_is_found_by_halving(bench: Bench, culprit: int) -> None:
    started = bench.start()
    assert (started.state, started.commits, started.left, started.rounds_left) == (BisectState.WORKING, COUNT, COUNT, 6)
    found = bench.go(started.number, from_(culprit))
    assert found.state == BisectState.FOUND
    assert found.found
    assert (found.found.commit, found.found.subject) == (bench.commits[culprit], f"Commit {culprit}")
    assert (found.found.author, found.left) == ("Oskari", 1)
    assert len(bench.tried) <= 6
    diff = bench.client.bisects.diff(TITLE, started.number)
    assert f"+{culprit - 1}\n" in diff.text
    assert not diff.cut
    assert not list(bench.client.versions.all(TITLE)), "no version code is taken"
    acts = {e.act for e in bench.client.events.all()}
    assert {"bisect.start", "bisect.find"} <= acts


def test_several_at_once_where_agents_are_free(bench: Bench) -> None:
    bench.agents += [FakeAgent(bench.client, bench.world.services, name) for name in ("loft-2", "yard-3")]
    plan = bench.client.bisects.plan(
        TITLE, NewBisect(good=bench.commits[0], bad="main", by=By.SELF_TEST, profile=PROFILE)
    )
    assert (plan.commits, plan.at_once, plan.rounds, plan.takes_codes) == (COUNT, 3, 3, False)
    found = bench.go(bench.start().number, from_(7))
    assert found.found
    assert found.found.commit == bench.commits[7]
    assert len({r.agent for r in bench.client.runs.all(TITLE, why="bisect")}) == 3
    assert not [c for c in found.items if c.state == TrialState.WAITING], "what was still tried then was not tried"
    assert len(bench.tried) == len(set(bench.tried))


def test_what_does_not_build_is_passed_over_or_ends_in_a_range(bench: Bench) -> None:
    """The fourth to the sixth do not build, and the fifth is it: the smallest range that can be told."""
    broken = {4, 5, 6}
    found = bench.go(bench.start().number, lambda place: "step.failed" if place in broken else from_(5)(place))
    assert found.state == BisectState.NARROWED
    assert [c.position for c in found.items if c.inside] == [4, 5, 6, 7]
    assert found.said == "It came with one of 4 commits: what is between them could not be tried."
    assert all(found.items[n].state == TrialState.UNTOLD for n in broken)
    assert found.items[5].said.startswith("It did not build: The step export ended with")
    with refuses("bisect.not-found", "bisect 1 of peatlight is narrowed: there is no one commit"):
        bench.client.bisects.diff(TITLE, 1)


def test_ends_that_are_not_what_was_said(bench: Bench) -> None:
    always = bench.go(bench.start().number, lambda place: Measured("failed"))
    assert (always.state, always.said) == (
        BisectState.REFUTED,
        f"{bench.commits[0][:10]} has it, too: begin with an older one.",
    )
    never = bench.go(bench.start(form="visor-2").number, lambda place: Measured("passed"))
    assert never.state == BisectState.REFUTED
    assert "does not show it in its self-test" in never.said


def test_what_is_known_is_not_built_again(bench: Bench) -> None:
    bench.go(bench.start().number, from_(5))
    before = len(bench.tried)
    again = bench.go(bench.start().number, from_(5))
    assert again.state == BisectState.FOUND
    assert len(bench.tried) == before, "every commit was tried before, by the same document and class"
    assert all(c.again for c in again.items if c.state)
    other = bench.go(bench.start(form="visor-2").number, from_(5))
    assert other.form == "visor-2"
    assert len(bench.tried) > before, "another class of device is another question"


def test_numbers_are_held_against_what_lies_between_the_ends(bench: Bench) -> None:
    started = bench.start(By.SIZE, "data/")
    found = bench.go(
        started.number, lambda place: Measured(size=5_000_000 + 100 * place + (3_000_000 if place >= 9 else 0))
    )
    assert found.found
    assert found.found.commit == bench.commits[9]
    assert (found.good_value, found.bad_value, found.limit) == (5_000_000, 8_001_200, 6_500_600)
    assert found.about == "size data"
    wrong = bench.go(bench.start(By.SIZE, "locale").number, lambda place: Measured(size=100 - place))
    assert wrong.state == BisectState.REFUTED
    assert wrong.said.endswith("both ends were measured.")
    limited = bench.go(bench.start(By.SIZE, "bin", limit=20).number, lambda place: Measured(size=place * 10))
    assert limited.found
    assert limited.found.commit == bench.commits[3]


def test_a_step_that_takes_longer(bench: Bench) -> None:
    """By how long the step took in runs that were done."""
    with refuses("bisect.subject", "linux-release has no step 'exprot'", where="subject"):
        bench.start(By.STEP_TIME, "exprot")
    started = bench.start(By.STEP_TIME, "bundle")
    bisect_trials.go_on(bench.world.services)
    (agent,) = bench.agents
    work = agent.work()
    agent.step(work, len(work.steps) - 1, "working")
    agent.step(work, len(work.steps) - 1, "done")
    agent.end(work)
    bisect_trials.go_on(bench.world.services)
    found = bench.client.bisects.get(TITLE, started.number)
    assert [c.value is not None for c in found.items if c.state] == [True, False] or found.bad_value is not None


def test_an_update_costs_what_devices_would_download(bench: Bench, tmp_path: Path) -> None:
    """Each try makes a build, as it must: the cost is the device's own plan."""
    (agent,) = bench.agents
    folder = make_folder(tmp_path / "source", 200_000)
    good = bench.client.runs.start(TITLE, NewRuns(profiles=[PROFILE], of=bench.commits[0]))[0]
    work = agent.work()
    build = agent.build(work, folder, tmp_path / "state")
    agent.end(work, build=build.number)
    assert bench.client.runs.get(TITLE, good.number).state == "done"
    started = bench.start(By.UPDATE_COST, good=str(build.number), bad=bench.commits[3])
    for _ in range(6):
        bisect_trials.go_on(bench.world.services)
        asked = agent.ask().work
        if asked is None:
            break
        agent.holds.append(asked.lease)
        assert asked.steps[-1].name == "complete"
        if bench.commits.index(asked.commit) >= 2 and (folder / "locale/fi.json").exists():
            change_folder(folder)
        made = agent.build(asked, folder, tmp_path / "state")
        agent.end(asked, build=made.number)
        if bench.commits.index(asked.commit) >= 2:
            folder = make_folder(tmp_path / f"again-{asked.run}", 200_000)
    found = bench.client.bisects.get(TITLE, started.number)
    assert found.state == BisectState.FOUND, found
    assert found.found
    assert found.found.commit == bench.commits[2]
    assert found.good_value == 0
    assert found.bad_value
    assert len(list(bench.client.builds.all(TITLE))) == 4, "the good end's build was there already"
    assert not list(bench.client.schedule.all(TITLE)), "what tries a commit goes nowhere by itself"
    with refuses("bisect.good-build", "name one as the good end"):
        bench.start(By.UPDATE_COST)


def test_after_a_kill_it_goes_on_and_tries_nothing_twice(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    """Cut off at every statement that changes something: the next look does the rest."""
    number = bench.start().number
    real = bisect_trials.settle
    cuts = 0

    def cut(uow: object, row: object) -> None:
        nonlocal cuts
        cuts += 1
        if cuts % 2:
            raise RuntimeError("killed")
        real(uow, row)  # type: ignore[arg-type]

    monkeypatch.setattr(bisect_trials, "settle", cut)
    go = bisect_trials.go_on

    def again(services: object) -> int:
        for _ in range(2):
            try:
                return go(services)  # type: ignore[arg-type]
            except RuntimeError:
                continue
        return 0

    monkeypatch.setattr(bisect_trials, "go_on", again)
    found = bench.go(number, from_(5))
    assert found.found
    assert found.found.commit == bench.commits[5]
    assert len(bench.tried) == len(set(bench.tried))


def test_it_can_be_given_up(bench: Bench) -> None:
    number = bench.start().number
    bisect_trials.go_on(bench.world.services)
    work = bench.agents[0].work()
    given_up = bench.client.bisects.cancel(TITLE, number)
    assert given_up.state == BisectState.CANCELLED
    assert given_up.said == "Cancelled by Iida."
    assert bench.client.runs.get(TITLE, work.run).state == "stopping"
    assert bench.client.bisects.cancel(TITLE, number).state == BisectState.CANCELLED, "twice is no error"
    assert [a.possible for a in given_up.allowed_actions] == [False]
    assert [b.number for b in bench.client.bisects.all(TITLE, state="cancelled")] == [number]
    bisect_trials.go_on(bench.world.services)
    assert len(list(bench.client.runs.all(TITLE, why="bisect"))) == 1


@pytest.mark.parametrize(
    ("more", "code", "said"),
    [
        ({"good": "main", "bad": "main"}, "bisect.same", "main and main are of the same commit"),
        ({"good": "nowhere"}, "source.unknown", "there is no branch, tag or commit 'nowhere'"),
        ({"good": "99"}, "build.unknown", "there is no build peatlight#99"),
        ({"profile": None}, "bisect.profile", "no build is named, so the profile must be"),
        ({"profile": "linux-other"}, "bisect.profile", "there is no profile 'linux-other'"),
        ({"by": "crash", "subject": "fog"}, "bisect.subject", "a crash group is named by its number"),
        ({"by": "crash", "subject": "7"}, "crash.unknown", "peatlight has no crash group 7"),
        ({"profile": "phone", "by": "crash", "subject": "1"}, "crash.unknown", "peatlight has no crash group 1"),
        ({"profile": "phone"}, "bisect.platform", "phone is for devices that no agent is: no self-test runs there"),
        ({"limit": 5}, "bisect.limit", "self-test has no limit"),
        ({"by": "size", "form": "visor-2"}, "bisect.form", "a class of device is told to a self-test"),
    ],
)
def test_what_cannot_be_asked(bench: Bench, more: dict[str, object], code: str, said: str) -> None:
    with refuses(code, said):
        bench.start(**more)  # type: ignore[arg-type]
    with refuses("bisect.unknown", "peatlight has no bisect 1"):
        bench.client.bisects.get(TITLE, 1)


def test_a_build_made_by_hand_is_no_end(bench: Bench, tmp_path: Path) -> None:
    build(bench.client, make_folder(tmp_path / "source", 1000), tmp_path / "state")
    with refuses("bisect.by-hand", "peatlight#1 was not made from a commit", where="good"):
        bench.start(good="1")


def test_two_branches_have_no_line(bench: Bench) -> None:
    aside = next(iter(bench.client.sources.commits(TITLE, of="aside"))).commit
    with refuses("bisect.no-line", f"{aside[:10]} does not lie before main on its branch"):
        bench.start(good=aside, bad="main")


def test_who_may(bench: Bench) -> None:
    number = bench.start().number
    with bench.world.client(Role.VIEWER) as viewer:
        assert viewer.bisects.get(TITLE, number).allowed_actions[0].reason == "A viewer may not cancel runs."
        for refused in (lambda: viewer.bisects.cancel(TITLE, number), lambda: viewer.bisects.diff(TITLE, number)):
            with refuses("role.denied"):
                refused()
