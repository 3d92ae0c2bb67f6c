"""Proposing a document: what is in a folder is read, every line says why, hostile names do no harm."""

from __future__ import annotations

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.profile.document import read_document
from rampa.core.profile.file_probe import Seen, find_languages, pictures, programs
from rampa.core.profile.proposal import propose


def elf(machine: int) -> bytes:
    return b"\x7fELF\x02\x01\x01" + b"\0" * 9 + struct.pack("<HH", 2, machine)


def pe(machine: int) -> bytes:
    return b"MZ" + b"\0" * 58 + struct.pack("<I", 64) + b"PE\0\0" + struct.pack("<H", machine)


def picture(width: int, height: int) -> bytes:
    return b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" + struct.pack(">II", width, height)


@pytest.mark.parametrize(
    ("seen", "expected"),
    [
        (Seen("a", 1, elf(0x3E)), ("linux", "x86_64")),
        (Seen("a", 1, elf(0xB7)), ("linux", "arm64")),
        (Seen("a.exe", 1, pe(0x8664)), ("windows", "x86_64")),
        (Seen("a.exe", 1, pe(0xAA64)), ("windows", "arm64")),
        (Seen("a", 1, b"\xcf\xfa\xed\xfe" + struct.pack("<I", 0x0100000C)), ("macos", "arm64")),
        (Seen("a", 1, b"#!/bin/sh\n", True), ("linux", "")),
        (Seen("a.cmd", 1, b"@echo"), ("windows", "")),
    ],
)
def test_executables_are_known_by_their_headers(seen: Seen, expected: tuple[str, str]) -> None:
    (found,) = programs([seen])
    assert (found.platform, found.architecture) == expected


@pytest.mark.parametrize("head", [b"", b"MZ", b"MZ" + b"\xff" * 62, b"\x7fELF", b"\xcf\xfa\xed\xfe", b"#!"])
def test_cut_off_headers_are_no_executables(head: bytes) -> None:
    assert programs([Seen("a", 1, head)]) == []


FOLDER = [
    Seen("peatlight.exe", 900_000, pe(0x8664)),
    Seen("crash-reporter.exe", 90_000, pe(0x8664)),
    Seen("bog.dll", 90_000, pe(0x8664)),
    Seen("linux/peatlight", 900_000, elf(0x3E), True),
    Seen("VERSION", 6, b"2.1.0\n"),
    Seen("data/bog.arc", 2_000_000_000),
    Seen("locale/en.json", 10),
    Seen("locale/fi.json", 10),
    Seen("locale/es.json", 10),
    Seen("extras/winter-timetable/snow.bin", 10),
    Seen("art/icon.png", 10, picture(2048, 2048)),
    Seen("art/start.png", 10, picture(1920, 1080)),
    Seen("textures/fog.png", 10, picture(4096, 4096)),
    Seen("peatlight.pdb", 10),
]


def test_a_folder_becomes_a_document_that_reads() -> None:
    made = propose("peatlight-2.1.0", FOLDER, studio="Quillback Works", domain="quillback.example")
    read = read_document(made.text.encode())
    assert read.title("title.name") == "Peatlight"
    assert read.title("title.identifier") == "example.quillback.peatlight"
    assert read.title("version.name") == "2.1.0"
    windows, linux = read.profiles["windows-release"], read.profiles["linux-release"]
    assert windows.get("launch.entry") == "peatlight.exe"
    assert linux.get("launch.entry") == "linux/peatlight"
    assert linux.get("code.architectures") == ("x86_64",)
    assert linux.get("content.languages") == ("en", "es", "fi")
    assert linux.get("content.language_files") == "locale/{language}.json"
    assert linux.get("pictures.icon") == "art/icon.png"
    assert linux.get("pictures.opening") == "art/start.png"
    assert linux.get("content.leave_out_classes") == ("symbols",)
    assert [d.addon for d in read.depots] == ["", "Winter Timetable"]
    assert "data/bog.arc (2000 MB)" in made.text
    assert all(why for _, why in made.reasons)


def test_an_empty_folder_says_what_is_missing() -> None:
    made = propose("", [])
    assert read_document(made.text.encode()).profiles
    assert "Nothing was found that can be started: correct this." in made.text


def test_pictures_and_languages_that_are_none() -> None:
    assert pictures([Seen("textures/deep/fog.png", 1, picture(2048, 2048))]) == (None, None)
    assert find_languages([Seen("it/works.txt", 1), Seen("data/at.bin", 1)]) is None


NAMES = st.text(min_size=1, max_size=20)


@given(NAMES, st.lists(st.tuples(NAMES, st.binary(max_size=80), st.booleans()), max_size=8), NAMES)
def test_whatever_the_names_the_proposal_is_a_document(
    folder: str, files: list[tuple[str, bytes, bool]], studio: str
) -> None:
    seen = [Seen(path, len(head), head, executable) for path, head, executable in files]
    text = propose(folder, seen, studio=studio.strip() if studio.isprintable() else "").text
    assert read_document(text.encode("utf-8", "replace")).profiles
