"""The pictures that a profile names, beside its document: there, of the studio's own folder, and fit for the platform."""

from __future__ import annotations

from pathlib import Path

import pytest
from demo.peatlight.documents import EVERYWHERE

from rampa.core.check.pictures import check_pictures
from rampa.core.check.profile_findings import ProfileFinding
from rampa.core.picture.source import MAX_BYTES
from rampa.core.profile.document import read_document
from tests.core.picture.test_pictures import png
from tests.refusals import refuses

ICON, OPENING = "art/icon.png", "art/opening.png"
GOOD = {ICON: png(1024, 1024), OPENING: png(1920, 1080)}


def checked(folder: Path, files: dict[str, bytes], *names: str, document: str = EVERYWHERE) -> list[ProfileFinding]:
    for path, data in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(data)
    profiles = read_document(document.encode()).profiles
    return check_pictures(folder, [profiles[name] for name in names])


def codes(found: list[ProfileFinding]) -> list[tuple[str, str, str, str]]:
    return [(f.severity, f.profile, f.key, f.code) for f in found]


def test_good_pictures_and_none_at_all_are_no_findings(tmp_path: Path) -> None:
    assert checked(tmp_path, GOOD, "linux-release", "ios-release", "windows-release") == []
    bare = EVERYWHERE.replace(f'icon = "{ICON}"\n', "").replace(f'opening = "{OPENING}"\n', "")
    assert checked(tmp_path, {}, "linux-release", document=bare) == []


def test_each_profile_is_told_of_each_picture(tmp_path: Path) -> None:
    """Also of links that lead out of the folder: a document comes from a repository."""
    outside = tmp_path.parent / "outside.png"
    outside.write_bytes(png(2000, 2000))
    (tmp_path / "art").mkdir()
    (tmp_path / OPENING).symlink_to(outside)
    found = checked(tmp_path, {ICON: b"GIF89a no"}, "linux-release", "ios-release")
    assert codes(found) == [
        ("blocker", profile, key, code)
        for profile in ("linux-release", "ios-release")
        for key, code in (("pictures.icon", "picture.unknown"), ("pictures.opening", "pictures.missing"))
    ]
    missing = found[1]
    assert (missing.message, missing.hint) == (
        f"there is no picture at {OPENING}",
        "Correct the path, or put the picture there.",
    )
    line = EVERYWHERE[: EVERYWHERE.index(f'opening = "{OPENING}"')].count("\n") + 1
    assert (missing.origin.line, missing.origin.layer, missing.value, missing.fix) == (line, "document", OPENING, ())


@pytest.mark.parametrize("path", ["art", "no/such.png"])
def test_only_files_of_the_folder_are_pictures(path: str, tmp_path: Path) -> None:
    document = EVERYWHERE.replace(f'icon = "{ICON}"', f'icon = "{path}"')
    found = checked(tmp_path, GOOD, "linux-release", document=document)
    assert codes(found) == [("blocker", "linux-release", "pictures.icon", "pictures.missing")]


@pytest.mark.parametrize("path", ["../outside.png", "/etc/hostname"])
def test_a_path_that_leads_out_is_refused_when_the_document_is_read(path: str) -> None:
    with refuses("document.invalid", path):
        read_document(EVERYWHERE.replace(f'icon = "{ICON}"', f'icon = "{path}"').encode())


def test_a_picture_is_as_large_as_it_may_be_and_no_larger(tmp_path: Path) -> None:
    for size, expected in ((MAX_BYTES, 0), (MAX_BYTES + 1, 1), (MAX_BYTES + 9, 1)):
        grown = GOOD[ICON] + bytes(size - len(GOOD[ICON]))
        found = checked(tmp_path, GOOD | {ICON: grown}, "linux-release")
        assert [f.code for f in found] == ["picture.too-large"] * expected


def test_a_picture_that_does_not_fit_is_said_for_the_platform(tmp_path: Path) -> None:
    small = checked(tmp_path, {ICON: png(300, 400), OPENING: png(640, 360)}, "linux-release")
    assert codes(small) == [
        ("blocker", "linux-release", "pictures.icon", "pictures.icon-small"),
        ("warning", "linux-release", "pictures.icon", "pictures.icon-not-square"),
        ("blocker", "linux-release", "pictures.opening", "pictures.opening-small"),
    ]
    assert "300 px" in small[0].message
    assert small[0].hint == "Draw it with 1024 px or more."


@pytest.mark.parametrize(("said", "severity"), [("", "warning"), ('icon_background = "#1f1b18"\n', "note")])
def test_who_says_what_stands_behind_a_transparent_icon_has_thought_of_it(
    said: str, severity: str, tmp_path: Path
) -> None:
    clear = GOOD | {ICON: png(1024, 1024, "RGBA", (9, 9, 9, 40))}
    lines = [line for line in EVERYWHERE.splitlines(keepends=True) if not line.startswith("icon_background")]
    document = "".join(lines).replace(f'icon = "{ICON}"\n', f'icon = "{ICON}"\n{said}')
    found = checked(tmp_path, clear, "ios-release", "linux-release", document=document)
    assert codes(found) == [(severity, "ios-release", "pictures.icon", "pictures.icon-transparent")]
