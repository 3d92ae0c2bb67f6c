"""How content is laid out: every chunk once, nobody downloads what others want, frames open to what was there."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.depots.choice import Selector
from rampa.core.content.layout.audience import USUAL, read_audience
from rampa.core.content.layout.frames import plan_frames
from rampa.core.content.layout.groups import groups_of, together
from rampa.core.content.layout.making import make_frames
from rampa.core.content.layout.order import READ, order_of
from rampa.core.content.layout.trial import Bounds, try_ways
from rampa.core.content.layout.ways import LZMA2, MIB, ZSTD, Tried, Way, choose, compress, table_of
from rampa.core.content.pack.filters import CODE, SOUND
from rampa.core.content.pack.opening import open_pieces
from rampa.core.content.pack.pack import Frame, verify_chunks
from rampa.core.content.scan.files import read_tree
from rampa.core.content.select.selection import ContentRules, Pattern, select
from rampa.core.content.tree.tree import Tree
from rampa.system import CLOCK
from tests.core.content.pack.test_filters import program, sound
from tests.refusals import refuses
from tests.samples import noise, words

EVERYTHING = ContentRules((Pattern("*", "all"),), ())


def scanned(root: Path) -> tuple[Tree, READ]:
    selection = select(root, EVERYTHING)

    def read(path: str, offset: int, size: int) -> bytes:
        return selection.sources[path].read_bytes()[offset : offset + size]

    return read_tree(selection), read


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    root = tmp_path / "source"
    (root / "data").mkdir(parents=True)
    (root / "bin").mkdir()
    for name in ("peatlight", "thaw"):
        # Calls to the same few places from everywhere, as programs have them.
        calls = bytearray()
        for at in range(0, 200_000, 5):
            calls += b"\xe8" + ((at * 7919 % 11) * 1000 - at - 5).to_bytes(4, "little", signed=True)
        (root / "bin" / name).write_bytes(program() + bytes(calls))
    (root / "data/horn.wav").write_bytes(sound(6))
    (root / "data/fog.txt").write_bytes(words(700_000, 1))
    (root / "data/again.txt").write_bytes(words(700_000, 1))
    (root / "data/bog.bin").write_bytes(noise(300_000))
    (root / "empty").write_bytes(b"")
    return root


def test_programs_come_first_then_kinds(folder: Path) -> None:
    tree, read = scanned(folder)
    order = order_of(tree, read)
    names = [tree.files.paths[n].rpartition("/")[2] for n in order.numbers]
    assert names == ["peatlight", "thaw", "empty", "bog.bin", "again.txt", "fog.txt", "horn.wav"]
    assert sorted({s.filter.kind for s in order.shapes.values()}) == [SOUND, CODE]


@pytest.mark.parametrize("way", [Way(ZSTD, 3, 1), Way(LZMA2, 1, 8)], ids=str)
def test_frames_hold_every_chunk_once_and_open_to_it(folder: Path, way: Way) -> None:
    tree, read = scanned(folder)
    order = order_of(tree, read)
    groups = np.arange(len(tree.chunks)) % 2
    used = frozenset(s.filter for s in order.shapes.values())
    made = list(make_frames(tree, order, groups, read, way, used))
    assert sorted(c.digest for f in made for c in f.chunks) == sorted(tree.chunks.digests)
    for frame in made:
        held = Frame(0, len(frame.stored), frame.raw, tuple(frame.chunks))
        verify_chunks(held, open_pieces(frame.stored, frame.raw))
        numbers = {tree.chunks.digests.find(c.digest) % 2 for c in frame.chunks}
        assert numbers == {frame.group}
        assert frame.raw <= way.frame * MIB or len(frame.chunks) == 1
    again = list(make_frames(tree, order, groups, read, way, used, workers=1))
    assert [f.stored for f in again] == [f.stored for f in made]
    first = made[0].chunks[0].digest
    some = list(make_frames(tree, order, groups, read, way, used, lambda plan: plan.chunks[0].digest != first))
    assert [f.stored for f in some] == [f.stored for f in made[1:]]


def test_noise_is_kept_as_it_is_and_quickly() -> None:
    for way in (Way(ZSTD, 19, 8), Way(LZMA2, 6, 8)):
        assert 0 < len(compress(noise(200_000), way)) - 200_000 < 100


def test_a_trial_measures_and_takes_what_pays(folder: Path) -> None:
    tree, read = scanned(folder)
    order = order_of(tree, read)
    trial = try_ways(tree, order, read, read_audience("5:1"), CLOCK)
    assert trial.chosen in trial.table
    shares = {chosen.kind: share for chosen, share in trial.filters}
    assert shares[CODE] < 0.9
    assert {f.kind for f in trial.used} == {k for k, share in shares.items() if share <= 0.98}
    whole = sum(tree.chunks.sizes)
    for tried in trial.table:
        assert 0 < tried.size < whole
    made = make_frames(tree, order, np.zeros(len(tree.chunks), np.int64), read, trial.chosen.way, trial.used)
    assert sum(len(f.stored) for f in made) == pytest.approx(trial.chosen.size, rel=0.1)
    small = try_ways(tree, order, read, USUAL, CLOCK, Bounds(frame=1))
    assert {t.way.frame for t in small.table if t.allowed} == {1}
    with refuses("delivery.no-way"):
        try_ways(tree, order, read, USUAL, CLOCK, Bounds(seconds=0))


def test_a_filter_is_tried_though_there_is_little_for_it(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for number in range(8):
        (folder / f"data/day-{number}.txt").write_bytes(words(1_000_000, number))
    for bound in ("SAMPLE", "LEAST_SAMPLE"):
        monkeypatch.setattr(f"rampa.core.content.layout.trial.{bound}", MIB)
    tree, read = scanned(folder)
    trial = try_ways(tree, order_of(tree, read), read, read_audience("500:1"), CLOCK)
    assert {chosen.kind for chosen, _ in trial.filters} == {CODE, SOUND}


CODECS = [(ZSTD, 3, 0.4, 1e-8, 1e-9), (ZSTD, 19, 0.3, 4e-7, 2e-9), (LZMA2, 6, 0.27, 3e-7, 1.2e-8)]
GAINS = [(1, 1.05), (8, 1.0), (32, 0.99)]


def best(audience: str, frame: int = 32, seconds: float = 1e9) -> Tried:
    return choose(table_of(1_000_000_000, CODECS, GAINS, read_audience(audience), frame, seconds))


def test_the_way_is_what_brings_the_audience_there_soonest() -> None:
    assert str(best("50:1").way) == "lzma2 6, frames of 32 MiB"
    assert best("2000:1").way.level == 3
    assert best("300:1").way == Way(ZSTD, 19, 32)
    assert best("50:1:0.2").way == Way(ZSTD, 19, 32), "a processor of a fifth of the speed is what they wait for"
    assert best("50:1", frame=8).way == Way(LZMA2, 6, 8)
    assert best("50:1", seconds=100).way == Way(ZSTD, 3, 32)
    mixed = best("50:99,2000:1")
    assert mixed.waits == pytest.approx(0.99 * 0.27 * 0.99e9 * 8 / 50e6 + 0.01 * 12, rel=1e-6)


@pytest.mark.parametrize(
    "text", ["", "50", "50:0", "0:1", "50:1:0", "a:b", "50:1,", "1e9:1", "50:-1", ",".join(["5:1"] * 41)]
)
def test_an_audience_that_is_none(text: str) -> None:
    with refuses("audience.unclear") as caught:
        read_audience(text)
    assert "{" not in caught.value.message


def tree_of(*names: str) -> Tree:
    from rampa.core.content.tree.tree import Chunk, FileEntry

    chunk = {n: Chunk(bytes([ord(n)]) * 32, 1) for n in names}
    return Tree(FileEntry(n, 1, False, chunk[n].digest, [chunk[n]]) for n in sorted(names))


def test_only_what_is_always_taken_together_shares_frames() -> None:
    depots = {"base": tree_of("a", "s"), "more": tree_of("b"), "en": tree_of("e", "s"), "fi": tree_of("f")}
    selectors = {"base": Selector(), "more": Selector(), "en": Selector(language="en"), "fi": Selector(language="fi")}
    whole = tree_of(*"abefs")
    groups = groups_of(whole, depots, together(selectors, []), frozenset())
    found = dict(zip("abefs", groups.numbers.tolist(), strict=True))
    assert found["a"] == found["b"]
    assert len({found[n] for n in "aefs"}) == 4
    real = [frozenset({"base", "more", "en", "fi"}), frozenset({"base", "en", "fi"})]
    found = dict(
        zip("abefs", groups_of(whole, depots, together(selectors, real), frozenset()).numbers.tolist(), strict=True)
    )
    assert found["a"] == found["e"] == found["f"] != found["b"]


def test_a_depot_with_a_key_of_its_own_is_apart() -> None:
    depots = {"base": tree_of("a", "s"), "secret": tree_of("b", "s", "t"), "other": tree_of("c", "t")}
    selectors = dict.fromkeys(depots, Selector())
    groups = groups_of(tree_of(*"abcst"), depots, together(selectors, []), frozenset({"secret", "other"}))
    found = {n: groups.apart[g] for n, g in zip("abcst", groups.numbers.tolist(), strict=True)}
    assert found == {"a": "", "b": "secret", "c": "other", "s": "", "t": "secret"}
    assert groups.numbers[0] == groups.numbers[3], "what lies open anyhow is with the rest that does"


@given(st.integers(1, 5), st.lists(st.integers(0, 3), min_size=6, max_size=6))
def test_any_limit_and_groups_give_every_chunk_once(limit: int, groups: list[int]) -> None:
    tree = tree_of(*"abcdef")
    order = order_of(tree, lambda *_: b"")
    plans = list(plan_frames(tree, order, np.array(groups), limit, frozenset()))
    assert sorted(c.digest for p in plans for c in p.chunks) == sorted(tree.chunks.digests)
    assert all(0 < p.size <= limit for p in plans)
    assert all(replace(p).group == groups[tree.chunks.digests.find(c.digest)] for p in plans for c in p.chunks)
