"""Selecting and reading folders: what goes in, what stays out and why, and what folders can do to us."""

from __future__ import annotations

import os
import socket
import threading
import time
from pathlib import Path

import pytest
from blake3 import blake3
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.depots.depots import DepotRule, split
from rampa.core.content.pack.shared_frames import places
from rampa.core.content.pack.writer import make_packs
from rampa.core.content.scan import buffers, files
from rampa.core.content.scan.files import read_tree
from rampa.core.content.scan.folder_index import FolderIndex
from rampa.core.content.select.selection import ContentRules, Pattern, class_patterns, select
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.paths import check_link, path_problem
from rampa.core.errors import Invalid
from tests.refusals import refuses
from tests.samples import make_folder, noise

ALL = ContentRules((Pattern("*", "all"),), ())


def rules(include: list[str], leave_out: list[str] | None = None) -> ContentRules:
    own = [Pattern(s, f"leave out {s}", "rampa.toml:9") for s in leave_out or []]
    return ContentRules(
        tuple(Pattern(i, i) for i in include), tuple([*class_patterns({"symbols": "rampa.toml:8"}), *own])
    )


def test_what_goes_in_and_what_stays_out_and_why(tmp_path: Path) -> None:
    make_folder(tmp_path, 1000)
    (tmp_path / ".git").mkdir()
    (tmp_path / ".git/config").write_text("x")
    (tmp_path / "data/build.key").write_text("secret")
    found = select(tmp_path, rules(["bin/", "data/", "locale/"], ["*.draft.*"]))
    assert [f.path for f in found.files] == [
        "bin/peatlight", "bin/peatlight.cmd", "data/bog.arc", "data/empty.bin", "locale/en.json", "locale/fi.json",
    ]  # fmt: skip
    assert {(o.path, o.why, o.origin) for o in found.left_out} == {
        (".git/config", "version control", "always"),
        ("bin/peatlight.sym", "symbols", "rampa.toml:8"),
        ("data/build.key", "secret", "always"),
        ("locale/new.draft.json", "leave out *.draft.*", "rampa.toml:9"),
        ("notes.txt", "no include rule matches", ""),
        ("rampa.toml", "no include rule matches", ""),
    }
    assert [f.path for f in found.files if f.executable] == ["bin/peatlight"]


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda d: os.mkfifo(d / "pipe"), "pipe: it is a named pipe"),
        (lambda d: socket.socket(socket.AF_UNIX).bind(str(d / "sock")), "sock: it is a socket"),
        (lambda d: (d / "out").symlink_to("../outside"), "out: the link points outside the folder"),
        (lambda d: (d / "abs").symlink_to("/etc/passwd"), "abs: the link points outside the folder"),
        (lambda d: (d / "gone").symlink_to("nothing.txt"), "gone: it links to nothing.txt, which does not go in"),
        (lambda d: open(os.fsencode(d) + b"/caf\xe9", "w").close(), "its name is not UTF-8"),
        (lambda d: (d / "a\nb").write_text("x"), "it holds a control character"),
        (lambda d: (d / "a\\b").write_text("x"), "it holds a backslash"),
    ],
)
def test_what_cannot_be_delivered_is_named(tmp_path: Path, make, says: str) -> None:  # type: ignore[no-untyped-def]
    (tmp_path / "good.txt").write_text("x")
    (tmp_path / "bad.txt").symlink_to("/")
    make(tmp_path)
    with refuses("folder.problems") as caught:
        select(tmp_path, ALL)
    assert says in caught.value.message
    assert caught.value.message.startswith("2 of the folder's files"), "all problems come together"


def test_links_inside_stay_links(tmp_path: Path) -> None:
    (tmp_path / "lib").mkdir()
    (tmp_path / "lib/a.so.1").write_text("x")
    (tmp_path / "lib/a.so").symlink_to("a.so.1")
    (tmp_path / "current").symlink_to("lib")
    assert select(tmp_path, ALL).links == (("current", "lib"), ("lib/a.so", "a.so.1"))


def test_two_names_that_read_the_same(tmp_path: Path) -> None:
    (tmp_path / "\u00e9.txt").write_text("composed")
    (tmp_path / "e\u0301.txt").write_text("decomposed")
    with refuses("folder.problems", "reads the same"):
        select(tmp_path, ALL)


def test_missing_empty_and_wrong_folders(tmp_path: Path) -> None:
    with refuses("folder.missing", "no folder"):
        select(tmp_path / "none", ALL)
    (tmp_path / "file").write_text("x")
    with refuses("folder.missing"):
        select(tmp_path / "file", ALL)
    with refuses("folder.empty", "nothing in this folder goes in"):
        select(tmp_path, rules(["nothing/"]))


@given(st.text(max_size=40))
def test_a_path_that_passes_stays_inside(text: str) -> None:
    if not path_problem(text):
        assert not os.path.isabs(text)
        assert not os.path.normpath(text).startswith("..")
        assert os.path.normpath("/root/" + text) == "/root/" + text


@given(st.lists(st.sampled_from(["a", "..", ".", "", "b"]), min_size=1, max_size=6), st.integers(0, 3))
def test_a_link_that_passes_stays_inside(parts: list[str], depth: int) -> None:
    path = "/".join(["d"] * depth + ["link"])
    target = "/".join(parts)
    try:
        check_link(path, target)
    except Invalid:
        return
    goal = os.path.normpath(os.path.join("/root", os.path.dirname(path), target))
    assert goal == "/root" or goal.startswith("/root/")


def test_digests_are_those_of_the_content(tmp_path: Path) -> None:
    big = noise(11_000_000)
    for name, data in {"big": big, "none": b"", "small": b"wagon"}.items():
        (tmp_path / name).write_bytes(data)
    tree = read_tree(select(tmp_path, ALL))
    by_path = {f.path: f for f in tree.files}
    assert by_path["big"].digest == blake3(big).digest()
    at = 0
    for chunk in by_path["big"].chunks:
        assert chunk.digest == blake3(big[at : at + chunk.size]).digest()
        at += chunk.size
    assert by_path["none"].chunks == ()
    assert read_tree(select(tmp_path, ALL), workers=1) == tree


def test_large_and_small_reading_cut_alike(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_bytes(noise(3_000_000))
    whole = read_tree(select(tmp_path, ALL))
    monkeypatch.setattr(files, "SEGMENT", 100_000)
    monkeypatch.setattr(buffers, "SEGMENT", 100_000)
    assert read_tree(select(tmp_path, ALL)) == whole


def test_a_file_that_keeps_changing_is_named(tmp_path: Path) -> None:
    busy = tmp_path / "bake.bin"
    busy.write_bytes(noise(9_000_000))
    found = select(tmp_path, ALL)
    ended = threading.Event()

    def write() -> None:
        while not ended.is_set():
            with busy.open("r+b") as out:
                out.write(os.urandom(8))
            time.sleep(0.0005)

    writer = threading.Thread(target=write)
    writer.start()
    try:
        with refuses("file.changed", "changes while it is read") as caught:
            read_tree(found)
    finally:
        ended.set()
        writer.join()
    assert caught.value.where == "bake.bin"


def test_a_file_that_changed_before_packing_is_named(tmp_path: Path) -> None:
    file = tmp_path / "bog.arc"
    file.write_bytes(noise(200_000))
    tree = read_tree(select(tmp_path, ALL))
    file.write_bytes(noise(200_000, 2))
    with refuses("file.changed", "changed after it was read"):
        list(make_packs({"bog.arc": file}, places(tree)))


def test_an_unreadable_file_is_named(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "locked.bin").write_text("x")
    found = select(tmp_path, ALL)
    real = os.open

    def refuse(path, flags, *more, **named):  # type: ignore[no-untyped-def]
        if str(path).endswith("locked.bin"):
            raise PermissionError(13, "Permission denied")
        return real(path, flags, *more, **named)

    monkeypatch.setattr("rampa.core.content.scan.files.os.open", refuse)
    with refuses("file.unreadable", "cannot be read \\(Permission denied\\)") as caught:
        read_tree(found)
    assert caught.value.where == "locked.bin"


def test_a_large_file_that_becomes_shorter_is_read_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    content = bytes(30_000_000)  # nothing to cut at: what is left over is as long as it can be
    (tmp_path / "bog.arc").write_bytes(content)
    found = select(tmp_path, ALL)
    real = buffers.Segments.read

    def read(self: buffers.Segments, fd: int, at: int, size: int) -> buffers.Buffer:
        if at and (tmp_path / "bog.arc").stat().st_size == len(content):
            os.truncate(tmp_path / "bog.arc", 4_500_000)
        return real(self, fd, at, size)

    monkeypatch.setattr(buffers.Segments, "read", read)
    (file,) = read_tree(found).files
    assert (file.size, file.digest) == (4_500_000, blake3(content[:4_500_000]).digest())


def test_the_folder_index_knows_what_did_not_change(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder, file = tmp_path / "title", tmp_path / "x.index"
    make_folder(folder, 100_000)
    later = time.time_ns() + 10**9
    index = FolderIndex(file, DEFAULT, later)
    first = read_tree(select(folder, ALL), index=index)
    read = []
    real = files._steady
    monkeypatch.setattr(files, "_steady", lambda root, f, how: read.append(f.path) or real(root, f, how))
    assert read_tree(select(folder, ALL), index=FolderIndex(file, DEFAULT, later)) == first
    assert read == []
    (folder / "locale/en.json").write_bytes(b"changed")
    again = read_tree(select(folder, ALL), index=FolderIndex(file, DEFAULT, later))
    assert read == ["locale/en.json"]
    assert again != first
    file.write_bytes(b"damaged")
    assert read_tree(select(folder, ALL), index=FolderIndex(file, DEFAULT, later)) == again


def test_the_folder_index_does_not_trust_what_was_just_written(tmp_path: Path) -> None:
    (tmp_path / "title").mkdir()
    (tmp_path / "title/fresh").write_text("x")
    index = FolderIndex(tmp_path / "i", DEFAULT, time.time_ns())
    read_tree(select(tmp_path / "title", ALL), index=index)
    assert index.look_up(select(tmp_path / "title", ALL).files[0]) is None


def test_depots_take_what_their_rules_say(tmp_path: Path) -> None:
    make_folder(tmp_path, 1000)
    tree = read_tree(select(tmp_path, rules(["bin/", "data/", "locale/"])))
    depots = (DepotRule("base", ("*",), ("locale/", "data/empty.bin")), DepotRule("fi", ("locale/fi.json",), ()))
    trees, undelivered = split(tree, depots)
    assert [f.path for f in trees["fi"].files] == ["locale/fi.json"]
    assert sorted(undelivered) == ["data/empty.bin", "locale/en.json", "locale/new.draft.json"]
    assert {f.path for f in trees["base"].files} == {"bin/peatlight", "bin/peatlight.cmd", "data/bog.arc"}
