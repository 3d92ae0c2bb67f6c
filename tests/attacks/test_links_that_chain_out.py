"""Symbolic links that stay inside, each by itself, and lead out together: `a/top` is the root, and `a/top/..` is above it."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.bundle.desktop import unpack
from rampa.core.bundle.sources import BytesSource
from rampa.core.content.manifest import manifest
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.select.selection import ContentRules, Pattern, select
from rampa.core.content.tree.links import HOPS, leading_out
from rampa.core.content.tree.merge import check_tree
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.paths import check_link
from rampa.core.content.tree.tree import LinkEntry, Tree
from tests.core.bundle.test_hostile import FILE, LINK, tar
from tests.refusals import refuses

CHAIN = {"a/b/c/top": "../../..", "out": "a/b/c/top/.."}
CHAINS = [
    (CHAIN, ["out"]),
    ({"a/top": "..", "b/top": "../a/top/a/top", "out": "b/top/../secret"}, ["out"]),
    ({"here": "here"}, ["here"]),
    ({"a": "b", "b": "c", "c": "a"}, ["a", "b", "c"]),
    ({"lib/fog.so": "fog.so.3", "fog": "lib/fog.so", "up/lib": "../lib"}, []),
    ({f"l{n}": f"l{n + 1}" for n in range(HOPS)} | {f"l{HOPS}": "end"}, []),
    ({f"l{n}": f"l{n + 1}" for n in range(HOPS + 1)} | {f"l{HOPS + 1}": "end"}, ["l0"]),
]


def links_of(chain: dict[str, str]) -> list[LinkEntry]:
    return [LinkEntry(path, target) for path, target in sorted(chain.items())]


@pytest.mark.parametrize(("chain", "out"), CHAINS)
def test_each_is_followed_through_the_others(chain: dict[str, str], out: list[str]) -> None:
    for path, target in chain.items():
        assert check_link(path, target) == target, "by itself it stays"
    assert list(leading_out(chain)) == out
    tree = Tree((), links_of(chain))
    if out:
        with refuses("tree.link"):
            check_tree(tree)
    else:
        assert check_tree(tree) == tree


def test_a_device_installs_no_such_build() -> None:
    with refuses("tree.link", where="out"):
        manifest.decode(manifest.encode(Manifest("base", Tree((), links_of(CHAIN)), DEFAULT)))


def test_a_bundle_is_not_unpacked_with_them(tmp_path: Path) -> None:
    bundle = tar(("t/fog", FILE, "x"), *((path, LINK, target) for path, target in CHAIN.items()))
    with refuses("link.chain", where="out"):
        unpack(BytesSource(bundle), tmp_path / "folder")
    assert not any(path.is_symlink() for path in (tmp_path / "folder").rglob("*"))


def test_a_folder_with_them_is_not_selected(tmp_path: Path) -> None:
    (tmp_path / "a/b/c").mkdir(parents=True)
    (tmp_path / "fog").write_text("x")
    for path, target in CHAIN.items():
        (tmp_path / path).symlink_to(target)
    with refuses("folder.problems", "out: through other links"):
        select(tmp_path, ContentRules((Pattern("*", "all"),), ()))


names = st.sampled_from(["a", "b", "c", "..", "a/b", "b/c/a"])
chains = st.dictionaries(
    st.sampled_from(["a", "b/c", "c/a/b", "c/b"]), st.lists(names, min_size=1, max_size=4).map("/".join), max_size=4
)


@given(chains)
def test_what_is_let_through_stays_inside_on_a_real_disk(
    tmp_path_factory: pytest.TempPathFactory, chain: dict[str, str]
) -> None:
    if any(leading_out(chain)):
        return
    root = tmp_path_factory.mktemp("tree")
    for path, target in chain.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).symlink_to(target)
    for path in chain:
        assert os.path.realpath(root / path).startswith(os.path.realpath(root))


def test_long_chains_of_long_chains_are_not_walked_for_minutes() -> None:
    long = "/".join(["x"] * 400)
    chain = {f"l{n:06}": f"{long}/../l{n + 1:06}" for n in range(20_000)}
    assert any(leading_out(chain))
