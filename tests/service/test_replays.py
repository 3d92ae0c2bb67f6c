"""Replays: under its own rules a release costs what the matrix says, under others what they would have made of it."""

from __future__ import annotations

from pathlib import Path

import pytest
from sqlalchemy import select

from rampa.client import Client
from rampa.core.content.layout import trial
from rampa.core.content.layout.life import UNDER_WAY as LAYOUTS_UNDER_WAY
from rampa.core.content.layout.ways import LZMA2
from rampa.core.content.pack.shared_frames import SharedFrame
from rampa.core.content.patch import maker
from rampa.db import LayoutRow, ReplayRow
from rampa.operations.base import Services
from rampa.operations.layout import making
from rampa.operations.replays import carried_out
from rampa.schema.replays import ReplayIn, ReplayOut
from tests.conftest import Begun, World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, import_title, make_folder, noise, words
from tests.service import test_updates
from tests.service.test_updates import DEPOTS, TITLE

ADDRESSES = 16
"""Bytes: packs that exist only in thought have other addresses, and those pack a little differently in locations."""
STRONG = 'compression = 19\npacking = { "*.ogg" = "stored" }\n'


@pytest.fixture
def three(client: Client, begun: Begun, tmp_path: Path) -> Path:
    """Three builds; text that packs well changes from one to the next."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        folder = make_folder(tmp_path / "source", 300_000)
        big = noise(400_000, 9)
        for number in range(3):
            for name in range(4):
                (folder / f"data/story-{name}.txt").write_bytes(
                    words(300_000, name) + words(90_000, 10 * number + name)
                )
            (folder / "data/big.arc").write_bytes(big[: 100_000 * number] + b"fog" * number + big[100_000 * number :])
            build(client, folder, tmp_path / "state")

    begun(fill)
    return tmp_path / "source"


def replayed(client: Client, services: Services, rules: str, **more: object) -> ReplayOut:
    asked = client.updates.ask_for_replay(TITLE, ReplayIn.model_validate({"rules": rules, **more}))
    assert asked.state == "waiting"
    work(services, asked.number)
    return client.updates.replay(TITLE, asked.number)


def work(services: Services, number: int) -> None:
    """What the queue's worker does."""
    with services.db.transaction() as session:
        row = session.scalars(select(ReplayRow).where(ReplayRow.number == number)).one()
    carried_out.carry_out(services, str(row.id))


@pytest.mark.parametrize("differences", [False, True])
def test_under_its_own_rules_a_release_costs_what_the_matrix_says(
    client: Client, world: World, three: Path, differences: bool
) -> None:
    if differences:
        if not maker.available():
            pytest.skip("there is no C compiler here")
        client.updates.make_differences(TITLE, 1, 2)
        assert test_updates.carried_out(world) == 1
    cells = {(c.old, c.new): c for c in client.updates.matrix(TITLE, "linux").cells}
    found = replayed(client, world.services, DOCUMENT, players=False)
    assert (found.state, found.done, [r.build for r in found.releases]) == ("ready", found.total, [1, 2, 3])
    for release in found.releases:
        old = release.build - 1
        assert release.own == release.ruled
        assert release.now_fresh == cells[0, release.build].download
        assert abs(release.own.fresh - release.now_fresh) <= ADDRESSES
        if release.own.update is not None:
            cell = cells[old, release.build]
            assert release.now_update == cell.download
            assert abs(release.own.update - cell.download) <= ADDRESSES
            assert (release.own.update + ADDRESSES < cell.plain) == (differences and release.build == 2)
    assert found.releases[0].own.update is None


def test_packs_for_players_are_those_that_the_service_makes(
    client: Client, world: World, three: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # Which of two good ways is taken hangs on how busy the machine is.
    monkeypatch.setattr(trial, "CODECS", ((LZMA2, 6),))
    client.updates.make_player_packs(TITLE, 3)
    with world.services.db.transaction() as session:
        [row] = session.scalars(select(LayoutRow).where(LayoutRow.state.in_(LAYOUTS_UNDER_WAY)))
    making.lay_out(world.services, str(row.build_id))
    assert client.updates.player_packs(TITLE, 3).state == "ready"
    cell = next(c for c in client.updates.matrix(TITLE, "linux").cells if (c.old, c.new) == (0, 3))
    found = replayed(client, world.services, DOCUMENT)
    # Of a small build every frame is in the sample: what is measured is what was made.
    assert abs(found.releases[2].own.fresh - cell.download) <= ADDRESSES
    assert cell.download < cell.plain * 0.9


def test_other_rules_cost_what_builds_made_by_them_cost(
    client: Client, world: World, three: Path, tmp_path: Path
) -> None:
    found = replayed(client, world.services, STRONG, players=False)
    first = found.releases[0]
    assert first.ruled.fresh < first.own.fresh * 0.95
    assert first.ruled.packed < first.own.packed
    # The same folder, packed by those rules into a store of its own.
    title = client.titles.get(TITLE)
    client.titles.revise(TITLE, DOCUMENT.replace("[content]\n", f"[content]\n{STRONG}"), "packed more", title.revision)
    folder = tmp_path / "other"
    make_folder(folder, 300_000)
    for name in range(4):
        (folder / f"data/tale-{name}.txt").write_bytes(words(300_000, 50 + name))
    build(client, folder, tmp_path / "state-2")
    cell = next(c for c in client.updates.matrix(TITLE, "linux").cells if (c.old, c.new) == (0, 4))
    again = replayed(client, world.services, DOCUMENT, players=False, last=1)
    assert again.releases[0].build == 4
    assert again.releases[0].own.packed < again.releases[0].ruled.packed
    assert again.releases[0].own.fresh <= cell.download * 1.02


def test_depots_of_other_rules_spare_who_does_not_take_them(client: Client, world: World, three: Path) -> None:
    found = replayed(client, world.services, DEPOTS, players=False, languages="en")
    assert found.chosen == "languages en"
    for release in found.releases:
        # A device that chose is not asked about as the store lies today; files of the other language stay away.
        assert (release.now_fresh, release.now_update) == (None, None)
        assert release.ruled.undelivered == 0
        assert release.ruled.fresh != release.own.fresh
    narrow = DOCUMENT[: DOCUMENT.index("[depots.base]")] + '[depots.base]\nnot = ["data/"]\n'
    left = replayed(client, world.services, narrow, players=False, last=1).releases[0]
    assert left.ruled.undelivered >= 5
    assert left.ruled.fresh < left.own.fresh


def test_stopped_and_gone_on_with_frames_are_measured_once(
    client: Client, world: World, three: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    measured = 0
    compressed = SharedFrame.compressed

    def counted(frame: SharedFrame, content: bytes) -> bytes:
        nonlocal measured
        measured += 1
        if measured == 3:
            client.updates.stop_replay(TITLE, 1)
        return compressed(frame, content)

    monkeypatch.setattr(SharedFrame, "compressed", counted)
    monkeypatch.setattr(carried_out, "AT_ONCE", 0.0)
    found = replayed(client, world.services, STRONG, players=False)
    assert found.state == "stopped"
    assert len(found.releases) < 3
    before = measured
    assert client.updates.go_on_with_replay(TITLE, 1).state == "waiting"
    work(world.services, 1)
    done = client.updates.replay(TITLE, 1)
    assert done.state == "ready"
    whole = measured - before
    measured = 10
    assert replayed(client, world.services, STRONG, players=False).releases == done.releases
    assert measured - 10 == whole + before


def test_one_at_a_time_and_clear_errors(client: Client, world: World, three: Path) -> None:
    first = client.updates.ask_for_replay(TITLE, ReplayIn(rules=DOCUMENT))
    with refuses("replay.under-way", says="replay 1 of peatlight"):
        client.updates.ask_for_replay(TITLE, ReplayIn(rules=DOCUMENT))
    client.updates.stop_replay(TITLE, first.number)
    with refuses("state.conflict"):
        client.updates.stop_replay(TITLE, first.number)
    with refuses("rules.unknown", says="frames cannot be said here"):
        client.updates.ask_for_replay(TITLE, ReplayIn(rules="frames = 3\n"))
    with refuses("rules.unknown", says="nothing is said"):
        client.updates.ask_for_replay(TITLE, ReplayIn(rules="# none\n"))
    with refuses("rules.invalid", says="content.compression: 99 is not between 0 and 19"):
        client.updates.ask_for_replay(TITLE, ReplayIn(rules="compression = 99\n"))
    with refuses("document.invalid", says="nested"):
        client.updates.ask_for_replay(TITLE, ReplayIn(rules="compression = " + "[" * 5000))
    with refuses("rules.profile"):
        other = DOCUMENT.replace("[profiles.linux-release]", "[profiles.one]")
        client.updates.ask_for_replay(TITLE, ReplayIn(rules=other))
    with refuses("replay.none", says="that was on nowhere"):
        client.updates.ask_for_replay(TITLE, ReplayIn(rules=DOCUMENT, channel="nowhere"))
    with refuses("replay.none", says="no ready build of profile windows-release"):
        client.updates.ask_for_replay(TITLE, ReplayIn(rules=DOCUMENT, profile="windows-release"))
    with refuses("replay.unknown"):
        client.updates.replay(TITLE, 99)
    assert [r.number for r in client.updates.replays(TITLE).items] == [1]


def test_a_build_that_is_gone_ends_it_and_says_so(client: Client, world: World, three: Path) -> None:
    asked = client.updates.ask_for_replay(TITLE, ReplayIn(rules=DOCUMENT, players=False))
    with world.services.db.transaction() as session:
        row = session.scalars(select(ReplayRow)).one()
        row.builds = [*row.builds, 77]
    work(world.services, asked.number)
    found = client.updates.replay(TITLE, asked.number)
    assert found.state == "failed"
    assert "77" in found.note


def test_an_error_that_nobody_expects_ends_it_and_it_goes_on(
    client: Client, world: World, three: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = client.updates.ask_for_replay(TITLE, ReplayIn(rules=DOCUMENT, players=False))
    with monkeypatch.context() as broken:
        broken.setattr(carried_out, "source_tree", lambda *_: 1 // 0)
        with pytest.raises(ZeroDivisionError):
            work(world.services, asked.number)
    found = client.updates.replay(TITLE, asked.number)
    assert found.state == "failed"
    assert "ZeroDivisionError" in found.note
    client.updates.go_on_with_replay(TITLE, asked.number)
    work(world.services, asked.number)
    assert client.updates.replay(TITLE, asked.number).state == "ready"
