"""Releases: made, shown with what lags, placed as a whole or not at all, grown and rolled back as one; their notes."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.errors import RampaError
from rampa.core.placement.gates import GateKind
from rampa.db import find_build
from rampa.operations.base import begin
from rampa.operations.sources import repository
from rampa.schema.channels import GateIn, GatesIn
from rampa.schema.common import Role
from rampa.schema.releases import NewRelease, ReleaseNote
from rampa.schema.runs import NewRuns
from rampa.schema.sources import SourceIn
from tests.agents import FakeAgent
from tests.conftest import Begun, World
from tests.gits import peatlight
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder

TITLE = "peatlight"
ON = "testers"
PLAN = "1 %, 5 % after 40 min, all after 8 h"


@pytest.fixture
def ready(client: Client, begun: Begun, tmp_path: Path) -> Client:
    """#1 and #2 are 1.4.0 for Linux and Windows; #3 and #4 are 1.5.0."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        folder = make_folder(tmp_path / "source", 200_000)
        for version in ("1.4.0", "1.5.0"):
            for profile in ("linux-release", "windows-release"):
                build(client, folder, tmp_path / "state", profile, version_name=version)
            change_folder(folder)
            (folder / "data/empty.bin").touch()
            (folder / "locale/suomi.json").rename(folder / "locale/fi.json")

    begun(fill)
    return client


def make(client: Client, *builds: int) -> int:
    return client.releases.make(TITLE, NewRelease(builds=list(builds))).number


def place(client: Client, number: int, share: float | None = None, plan: str = "") -> None:
    seen = client.releases.preview(TITLE, number, ON)
    client.releases.place(TITLE, number, ON, seen.etag, share, plan)


def live(client: Client) -> list[tuple[int, str, float]]:
    return [(p.build.number, p.state.value, p.share) for p in client.channels.get(TITLE, ON).live]


def lines(client: Client, number: int) -> dict[str, tuple[str, str]]:
    return {line.profile: (line.state.value, line.said) for line in client.releases.get(TITLE, number).lines}


def test_both_platforms_in_one_act(ready: Client) -> None:
    number = make(ready, 1, 2)
    assert lines(ready, number) == {"linux-release": ("ready", ""), "windows-release": ("ready", "")}
    seen = ready.releases.preview(TITLE, number, ON)
    assert (seen.possible, seen.obstacles, [s.placing is not None for s in seen.lines]) == (True, [], [True, True])
    place(ready, number)
    assert live(ready) == [(1, "whole", 100.0), (2, "whole", 100.0)]
    (listed,) = ready.releases.all(TITLE)
    assert (listed.version_name, listed.builds, listed.live_on) == ("1.4.0", [1, 2], [ON])
    again = ready.releases.preview(TITLE, number, ON)
    assert again.obstacles == [f"all of it is live on {ON} already"]
    with refuses("release.live", "is live on testers already"):
        place(ready, number)
    sentences = [e.sentence for e in ready.events.all(act="release.")]
    assert sentences == [
        "placed release 1 of peatlight, 1.4.0 on testers",
        "made release 1 of peatlight, 1.4.0 of peatlight#1, peatlight#2",
    ]


def test_all_lines_or_none(ready: Client) -> None:
    """One line is blocked: the other does not go alone."""
    ready.channels.place(TITLE, ON, 4, ready.channels.preview(TITLE, ON, 4).etag)
    number = make(ready, 1, 2)
    seen = ready.releases.preview(TITLE, number, ON)
    assert not seen.possible
    assert seen.obstacles == ["peatlight#2: version code 1 is not above 2, which peatlight#4 had here"]
    with refuses("placement.blocked", "peatlight#2 cannot be placed"):
        place(ready, number)
    assert live(ready) == [(4, "whole", 100.0)]
    assert [e.subject for e in ready.events.all(act="build.place")] == ["peatlight#4"]


def test_a_closed_gate_of_one_line_stops_all(ready: Client) -> None:
    ready.channels.set_gates(TITLE, ON, GatesIn(gates=[GateIn(kind=GateKind.APPROVED, count=1)]))
    number = make(ready, 1, 2)
    assert ready.releases.preview(TITLE, number, ON).obstacles == [
        f"peatlight#{n}: approved by 1 other person: 0 of 1, and nobody else may" for n in (1, 2)
    ]
    with refuses("gate.closed"):
        place(ready, number)
    assert live(ready) == []


def test_a_line_that_lags_is_waited_for_or_left_out_and_follows(ready: Client) -> None:
    number = make(ready, 3)
    assert lines(ready, number)["windows-release"] == ("lags", "its newest build is peatlight#4, 1.5.0")
    with refuses("release.incomplete", "Windows.*: its newest build is peatlight#4"):
        place(ready, number)
    with refuses("release.profile", "no line of 'fog'"):
        ready.releases.leave_out(TITLE, number, "fog", "why not")
    with refuses("release.ready", "has a build for Linux"):
        ready.releases.leave_out(TITLE, number, "linux-release", "why not")
    ready.releases.leave_out(TITLE, number, "windows-release", "The driver of last week breaks it.")
    assert lines(ready, number)["windows-release"][0] == "left-out"
    assert "The driver of last week breaks it." in lines(ready, number)["windows-release"][1]
    place(ready, number)
    assert live(ready) == [(3, "whole", 100.0)]
    # It follows: the line is expected again, and the release is placed again for it alone.
    done = ready.releases.add(TITLE, number, 4)
    assert [line.state for line in done.lines] == ["ready", "ready"]
    assert [s.said for s in ready.releases.preview(TITLE, number, ON).lines] == ["live on testers already", ""]
    place(ready, number)
    assert live(ready) == [(3, "whole", 100.0), (4, "whole", 100.0)]
    with refuses("release.has"):
        ready.releases.add(TITLE, number, 4)
    with refuses("release.version"):
        ready.releases.add(TITLE, number, 2)


def test_a_line_that_was_left_out_can_be_expected_again(ready: Client) -> None:
    number = make(ready, 3)
    ready.releases.leave_out(TITLE, number, "windows-release", "Not tonight.")
    ready.releases.leave_out(TITLE, number, "windows-release", "")
    assert lines(ready, number)["windows-release"][0] == "lags"
    assert next(iter(ready.events.all(act="release.bring"))).sentence.startswith("brought Windows back into release 1")


def test_it_grows_is_held_and_rolled_back_as_one(ready: Client) -> None:
    first, second = make(ready, 1, 2), make(ready, 3, 4)
    with refuses("release.not-live"):
        ready.releases.grow(TITLE, first, ON, 5)
    place(ready, first)
    place(ready, second, plan=PLAN)
    assert live(ready) == [(3, "growing", 1.0), (1, "whole", 100.0), (4, "growing", 1.0), (2, "whole", 100.0)]
    assert [r.share for r in ready.releases.grow(TITLE, second, ON, 5)] == [5, 5]
    # One of them is held by hand: growing both would leave them apart, so neither grows.
    ready.rollouts.hold(TITLE, ON, 3)
    with refuses("state.conflict"):
        ready.releases.grow(TITLE, second, ON, 10)
    ready.rollouts.go_on(TITLE, ON, 3)
    assert {r.held_why for r in ready.releases.hold(TITLE, second, ON, "it crashes")} == {"it crashes"}
    assert {r.state.value for r in ready.releases.go_on(TITLE, second, ON)} == {"growing"}
    assert [r.plan for r in ready.releases.plan(TITLE, second, ON, "50 % after 1 h, all after 2 h")] == [
        "50 % after 1 h, all after 2 h"
    ] * 2
    ready.releases.grow(TITLE, second, ON, 100)
    with refuses("release.whole"):
        ready.releases.grow(TITLE, second, ON, 100)
    seen = ready.releases.preview_roll_back(TITLE, first, ON)
    assert [s.build.number for s in seen.lines] == [1, 2]
    assert seen.obstacles == []
    back = ready.releases.roll_back(TITLE, first, ON, seen.etag)
    assert [(r.build.number, r.back) for r in back] == [(1, True), (2, True)]
    with refuses("channel.moved"):
        ready.releases.roll_back(TITLE, second, ON, seen.etag)
    with refuses("rollout.no-way-back", "is what is live"):
        ready.releases.preview_roll_back(TITLE, first, ON)
    with refuses("rollout.never-placed"):
        ready.releases.preview_roll_back(TITLE, second, "early")
    ready.releases.withdraw(TITLE, first, ON)
    assert live(ready) == []


def test_two_who_place_at_once(ready: Client) -> None:
    number = make(ready, 1, 2)
    etag = ready.releases.preview(TITLE, number, ON).etag

    def attempt(_: int) -> str:
        try:
            return ready.releases.place(TITLE, number, ON, etag).version_name
        except RampaError as error:
            return error.code

    with ThreadPoolExecutor(2) as threads:
        assert sorted(threads.map(attempt, (1, 2))) == ["1.4.0", "channel.moved"]
    assert len(live(ready)) == 2


@pytest.mark.parametrize(
    ("asked", "code"),
    [
        ({}, "release.of"),
        ({"builds": [1], "commit": "abcdef1"}, "release.of"),
        ({"builds": [1, 3]}, "release.line"),
        ({"builds": [1, 4]}, "release.version"),
        ({"builds": [99]}, "build.unknown"),
        ({"commit": "abcdef1"}, "release.no-build"),
        ({"run": 7}, "run.unknown"),
    ],
)
def test_what_makes_no_release(ready: Client, asked: dict[str, object], code: str) -> None:
    expected = "release.version" if asked.get("builds") == [1, 3] else code
    with refuses(expected):
        ready.releases.make(TITLE, NewRelease.model_validate(asked))
    assert ready.releases.all(TITLE) == []
    with refuses("release.unknown"):
        ready.releases.get(TITLE, 1)


def test_who_may_not(world: World, ready: Client) -> None:
    number = make(ready, 1, 2)
    with world.client(Role.VIEWER) as viewer:
        assert viewer.releases.get(TITLE, number).allowed_actions[0].possible is False
        for act in (
            lambda: viewer.releases.make(TITLE, NewRelease(builds=[1])),
            lambda: place(viewer, number),
            lambda: viewer.releases.write_notes(TITLE, number, note("x")),
            lambda: viewer.releases.withdraw(TITLE, number, ON),
        ):
            with refuses("role.denied"):
                act()


def note(text: str, audience: str = "players", language: str = "en") -> ReleaseNote:
    return ReleaseNote.model_validate({"audience": audience, "language": language, "text": text})


def test_notes_for_whom_and_in_which_language(ready: Client) -> None:
    number = make(ready, 1, 2)
    ready.releases.write_notes(TITLE, number, note("The fog lifts at Alder Halt."))
    ready.releases.write_notes(TITLE, number, note("Sumu hälvenee.", language="fi"))
    ready.releases.write_notes(TITLE, number, note("Play Kiln Yard twice.", "testers"))
    found = ready.releases.write_notes(TITLE, number, note("The fog lifts.\n"))
    assert [(n.audience, n.language, n.text) for n in found.notes] == [
        ("players", "en", "The fog lifts."),
        ("players", "fi", "Sumu hälvenee."),
        ("testers", "en", "Play Kiln Yard twice."),
    ]
    gone = ready.releases.write_notes(TITLE, number, note(" ", language="fi"))
    assert [n.language for n in gone.notes] == ["en", "en"]


def test_made_of_a_run_group_and_of_a_commit(world: World, client: Client, tmp_path: Path) -> None:
    """What runs made that were started together; one that failed is said. Commits since what is live begin the notes."""
    add_key(client)
    import_title(client)
    repo = peatlight(tmp_path / "repository", DOCUMENT)
    client.sources.connect(TITLE, SourceIn(address=str(repo.root)))
    assert repository.fetch(world.services, TITLE)
    agent = FakeAgent(client, world.services, "kiln-1")
    folder = make_folder(tmp_path / "source", 100_000)
    commits = [repo.git("rev-parse", "HEAD").strip()]
    for turn in range(2):
        started = client.runs.start(TITLE, NewRuns(profiles=["linux-release", "windows-release"]))
        with refuses("release.no-build", "made no build yet"):
            client.releases.make(TITLE, NewRelease(run=started[0].number))
        for _ in started:
            work = agent.work()
            if work.profile == "linux-release":
                made_of = agent.build(work, folder, tmp_path / "state")
                agent.end(work, build=made_of.number)
            else:
                agent.end(work, "failed", step="export", detail="fog")
        made = client.releases.make(TITLE, NewRelease(run=started[1].number))
        assert {line.profile: line.state.value for line in made.lines}["windows-release"] == "failed"
        assert "failed" in {line.profile: line.said for line in made.lines}["windows-release"]
        of_commit = client.releases.make(TITLE, NewRelease(commit=commits[-1][:12]))
        assert of_commit.builds == made.builds
        if turn == 0:
            client.releases.leave_out(TITLE, made.number, "windows-release", "Its compiler is ill.")
            place(client, made.number)
            for words in ("Fog over Marrow Bend", "Lanterns at Kiln Yard"):
                commits.append(repo.commit(words, {"src/fog.c": f"int fog; // {words}\n"}))
            assert repository.fetch(world.services, TITLE)
            change_folder(folder)
    shared = next((c[:7] for c in commits), "")
    assert client.releases.make(TITLE, NewRelease(commit=shared)).builds == [1]
    draft = client.releases.draft_notes(TITLE, made.number, ON)
    assert (draft.since, draft.subjects, draft.left) == (
        "peatlight#1",
        ["Lanterns at Kiln Yard", "Fog over Marrow Bend"],
        0,
    )


def test_a_commit_that_is_not_said_far_enough(world: World, ready: Client) -> None:
    with begin(world.services) as uow:
        for number, commit in ((1, "abcdef1" + "0" * 33), (2, "abcdef1" + "1" * 33)):
            find_build(uow.session, TITLE, number).made.commit = commit
    with refuses("release.commit", "begins the names of several commits") as caught:
        ready.releases.make(TITLE, NewRelease(commit="abcdef1"))
    assert "abcdef100000, abcdef111111" in caught.value.hint
    assert ready.releases.make(TITLE, NewRelease(commit="abcdef10")).builds == [1]
