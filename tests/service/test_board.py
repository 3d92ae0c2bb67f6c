"""The board: what is live where now, what waits and what stops it; and the same of every moment before, from what was kept."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.operations.channels import rollouts
from rampa.schema.board import Board, BoardTitle
from rampa.schema.common import Role
from rampa.schema.releases import NewRelease
from rampa.schema.runs import NewRuns
from tests.agents import with_repository
from tests.clock import Clock
from tests.conftest import Begun, World
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder

TITLE = "peatlight"
Cells = dict[tuple[str, str], list[tuple[int, str, float]]]


@pytest.fixture
def ready(client: Client, begun: Begun, tmp_path: Path) -> Client:
    """#1 and #2 are 1.4.0 for Linux and Windows, #3 and #4 are 1.5.0; nothing is placed. Another title has nothing."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        client.titles.add(DOCUMENT.replace("peatlight", "fogbound").replace("Peatlight", "Fogbound"))
        folder = make_folder(tmp_path / "source", 100_000)
        for version in ("1.4.0", "1.5.0"):
            for profile in ("linux-release", "windows-release"):
                build(client, folder, tmp_path / "state", profile, version_name=version)
            if version == "1.4.0":
                change_folder(folder)

    begun(fill)
    return client


def title_of(board: Board, slug: str = TITLE) -> BoardTitle:
    return next(t for t in board.titles if t.slug == slug)


def cells(board: Board) -> Cells:
    """(line, channel) -> (build, state, share), of what is not empty."""
    return {
        (line.platform, cell.channel): [(b.build, b.state.value, b.share) for b in cell.builds]
        for line in title_of(board).lines
        for cell in line.cells
        if cell.builds
    }


def place(client: Client, number: int, channel: str = "studio", share: float | None = None, plan: str = "") -> int:
    etag = client.channels.preview(TITLE, channel, number).etag
    return client.channels.place(TITLE, channel, number, etag, share, plan).number


def test_what_waits_before_anything_is_placed(ready: Client) -> None:
    board = ready.board.get()
    assert [t.slug for t in board.titles] == ["fogbound", TITLE]
    assert title_of(board, "fogbound").lines == []
    assert title_of(board).channels == ["studio", "testers", "early", "public"]
    waiting = [(line.platform, line.waits, line.waits_version) for line in title_of(board).lines]
    assert waiting == [("linux", 3, "1.5.0"), ("windows", 4, "1.5.0")]
    assert board.changes == []


def test_it_tells_each_moment_again_afterwards(world: World, ready: Client) -> None:
    """What it said at each moment is what it says of that moment later."""
    clock = Clock(world)
    told: list[tuple[dt.datetime, Cells]] = [(clock.now, {})]

    def now(after: Cells) -> None:
        assert cells(ready.board.get()) == after
        told.append((clock.now, after))
        clock.pass_(minutes=7)

    clock.pass_(minutes=1)
    release = ready.releases.make(TITLE, NewRelease(builds=[1, 2])).number
    ready.releases.place(TITLE, release, "studio", ready.releases.preview(TITLE, release, "studio").etag)
    both = {("linux", "studio"): [(1, "whole", 100.0)], ("windows", "studio"): [(2, "whole", 100.0)]}
    now(both)
    windows = {("windows", "studio"): both["windows", "studio"]}
    number = place(ready, 3, plan="5 % after 5 min, all after 3 h")
    now({("linux", "studio"): [(3, "placed", 0.0), (1, "whole", 100.0)], **windows})
    assert rollouts.grow_due(world.services) == 1
    now({("linux", "studio"): [(3, "growing", 5.0), (1, "whole", 100.0)], **windows})
    ready.rollouts.hold(TITLE, "studio", number, "It stutters.")
    now({("linux", "studio"): [(3, "held", 5.0), (1, "whole", 100.0)], **windows})
    ready.rollouts.go_on(TITLE, "studio", number)
    ready.rollouts.grow(TITLE, "studio", number, 100)
    now({("linux", "studio"): [(3, "whole", 100.0)], **windows})
    place(ready, 3, "testers")
    ready.rollouts.withdraw(TITLE, "studio", 2)
    now({("linux", "studio"): [(3, "whole", 100.0)], ("linux", "testers"): [(3, "whole", 100.0)]})
    ready.rollouts.roll_back(TITLE, "studio", 1, ready.rollouts.preview_roll_back(TITLE, "studio", 1).etag)
    now({("linux", "studio"): [(1, "whole", 100.0)], ("linux", "testers"): [(3, "whole", 100.0)]})
    for at, then in told:
        for seconds in (0, 30):
            board = ready.board.get(at + dt.timedelta(seconds=seconds))
            assert cells(board) == then, at
            assert board.at == at + dt.timedelta(seconds=seconds)
    held = title_of(ready.board.get(told[4][0])).lines[0].cells[0].builds[0]
    assert (held.why, held.next_at, held.verdict) == ("It stutters.", None, None)
    assert ready.board.get(told[0][0] - dt.timedelta(days=400)).titles == []


def test_what_is_new_since_one_looked_and_what_comes_next(world: World, ready: Client) -> None:
    clock = Clock(world)
    place(ready, 1)
    looked = clock.now
    clock.pass_(minutes=1)
    release = ready.releases.make(TITLE, NewRelease(builds=[3])).number
    ready.releases.leave_out(TITLE, release, "windows-release", "Later.")
    etag = ready.releases.preview(TITLE, release, "studio").etag
    ready.releases.place(TITLE, release, "studio", etag, plan="1 %, all after 2 h")
    new, old = title_of(ready.board.get()).lines[0].cells[0].builds
    assert (new.build, new.changed_at > looked, new.release) == (3, True, release)
    assert (new.next_share, new.next_at) == (100, clock.now + dt.timedelta(hours=2))
    assert (old.build, old.changed_at > looked, old.release) == (1, False, 0)
    changes = ready.board.get().changes
    assert [(c.build, c.state.value, c.share) for c in changes] == [(3, "growing", 1), (1, "whole", 100)]
    assert all(c.by == "Iida" for c in changes)


def test_a_failed_run_is_what_stops_a_line(world: World, client: Client, tmp_path: Path) -> None:
    agent = with_repository(world.services, client, tmp_path)
    client.runs.start(TITLE, NewRuns(profiles=["linux-release"]))
    agent.end(agent.work(), "failed", step="export", detail="fog")
    (line,) = title_of(client.board.get()).lines
    assert line.stops.startswith("run 1 failed")
    assert line.waits == 0


def test_every_role_that_reads_sees_it(world: World, ready: Client) -> None:
    with world.client(Role.VIEWER) as viewer:
        assert title_of(viewer.board.get()).slug == TITLE
