"""Depots that take a folder from one place of the source and deliver it to another."""

from __future__ import annotations

import pytest

from rampa.core.content.depots.depots import DepotRule, split
from rampa.core.content.tree.tree import FileEntry, LinkEntry, Tree
from tests.refusals import refuses

PATHS = ("bin/peatlight", "linux/lib/libfog.so.3", "linux/notes.txt", "zeal/a")


def moved(from_: str, to: str, *links: LinkEntry) -> tuple[Tree, list[str]]:
    files = [FileEntry(path, 0, False, bytes(32), ()) for path in PATHS]
    trees, undelivered = split(Tree(files, links), (DepotRule("base", ("*",), (), from_=from_, to=to),))
    return trees["base"], undelivered


@pytest.mark.parametrize(
    ("from_", "to", "delivered"),
    [
        ("", "", list(PATHS)),
        ("linux", "", ["lib/libfog.so.3", "notes.txt"]),
        ("linux", "a/b", ["a/b/lib/libfog.so.3", "a/b/notes.txt"]),
        ("", "m", [f"m/{path}" for path in PATHS]),
        ("linux/lib", "zz", ["zz/libfog.so.3"]),
    ],
)
def test_what_lies_below_one_folder_is_delivered_below_another(from_: str, to: str, delivered: list[str]) -> None:
    tree, undelivered = moved(from_, to)
    assert list(tree.files.paths) == delivered
    assert undelivered == [path for path in PATHS if not path.startswith(from_)]


def test_links_move_with_their_folder_and_stay_in_the_build() -> None:
    link = LinkEntry("linux/lib/libfog.so", "libfog.so.3")
    assert moved("linux", "a", link)[0].links == (LinkEntry("a/lib/libfog.so", "libfog.so.3"),)
    out = LinkEntry("linux/lib/notes", "../notes.txt")
    assert moved("linux", "", out)[0].links == (LinkEntry("lib/notes", "../notes.txt"),)
    with refuses("link.outside", where="notes"):
        moved("linux/lib", "", out)
