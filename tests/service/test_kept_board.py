"""The board that is kept is the board that is: whatever changes, by whichever process, the next answer has it."""

from __future__ import annotations

import gzip
import json
from collections.abc import Callable
from pathlib import Path

import pytest
from sqlalchemy import func, select, text

from rampa.client import Client
from rampa.db import BoardChangeRow
from rampa.operations.base import Services, service_actor
from rampa.operations.board import kept
from rampa.operations.board.board import get_board
from rampa.operations.board.kept import KeptBoard
from rampa.schema.board import Board, BoardQuery
from rampa.schema.channels import ChannelChange, NewChannel
from rampa.schema.releases import NewRelease
from rampa.schema.schedule import NewScheduled
from tests.clock import Clock
from tests.conftest import World
from tests.samples import add_key, build, change_folder, import_title, make_folder

TITLE, ON = "peatlight", "studio"
ACTOR = service_actor("somebody")


def place(client: Client, number: int, share: float | None = None) -> int:
    return client.channels.place(TITLE, ON, number, client.channels.preview(TITLE, ON, number).etag, share).number


def told(board: KeptBoard, services: Services) -> Board:
    answer = board.get(services, ACTOR)
    assert gzip.decompress(answer.packed) == answer.plain
    return Board.model_validate_json(answer.plain)


def test_after_every_act_it_is_what_a_new_one_would_be(world: World, client: Client, tmp_path: Path) -> None:
    Clock(world)  # stands still: only changes make it new
    board, services = KeptBoard(), world.services
    assert told(board, services).titles == []
    folder = make_folder(tmp_path / "source", 20_000)

    def changed() -> None:
        change_folder(folder)
        build(client, folder, tmp_path / "state")

    numbers: dict[str, int] = {}
    acts: list[Callable[[], object]] = [
        lambda: add_key(client),
        lambda: import_title(client),
        lambda: build(client, folder, tmp_path / "state"),
        lambda: place(client, 1),
        changed,
        lambda: numbers.update(two=place(client, 2, 10)),
        lambda: client.rollouts.grow(TITLE, ON, numbers["two"], 20),
        lambda: client.rollouts.hold(TITLE, ON, numbers["two"], "It stutters."),
        lambda: client.rollouts.withdraw(TITLE, ON, numbers["two"]),
        lambda: client.channels.add(TITLE, NewChannel(name="press")),
        lambda: client.channels.change(TITLE, "press", ChannelChange(name="critics")),
        lambda: client.releases.make(TITLE, NewRelease(builds=[2])),
        lambda: client.schedule.add(TITLE, NewScheduled(channel="testers", build=2)),
        lambda: client.schedule.cancel(TITLE, 1),
    ]
    for number, act in enumerate(acts):
        act()
        now = get_board(services, ACTOR, BoardQuery())
        assert told(board, services) == now, f"act {number}"


def test_it_is_worked_out_once_while_nothing_changes(
    world: World, client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = 0

    def counted(*words: object) -> Board:
        nonlocal made
        made += 1
        return get_board(*words)  # type: ignore[arg-type]

    monkeypatch.setattr(kept, "get_board", counted)
    clock = Clock(world)
    add_key(client)
    import_title(client)
    board = KeptBoard()
    first = [told(board, world.services) for _ in range(3)]
    clock.pass_(seconds=20)
    later = told(board, world.services)
    assert (made, later.at, later.titles) == (1, clock.now, first[0].titles)
    clock.pass_(minutes=1)
    told(board, world.services)
    assert made == 2


def test_what_is_not_committed_yet_is_seen_once_it_is(world: World, client: Client) -> None:
    """It began before the answer was made, and ended after it."""
    Clock(world)
    add_key(client)
    import_title(client)
    board = KeptBoard()
    with world.services.db.engine.connect() as connection:
        connection.execute(text("update title set name = 'Fog' where slug = 'peatlight'"))
        assert [t.name for t in told(board, world.services).titles] == ["Peatlight"]
        connection.commit()
    assert [t.name for t in told(board, world.services).titles] == ["Fog"]


def test_what_was_rolled_back_changes_nothing_and_old_notes_go(world: World, client: Client) -> None:
    clock = Clock(world)
    add_key(client)
    import_title(client)
    clock.pass_(hours=2)
    kept.forget(world.services)
    with world.services.db.transaction() as session:
        assert session.scalar(select(func.count()).select_from(BoardChangeRow)) == 0
    assert json.loads(KeptBoard().get(world.services, ACTOR).plain)["at"].startswith(f"{clock.now:%Y-%m-%dT%H:%M:%S}")
