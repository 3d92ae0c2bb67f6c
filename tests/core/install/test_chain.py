"""A device that skips releases updates by the differences of the steps between, whatever became of them meanwhile."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rampa.core.content.patch import locations, maker
from rampa.core.content.patch.chain import LONGEST, UpdateStep, chained, route
from rampa.core.content.patch.difference_place import DifferencePlace, MadeRegion
from rampa.core.content.patch.locations import Locations
from rampa.core.content.tree.regions import local_content
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import NotFound
from rampa.core.install.install import Installation
from rampa.core.install.plan import UpdatePlan, plan_update
from rampa.system import CLOCK
from tests.core.install.test_install import KEY, TITLE, Shop
from tests.refusals import refuses
from tests.samples import make_folder, noise

pytestmark = pytest.mark.skipif(not maker.available(), reason="there is no C compiler here")
BIG, MOVED = "data/big.arc", "data/moved.arc"


class Skipping(Shop):
    """Tells of chains, and that a pack is gone where it is."""

    def differences_from(self, first: Tree, last: Tree) -> tuple[DifferencePlace, ...]:
        trees = list(self.trees.values())
        way = trees[trees.index(first) : trees.index(last) + 1]
        steps = [UpdateStep(a, b, tuple(self.differences[id(a), id(b)])) for a, b in itertools.pairwise(way)]
        return chained(steps)

    def located(self, new: Tree, old: Tree | None = None, base: int = 0) -> Locations:
        found = super().located(new, old, base)
        return found if old is None else Locations(found.chunks, self.differences_from(old, new), base)

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        if pack not in self.packs:
            raise NotFound("content.unknown", "there is no such pack")
        return super().read(pack, offset, size)


@dataclass
class Series:
    shop: Skipping
    folder: Path
    trees: list[Tree]
    envelopes: list[bytes]

    def step_pack(self, number: int) -> bytes:
        """Of the differences that lead to this release."""
        return self.shop.differences[id(self.trees[number - 1]), id(self.trees[number])][0].pack

    def plan(self, last: int = -1) -> UpdatePlan:
        new = self.trees[last]
        return plan_update(new, local_content(self.trees[0]), self.shop.located(new, self.trees[0], 1))


def release(series: Series, tree: Tree) -> None:
    series.trees.append(tree)
    series.envelopes.append(series.shop.release(len(series.trees), tree))


def make_series(at: Path, edits: list[list[tuple[float, bytes]]]) -> Series:
    """One release for each list of edits (where, what comes in between), behind the first."""
    folder = make_folder(at / "source", 60_000)
    (folder / BIG).write_bytes(noise(400_000, 9))
    (folder / MOVED).write_bytes(noise(90_000, 11))
    series = Series(Skipping(), folder, [], [])
    release(series, series.shop.take(folder))
    for number, each in enumerate(edits):
        before = at / f"before-{number}"
        before.mkdir()
        for path in (BIG, MOVED):
            (before / path).parent.mkdir(exist_ok=True)
            (before / path).write_bytes((folder / path).read_bytes())
        for where, piece in each:
            for path in (BIG, MOVED):
                data = (folder / path).read_bytes()
                cut = int(where * len(data))
                (folder / path).write_bytes(data[:cut] + piece + data[cut:])
        release(series, series.shop.take(folder))
        series.shop.prepare(series.trees[-2], series.trees[-1], (before, folder))
    return series


@pytest.fixture
def series(tmp_path: Path) -> Series:
    return make_series(tmp_path, [[(0.1, b"fog"), (0.5, noise(3000, 1))], [(0.12, b"ice")], [(0.11, noise(2000, 2))]])


@pytest.fixture
def device(tmp_path: Path, series: Series) -> Installation:
    installation = Installation(tmp_path / "device", TITLE, KEY.public_key().public_bytes_raw(), clock=CLOCK)
    installation.update(series.envelopes[0], series.shop.of(1))
    series.shop.of(len(series.trees)).sent = 0
    return installation


def is_as_released(device: Installation, series: Series) -> bool:
    made = device.root / "current/tree"
    return all((made / p).read_bytes() == (series.folder / p).read_bytes() for p in (BIG, MOVED, "locale/fi.json"))


def test_what_was_skipped_is_made_on_the_way_and_costs_what_was_planned(device: Installation, series: Series) -> None:
    plan = series.plan()
    assert any(isinstance(r, MadeRegion) for d in plan.differences for r in d.old)
    assert plan.aside > 0
    plain = plan_update(series.trees[-1], local_content(series.trees[0]), Locations(series.shop.where))
    assert plan.download < plain.download / 4
    report = device.update(series.envelopes[-1], series.shop)
    assert report.downloaded == plan.download == series.shop.sent
    assert is_as_released(device, series)
    assert device.verify() == []


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(
        st.lists(st.tuples(st.floats(0, 1), st.binary(min_size=1, max_size=40)), min_size=1, max_size=3),
        min_size=2,
        max_size=4,
    )
)
def test_any_series_of_edits_arrives(
    tmp_path_factory: pytest.TempPathFactory, edits: list[list[tuple[float, bytes]]]
) -> None:
    at = tmp_path_factory.mktemp("series")
    series = make_series(at, edits)
    device = Installation(at / "device", TITLE, KEY.public_key().public_bytes_raw(), clock=CLOCK)
    device.update(series.envelopes[0], series.shop.of(1))
    plan = series.plan()
    report = device.update(series.envelopes[-1], series.shop.of(len(series.trees)))
    assert report.downloaded == plan.download
    assert is_as_released(device, series)


@pytest.mark.parametrize("lost", [1, 2, 3])
def test_where_a_step_was_collected_meanwhile_plain_chunks_come(
    device: Installation, series: Series, lost: int
) -> None:
    told = series.shop.located(series.trees[-1], series.trees[0], 1)
    del series.shop.packs[series.step_pack(lost)]
    series.shop.located = lambda *_: told  # type: ignore[method-assign]
    device.update(series.envelopes[-1], series.shop)
    assert is_as_released(device, series)
    assert device.verify() == []


def test_a_step_that_is_damaged_or_a_file_that_was_touched_does_no_harm(device: Installation, series: Series) -> None:
    pack = series.step_pack(2)
    series.shop.packs[pack] = bytes(b ^ 0x55 for b in series.shop.packs[pack])
    touched = device.root / "current/tree" / BIG
    data = bytearray(touched.read_bytes())
    data[41_000] ^= 1
    touched.write_bytes(data)
    device.update(series.envelopes[-1], series.shop)
    assert is_as_released(device, series)
    assert device.verify() == []


def test_old_readers_are_told_of_no_chain(series: Series) -> None:
    first, last = series.trees[0], series.trees[-1]
    found = series.shop.located(last, first, 1)
    encoded = locations.encode(found, last, first)
    assert locations.decode(encoded, last, first) == found
    for version in (2, 3):
        old = locations.decode(locations.encode(found.readable(version), last, first), last, first)
        assert old.differences == ()
        assert len(old.chunks) == len(found.chunks)


def test_locations_that_go_in_circles_or_beyond_are_refused(series: Series) -> None:
    first, last = series.trees[0], series.trees[-1]
    found = series.shop.located(last, first, 1)
    chain = list(found.differences)
    later = next(i for i, d in enumerate(chain) if d.sources)
    backwards = Locations(found.chunks, tuple(reversed(chain)), 1)
    with refuses("locations.damaged"):
        locations.decode(locations.encode(backwards, last, first), last, first)
    place = chain[later]
    piece = next(r for r in place.old if isinstance(r, MadeRegion))
    beyond = MadeRegion(piece.pack, piece.start, piece.offset + (1 << 24), piece.size)
    chain[later] = DifferencePlace(
        place.pack, place.offset, place.stored, place.old_digest, (beyond,), place.new, place.at, place.size, True
    )
    with refuses("locations.damaged"):
        locations.decode(locations.encode(Locations(found.chunks, tuple(chain), 1), last, first), last, first)


@given(st.dictionaries(st.tuples(st.integers(0, 7), st.integers(0, 7)), st.integers(1, 99), max_size=24))
def test_the_way_of_the_fewest_bytes_is_found(sets: dict[tuple[int, int], int]) -> None:
    far = np.full(8, 10**9)
    far[0] = 0
    for _ in range(8):
        for (old, new), size in sets.items():
            far[new] = min(far[new], far[old] + size)
    for end in range(1, 8):
        way = route(sets, 0, end)
        assert sum(sets[pair] for pair in way) == (far[end] if far[end] < 10**9 else 0)
        assert [pair[0] for pair in way[1:]] == [pair[1] for pair in way[:-1]]


def test_a_way_that_is_too_long_is_none() -> None:
    sets = {(n, n + 1): 1 for n in range(LONGEST + 1)}
    assert len(route(sets, 0, LONGEST)) == LONGEST
    assert route(sets, 0, LONGEST + 1) == []
