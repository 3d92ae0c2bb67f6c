"""What a new file comes from is found by content where all its chunks changed, and its name with them."""

from __future__ import annotations

import random
from collections.abc import Mapping
from pathlib import Path

import numpy as np
from blake3 import blake3
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.patch.resemblance import LEAST, MOST, find_resembling, resemblance, sketch
from rampa.core.content.tree.tree import FileEntry
from rampa.core.install.install import Installation
from tests.core.install.test_install import Shop, device, installed
from tests.samples import noise

__all__ = ["device"]


def shifted(data: bytes, seed: int, share: float) -> bytes:
    """That share of all words changed, all over: no chunk stays as it was."""
    luck = np.random.default_rng(seed)
    words = np.frombuffer(data, "<u4").copy()
    words[luck.random(len(words)) < share] += np.uint32(0x40)
    return words.tobytes()


def entries(contents: Mapping[str, bytes]) -> list[FileEntry]:
    return [FileEntry(path, len(c), False, blake3(c).digest(), ()) for path, c in contents.items()]


def found(old: Mapping[str, bytes], new: Mapping[str, bytes]) -> dict[str, str]:
    def reader(contents: Mapping[str, bytes]):  # type: ignore[no-untyped-def]
        return lambda path, offset, size: contents[path][offset : offset + size]

    return {
        path: file.path for path, file in find_resembling(entries(new), entries(old), reader(new), reader(old)).items()
    }


def named(contents: list[bytes], ending: str = "bundle") -> dict[str, bytes]:
    """After their content, as many engines do."""
    return {f"assets/{blake3(c).hexdigest()[:16]}.{ending}": c for c in contents}


def test_files_that_are_named_after_their_content_are_found_again() -> None:
    sizes = [5_000, 60_000, 200_000, 500_000]
    before = [noise(size, n) for n, size in enumerate(sizes)]
    # A little more at the beginning, so that nothing lies where it lay, and a tenth of all words changed.
    after = [b"fog " * 50 + shifted(c, 7, 0.1) for c in before]
    old, new = named(before), named([*after[::-1], noise(90_000, 99)])
    came_from = dict(zip(named(after), old, strict=True))
    assert found(old, new) == came_from


def test_what_all_files_have_makes_none_of_them_alike() -> None:
    head = noise(3_000, 1) + bytes(40_000)
    old = named([head + noise(50_000, n) for n in range(2, 60)])
    assert found(old, named([head + noise(50_000, 99)])) == {}


def test_only_files_of_one_ending_and_of_some_size_are_looked_into() -> None:
    content = noise(50_000, 1)
    assert found(named([content], "one"), named([shifted(content, 2, 0.01)], "two")) == {}
    small = noise(LEAST - 4, 1)
    assert found(named([small]), named([shifted(small, 2, 0.01)])) == {}


def test_many_files_are_bounded_by_the_largest() -> None:
    luck = random.Random(3)
    before = [luck.randbytes(LEAST + 8 * n) for n in range(MOST + 20)]
    after = [shifted(c, 5, 0.02) for c in before]
    old, new = named(before), named(after)
    assert found(old, new) == dict(list(zip(new, old, strict=True))[20:])


@given(st.binary(max_size=3_000), st.binary(max_size=3_000))
def test_resemblance_is_a_share_that_is_the_same_both_ways(a: bytes, b: bytes) -> None:
    one, other = sketch([a]), sketch([b])
    assert 0 <= resemblance(one, other) == resemblance(other, one) <= 1
    assert resemblance(one, one) == (1 if len(one) else 0)
    assert sketch([a, a]).tolist() == one.tolist()


def test_an_update_to_a_renamed_bundle_is_a_difference(device: Installation, tmp_path: Path) -> None:
    shop, content = Shop(), noise(600_000, 1)
    trees = []
    for name, version in (("old", content), ("new", shifted(content, 2, 0.05))):
        [(path, data)] = named([version]).items()
        (tmp_path / name / "bin").mkdir(parents=True)
        (tmp_path / name / "bin/peatlight").write_bytes(b"start")
        (tmp_path / name / "assets").mkdir()
        (tmp_path / name / path).write_bytes(data)
        trees.append(shop.take(tmp_path / name))
    installed(device, shop, trees[0])
    made = shop.prepare(trees[0], trees[1], (tmp_path / "old", tmp_path / "new"))
    assert [getattr(place.old[0], "path", None) for place in made.places] == [trees[0].files.paths[0]]
    shop.sent = 0
    installed(device, shop, trees[1], 2)
    assert device.verify() == []
    assert shop.sent < len(content) / 20
