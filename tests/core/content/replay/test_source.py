"""The folder that a build was made of, found again from what its depots deliver."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.depots.depots import DepotRule, split
from rampa.core.content.replay.source import source_tree
from rampa.core.content.tree.tree import FileEntry, LinkEntry, Tree

FOLDERS = ("", "data", "data/fine", "linux", "linux/lib")
PATHS = st.sets(st.sampled_from([f"{f}/{n}".strip("/") for f in FOLDERS for n in ("a.txt", "b.bank", "c")]), min_size=1)
RULES = st.lists(
    st.tuples(st.sampled_from(FOLDERS), st.sampled_from(("", "m", "m/n")), st.sampled_from(("*", "*.txt", "c"))),
    min_size=1,
    max_size=3,
)


@given(PATHS, RULES)
def test_what_any_depot_delivered_lies_where_it_lay(paths: set[str], said: list[tuple[str, str, str]]) -> None:
    tree = Tree([FileEntry(p, 0, p == "c", bytes(32), ()) for p in sorted(paths)])
    rules = tuple(DepotRule(f"d{n}", (only,), (), from_=f, to=t) for n, (f, t, only) in enumerate(said))
    depots, undelivered = split(tree, rules)
    found = source_tree(depots, rules)
    assert list(found.files.paths) == sorted(paths - set(undelivered))
    assert all(f.executable == (f.path == "c") for f in found.files)
    # Divided again by the same rules it is what was delivered.
    assert split(found, rules)[0] == depots


def test_links_come_back_with_their_folder() -> None:
    link = LinkEntry("linux/lib/libfog.so", "libfog.so.3")
    file = FileEntry("linux/lib/libfog.so.3", 0, False, bytes(32), ())
    rules = (DepotRule("base", ("*",), (), from_="linux", to="app"),)
    depots, _ = split(Tree([file], [link]), rules)
    assert depots["base"].links == (LinkEntry("app/lib/libfog.so", "libfog.so.3"),)
    assert source_tree(depots, rules).links == (link,)
