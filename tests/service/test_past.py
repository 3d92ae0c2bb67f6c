"""What only past builds have is packed again: smaller, whole, and there for whoever wants it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import func, select

from rampa.client import Client
from rampa.core.content.layout.past import make_past, order_past
from rampa.core.content.pack.pack import decompress
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree
from rampa.db import PackRow
from rampa.operations.base import Services
from rampa.operations.content import visibility
from rampa.operations.store import collection, past
from rampa.store.port import ContentStore
from tests.conftest import Begun, World
from tests.samples import add_key, build, import_title, make_folder, noise
from tests.service.test_chains import NOW
from tests.service.test_player_packs import place, travels
from tests.service.test_updates import ENCRYPTED, TITLE, device, update

RELEASES = 5


def release_all(client: Client, services: Services, at: Path, last: int = RELEASES) -> None:
    """A few bytes change everywhere from each release to the next; one after the other is live for everybody, up to `last`."""
    folder = make_folder(at / "source", 60_000)
    story = noise(600_000, 7)
    for number in range(RELEASES):
        pieces = (story[at : at + 20_000] + bytes([number]) * 3 for at in range(0, len(story), 20_000))
        (folder / "data/story.arc").write_bytes(b"".join(pieces))
        build(client, folder, at / "state")
    for number in range(1, last + 1):
        place(client, number)
    visibility.settle(services)


@pytest.fixture
def releases(client: Client, begun: Begun, world: World, tmp_path: Path) -> World:
    def fill() -> None:
        add_key(client)
        import_title(client)
        release_all(client, world.services, tmp_path)

    begun(fill)
    return at_once(world)


def at_once(world: World) -> World:
    """Builds are past as soon as another one came, however little there is of them."""
    return replace(world, services=replace(world.services, layout=replace(world.services.layout, kept_days=0, past=1)))


def stored(world: World) -> int:
    """Bytes after a collection."""
    collection.collect(world.services, young=NOW, grace=NOW)
    collection.collect(world.services, young=NOW, grace=NOW)
    with world.services.db.transaction() as session:
        return int(session.scalar(select(func.coalesce(func.sum(PackRow.size), 0))) or 0)


def test_it_is_smaller_and_every_build_is_there(releases: World, client: Client, tmp_path: Path) -> None:
    before, newest = stored(releases), client.channels.preview(TITLE, "early", RELEASES).fresh
    assert past.lay_out_past(releases.services) > 0
    after = stored(releases)
    assert after < 0.8 * before
    usage = client.store.usage()
    assert 0 < usage.past < after
    assert past.lay_out_past(releases.services) == 0, "what is packed stays"
    for number in (1, 3, RELEASES):
        travels(client, tmp_path / f"fresh-{number}", 0, number)
    travels(client, tmp_path / "update", 1, RELEASES)
    # What is live does not share its frames with what only others have any more.
    fresh = client.channels.preview(TITLE, "early", RELEASES).fresh
    assert newest
    assert fresh
    assert fresh.download <= newest.download


def test_what_came_later_is_packed_with_what_was_there(client: Client, world: World, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    release_all(client, world.services, tmp_path, last=3)
    small = at_once(world)
    assert past.lay_out_past(small.services) == 1
    for number in (4, 5):
        place(client, number)
    visibility.settle(world.services)
    assert past.lay_out_past(small.services) == 1
    stored(small)
    with world.services.db.transaction() as session:
        assert session.scalar(select(func.count()).select_from(PackRow).where(PackRow.past)) == 1, "one pack of both"
    travels(client, tmp_path / "device", 2, 5)


def test_builds_that_somebody_may_want_are_left_alone(client: Client, world: World, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    release_all(client, world.services, tmp_path, last=0)
    everything = at_once(world)
    assert past.lay_out_past(everything.services) == 0, "nothing is live: any of them may be"
    place(client, 2)
    client.builds.pin(TITLE, 1, True)
    assert past.lay_out_past(everything.services) == 0, "one is pinned, the others are newer than what is live"
    place(client, 5)
    assert past.lay_out_past(world.services) == 0, "little came, and the second is watched for some days"
    assert past.lay_out_past(everything.services) > 0


def test_sealed_content_stays_as_it_is(client: Client, world: World, tmp_path: Path) -> None:
    add_key(client)
    import_title(client, ENCRYPTED)
    release_all(client, world.services, tmp_path)
    assert past.lay_out_past(at_once(world).services) == 0


class Failing:
    """A store whose disk is full after so many packs; `written`: the bytes of the last one lie there all the same."""

    def __init__(self, store: ContentStore, after: int, written: bool) -> None:
        self._store, self._left, self._written = store, after, written

    def __getattr__(self, name: str) -> object:
        return getattr(self._store, name)

    def put_pack(self, digest: bytes, pieces: Iterable[bytes], *more: object) -> int:
        if self._left == 0 and not self._written:
            raise OSError(28, "the disk is full")
        size = self._store.put_pack(digest, pieces, *more)  # type: ignore[arg-type]
        if self._left == 0:
            raise OSError(28, "the disk is full")
        self._left -= 1
        return size


@pytest.mark.parametrize(("after", "written"), [(0, False), (0, True), (1, False), (1, True)])
def test_a_disk_that_is_full_anywhere_loses_nothing(
    releases: World, client: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, after: int, written: bool
) -> None:
    monkeypatch.setattr("rampa.core.content.pack.pack.RAW_TARGET", 150_000)
    monkeypatch.setattr("rampa.core.content.layout.past.LONG_TARGET", 150_000)
    failing = replace(releases.services, store=Failing(releases.services.store, after, written))  # type: ignore[arg-type]
    with pytest.raises(OSError, match="full"):
        past.lay_out_past(failing)
    stored(releases)
    travels(client, tmp_path / "meanwhile", 0, 1)
    assert past.lay_out_past(releases.services) > 1
    stored(releases)
    for number in (1, RELEASES):
        travels(client, tmp_path / f"device-{number}", 0, number)


def test_a_kill_before_the_old_rows_go_leaves_copies(
    releases: World, client: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def killed(*_: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr(past, "_forget", killed)
        with pytest.raises(KeyboardInterrupt):
            past.lay_out_past(releases.services)
    travels(client, tmp_path / "meanwhile", 1, 4)
    before = stored(releases)
    assert past.lay_out_past(releases.services) > 0
    assert stored(releases) < before
    on = device(client, tmp_path / "device")
    update(client, on, 2)
    assert on.verify() == []


FRAME = 100_000
"""In place of 8 MiB: what is tested is the grouping."""
sizes = st.lists(st.integers(1, 3 * FRAME // 2), min_size=1, max_size=12)


@settings(max_examples=40)
@given(sizes, st.sets(st.integers(0, 11)))
def test_every_chunk_is_packed_once_in_frames_that_every_device_opens(lengths: list[int], wanted: set[int]) -> None:
    content = {n: bytes([n]) * size for n, size in enumerate(lengths)}
    chunks = [Chunk(bytes([n]) * 32, size) for n, size in enumerate(lengths)]
    file = FileEntry("data/bog.arc", sum(lengths), False, bytes(32), tuple(chunks))
    again = FileEntry("data/other.arc", lengths[0], False, bytes(32), (chunks[0],))
    chosen = {chunks[n].digest for n in wanted if n < len(chunks)}
    ordered = order_past([Tree((file, again)), Tree((again,))], chosen)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("rampa.core.content.layout.past.LONG_TARGET", FRAME)
        frames = list(make_past(ordered, lambda c: content[c.digest[0]], workers=1))
    packed = [c for f in frames for c in f.chunks]
    assert sorted(c.digest for c in packed) == sorted(chosen)
    for frame in frames:
        assert frame.raw <= FRAME or len(frame.chunks) == 1
        assert decompress(frame.stored, frame.raw) == b"".join(content[c.digest[0]] for c in frame.chunks)
