"""Which places bring what is missing: always all of it, never for more than any one kind of place alone."""

from __future__ import annotations

import itertools

import numpy as np
from blake3 import blake3
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.pack.places import ChunkPlaces, FramePlace
from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.patch.locations import Locations
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.tree import Chunk
from rampa.core.install.cheapest import PART, Supply, requests_for, supply
from tests.refusals import refuses

SMALL, LARGE, MADE = bytes(32), b"\1" * 32, b"\2" * 32
CHUNKS = [Chunk(blake3(bytes([n])).digest(), 1000) for n in range(24)]


def places(pack: bytes, frames: list[tuple[int, list[int]]]) -> ChunkPlaces:
    """Frames (stored bytes, chunks) one behind the other."""
    found, offset = {}, 0
    for stored, inside in frames:
        place = FramePlace(pack, offset, stored, 1000 * len(inside))
        found.update({CHUNKS[n].digest: (place, 1000 * i) for i, n in enumerate(inside)})
        offset += stored
    return ChunkPlaces.of(found)


def difference(stored: int, inside: list[int], offset: int) -> DifferencePlace:
    return DifferencePlace(MADE, offset, stored, bytes(32), (), tuple(CHUNKS[n] for n in inside))


def asked(wanted: list[int], locations: Locations) -> Supply:
    return supply(Digests.of(CHUNKS[n].digest for n in wanted), np.full(len(wanted), 1000), locations)


def brings(found: Supply, wanted: list[int]) -> list[int]:
    made = {c.digest for d in found.differences for c in d.new}
    there = [n for n in wanted if CHUNKS[n].digest in made]
    return sorted([*there, *(wanted[i] for t in found.frames for i in t.chunks.tolist())])


SMALL_FRAMES = [(400, list(range(n, n + 4))) for n in range(0, 24, 4)]
LARGE_FRAMES = [(900, list(range(12))), (900, list(range(12, 24)))]


def test_a_fresh_install_takes_large_frames_an_update_small_ones() -> None:
    both = Locations(places(SMALL, SMALL_FRAMES), delivery=places(LARGE, LARGE_FRAMES))
    fresh = asked(list(range(24)), both)
    assert (fresh.size, {t.frame.pack for t in fresh.frames}) == (1800, {LARGE})
    few = asked([3, 13], both)
    assert (few.size, {t.frame.pack for t in few.frames}) == (800, {SMALL})
    # Half of it: each large frame by itself is worth it or not.
    mixed = asked([*range(12), 13], both)
    assert (mixed.size, len(mixed.frames)) == (1300, 2)


def test_a_difference_is_taken_where_it_is_less_than_frames() -> None:
    frames = places(SMALL, SMALL_FRAMES)
    cheap = Locations(frames, (difference(50, [0, 1, 2, 3], 0),), 1)
    assert asked([0, 1, 2, 3, 4], cheap).size == 450
    # Its chunks come with a frame that is wanted anyhow.
    dear = Locations(frames, (difference(390, [0, 1], 0), difference(10, [4], 390)), 1)
    found = asked([0, 1, 2], dear)
    assert (found.size, found.differences) == (400, ())
    assert asked([4], dear).differences == dear.differences[1:]


def test_requests_have_a_price() -> None:
    apart = places(SMALL, SMALL_FRAMES)
    one = places(LARGE, [(1700, list(range(24)))])
    wanted = [0, 8, 16, 20]
    assert {t.frame.pack for t in asked(wanted, Locations(apart, delivery=one)).frames} == {SMALL}
    assert {t.frame.pack for t in asked(wanted, Locations(apart, delivery=one, price=100)).frames} == {LARGE}


def test_a_large_frame_comes_in_parts_and_neighbours_together() -> None:
    alone = [FramePlace(LARGE, 7, 2 * PART + 5, 9 * PART)]
    (request,) = requests_for(alone)
    assert request.parts == [(7, PART), (7 + PART, PART), (7 + 2 * PART, 5)]
    together = [FramePlace(SMALL, n * PART, PART, PART) for n in range(3)]
    (request,) = requests_for(together)
    assert request.parts == [(0, 3 * PART)]


def test_what_lies_nowhere_is_said() -> None:
    with refuses("content.missing"):
        asked([0, 5], Locations(places(SMALL, [(10, [0])]), delivery=places(LARGE, [(10, [1])])))


NUMBERS = st.lists(st.integers(0, 7), min_size=1, max_size=8, unique=True)
FRAMES = st.lists(st.tuples(st.integers(1, 2000), NUMBERS), max_size=4)


@given(FRAMES, FRAMES, NUMBERS, st.integers(0, 300))
def test_all_of_it_comes_for_no_more_than_from_one_kind(
    large: list[tuple[int, list[int]]], made: list[tuple[int, list[int]]], wanted: list[int], price: int
) -> None:
    small = [(300, [n, n + 1]) for n in range(0, 8, 2)]
    differences = tuple(difference(stored, inside, 5000 * i) for i, (stored, inside) in enumerate(made))
    every = Locations(places(SMALL, small), differences, 1, places(LARGE, large), price)
    found = asked(wanted, every)
    assert brings(found, wanted) == sorted(wanted)

    def cost(supplied: Supply) -> int:
        return supplied.size + price * (len(supplied.requests) + len(supplied.differences))

    assert cost(found) <= cost(asked(wanted, Locations(every.chunks, price=price)))
    again = asked(wanted, every)
    assert (again.requests, again.differences) == (found.requests, found.differences)
    if not made and price == 0:
        # The greedy cover's bound: the harmonic number of the most chunks that a frame has.
        assert found.size <= 2.72 * best(wanted, [*held(every.chunks), *held(every.delivery)])


def held(there: ChunkPlaces) -> list[tuple[int, list[int]]]:
    """What each frame has: of a chunk that is named twice, one place is known."""
    numbers = {c.digest: n for n, c in enumerate(CHUNKS)}
    frames: dict[FramePlace, list[int]] = {}
    for digest, (frame, _) in there.items():
        frames.setdefault(frame, []).append(numbers[digest])
    return [(frame.stored, inside) for frame, inside in frames.items()]


def best(wanted: list[int], frames: list[tuple[int, list[int]]]) -> int:
    """By trying all."""
    found = []
    for chosen in itertools.product((False, True), repeat=len(frames)):
        taken = [f for f, take in zip(frames, chosen, strict=True) if take]
        if set(wanted) <= {n for _, inside in taken for n in inside}:
            found.append(sum(stored for stored, _ in taken))
    return min(found)
