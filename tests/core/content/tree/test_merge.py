"""Trees put together: what several depots make, and what no tree may hold."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.tree.merge import check_tree, joined, merge
from rampa.core.content.tree.tree import Chunk, FileEntry, LinkEntry, Tree, TreeBuilder
from rampa.core.errors import Damaged

CHUNKS = [Chunk(bytes([number]) * 32, 10 + number) for number in range(6)]
PATHS = [f"data/{folder}/{name}.pak" for folder in ("alder", "bog") for name in ("day", "dusk", "night")]


def file(path: str, *chunks: int, rule: str = "", executable: bool = False) -> FileEntry:
    uses = tuple(CHUNKS[number] for number in chunks)
    return FileEntry(path, sum(c.size for c in uses), executable, bytes([len(path)]) * 32, uses, rule)


def tree(*files: FileEntry, links: tuple[LinkEntry, ...] = ()) -> Tree:
    return TreeBuilder(files).tree(links)


FILES = st.dictionaries(st.sampled_from(PATHS), st.lists(st.integers(0, 5), max_size=5), max_size=6)


@given(FILES, st.data())
def test_depots_make_together_what_one_tree_of_all_files_is(files: dict[str, list[int]], data: st.DataObject) -> None:
    entries = [file(path, *uses) for path, uses in files.items()]
    depots: list[list[FileEntry]] = [[], [], []]
    for entry in entries:
        depots[data.draw(st.integers(0, 2))].append(entry)
    together = merge(tree(*depot) for depot in depots)
    assert together == tree(*entries)
    assert list(together.files) == sorted(entries, key=lambda e: e.path)
    # A chunk that two depots hold stands once.
    used = {chunk.digest for entry in entries for chunk in entry.chunks}
    assert sorted(c.digest for c in together.chunks) == sorted(used)


def test_what_is_said_of_a_file_stays_with_it() -> None:
    options = file("options.ini", 1, rule="keep")
    program = file("bin/peatlight", 0, 2, executable=True)
    together = merge([tree(options, file("zone.pak", 2)), tree(program)])
    assert list(together.files) == [program, options, file("zone.pak", 2)]
    assert together.files.find("options.ini") == options
    assert together.size == options.size + program.size + CHUNKS[2].size


def test_links_of_all_depots_are_there_in_order() -> None:
    later, first = LinkEntry("lib/newest", "peat.so"), LinkEntry("bin/start", "peatlight")
    together = merge([tree(file("a.pak", 0), links=(later,)), tree(file("b.pak", 1), links=(first,))])
    assert together.links == (first, later)


def test_no_depot_and_an_empty_depot_make_an_empty_tree() -> None:
    assert merge([]) == merge([tree()]) == merge([tree(), tree()]) == Tree()
    assert len(joined([])) == 0


@pytest.mark.parametrize(
    ("depots", "message", "where"),
    [
        ([tree(file("a.pak", 0)), tree(file("a.pak", 0))], "one stands twice", ""),
        ([tree(links=(LinkEntry("a", "b"),)), tree(links=(LinkEntry("a", "c"),))], "one stands twice", ""),
        ([tree(file("a", 0)), tree(links=(LinkEntry("a", "b"),))], "both a file and a link", "a"),
        ([tree(file("a", 0)), tree(file("a/b/c.pak", 0))], "below a file or a link", "a"),
        ([tree(links=(LinkEntry("a/b", "z"),)), tree(file("a/b/c/d.pak", 0))], "below a file or a link", "a/b"),
        ([tree(file("a", 0)), tree(links=(LinkEntry("a/b", "z"),))], "below a file or a link", "a"),
        ([tree(links=(LinkEntry("m", "z"), LinkEntry("m/n", "y")))], "below a file or a link", "m"),
    ],
)
def test_depots_that_cannot_lie_in_one_folder_are_refused(depots: list[Tree], message: str, where: str) -> None:
    with pytest.raises(Damaged, match=message) as caught:
        merge(depots)
    assert (caught.value.code, caught.value.where) == ("tree.damaged", where)


def test_a_tree_that_is_not_sorted_is_refused() -> None:
    unsorted = Tree((file("b.pak", 0), file("a.pak", 1)))
    with pytest.raises(Damaged, match="not sorted"):
        check_tree(unsorted)
    with pytest.raises(Damaged, match="not sorted"):
        check_tree(Tree((), (LinkEntry("b", "x"), LinkEntry("a", "x"))))
    good = tree(*unsorted.files)
    assert check_tree(good) is good


def test_neighbours_in_name_are_not_below_one_another() -> None:
    """`data-more` sorts between `data` and `data/x`, and lies in neither."""
    names = ("data-more", "data.pak", "data/x", "datax/y")
    assert [f.path for f in merge([tree(file(n, 0)) for n in names]).files] == sorted(names)
