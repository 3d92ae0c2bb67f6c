"""The rules of platforms, storefronts and purposes, each broken once; what settings ask of one another."""

from __future__ import annotations

import pytest
from demo.peatlight.documents import EVERYWHERE

from rampa.core.check.profile import check_document, stops_a_build
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.document import read_document
from rampa.core.profile.edits import Edit, apply_edits


def broken(profile: str, **settings: object) -> list[tuple[str, str, str]]:
    """(severity, code, allowed) of what setting these keys in the profile adds."""
    edits = [Edit(("profiles", profile, *key.split("__")), value) for key, value in settings.items()]
    known = {f.name for f in check_document(read_document(EVERYWHERE.encode()))}
    found = check_document(read_document(apply_edits(EVERYWHERE, edits).encode()))
    return [(f.severity, f.code, f.allowed) for f in found if f.profile == profile and f.name not in known]


PLAIN = "one to three numbers separated by dots, and no stage"
CASES = [
    ("linux-release", "code__architectures", ["arm32"], ("blocker", "code.architecture-unknown", "x86_64, arm64, x86")),
    ("linux-release", "code__architectures", ["x86"], ("blocker", "code.only-64-bit", "anything but x86, arm32")),
    ("linux-release", "code__graphics", ["metal"], ("blocker", "code.graphics-unknown", "vulkan, opengl")),
    ("linux-release", "output__kind", "apk", ("blocker", "output.kind-unknown", "zip, tar.zst")),
    ("linux-release", "code__diagnostics", True, ("blocker", "code.diagnostics", "no")),
    ("linux-release", "code__symbols", "inside", ("blocker", "code.symbols-shipped", "split, none")),
    ("linux-release", "storefront", "mossgate", ("blocker", "profile.storefront", "none, northquay")),
    ("linux-release", "content__languages", ["fi"], ("warning", "content.language-missing", "a list with en")),
    (
        "linux-release",
        "content__encryption",
        True,
        ("blocker", "content.encryption-unread", "no, unless launch.reads_encrypted = true"),
    ),
    ("linux-release", "content__addons", ["Summer"], ("blocker", "content.addon-unknown", "Winter Timetable")),
    ("linux-release", "launch__entries", {"arm64": "bin/a"}, ("warning", "launch.architecture", "x86_64")),
    (
        "linux-release",
        "version__name",
        "1.4",
        ("blocker", "version.not-semver", 'a SemVer name, or version.form = "free"'),
    ),
    ("ios-release", "version__form", "free", ("blocker", "version.form-unknown", "semver")),
    ("ios-release", "version__name", "1.5.0-rc.1", ("blocker", "version.plain-numbers", PLAIN)),
    ("linux-release", "display__streamed", True, ("blocker", "display.touch-needed", "yes")),
    ("windows-release", "title__folder", "Con", ("blocker", "title.reserved-name", "another name")),
    ("windows-release", "system__minimum", "6.1", ("blocker", "system.minimum-level", "10.0 or above")),
    (
        "macos-release",
        "title__identifier",
        "example.quill_back.pl",
        ("blocker", "title.identifier-grammar", "lower-case letters, digits and hyphens, separated by dots"),
    ),
    ("android-release", "system__target", "26", ("blocker", "system.target-level", "27 or above")),
    ("android-release", "system__target", "20", ("blocker", "system.target-below", "28 or above")),
    (
        "android-release",
        "code__architectures",
        ["x86_64"],
        ("blocker", "code.architecture-missing", "a list with arm64"),
    ),
    (
        "android-release",
        "display__orientation",
        "any",
        ("warning", "display.orientation-not-set", "landscape, portrait"),
    ),
    ("android-release", "version__first_code", 2_147_000_000, ("blocker", "version.code-limit", "at most 2100000000")),
    ("ios-release", "code__ahead_of_time", False, ("blocker", "code.ahead-of-time-needed", "yes")),
    ("visor-release", "code__graphics", [], ("blocker", "code.graphics-not-set", "a graphics interface")),
    ("visor-release", "system__minimum", "43", ("blocker", "system.minimum-level", "44 or above")),
    ("visor-release", "display__window", "window", ("blocker", "display.window-mode", "fullscreen")),
    ("windows-development", "code__debug_helpers", False, ("warning", "code.not-debuggable", "yes")),
    ("android-release", "code__unused_code", "keep", ("warning", "code.unused-kept", "careful, thorough")),
]
CHANGED = [
    ('icon = "art/icon.png"\n', "", "linux-release", "pictures.icon-missing"),
    ('\nopening = "art/opening.png"\n', "\n", "linux-release", "pictures.opening-missing"),
    ('opening = "maps/alder-halt.heights"\n', "", "linux-release", "content.opening-not-set"),
    ('code = "counter"', 'code = "packed"\nform = "free"', "linux-release", "version.free-packed"),
    ('code = "counter"', 'code = "packed"\nper_architecture = true', "macos-release", "version.architectures"),
    ("system.permissions = { notifications", "system.permissions = { fog", "ios-release", "system.permission-unknown"),
    ('["standing-space"]', '["fog"]', "visor-release", "system.feature-unknown"),
    ('{ take = ["maps/signal', '{ take = ["maps/no-such', "ios-release", "list.take-missing"),
    ("[facets.headset]", "[facets.kiosk]\ndisplay.resizable = false\n\n[facets.headset]", "", "facet.unused"),
    ("[output]\n", '[output]\nbundle = "{title}-{version}"\n', "linux-testing", "output.same-name"),
]


@pytest.mark.parametrize(("profile", "key", "value", "expected"), CASES)
def test_a_broken_rule_is_found_with_what_is_allowed(
    profile: str, key: str, value: object, expected: tuple[str, str, str]
) -> None:
    assert expected in broken(profile, **{key: value})


@pytest.mark.parametrize(("said", "instead", "profile", "code"), CHANGED)
def test_what_a_document_leaves_out_or_says_wrongly_is_found(said: str, instead: str, profile: str, code: str) -> None:
    assert EVERYWHERE.count(said) >= 1
    found = check_document(read_document(EVERYWHERE.replace(said, instead, 1).encode()))
    assert (profile, code) in {(f.profile, f.code) for f in found}
    assert all(f.message and f.hint for f in found if f.code == code)


def test_a_release_without_an_identity_is_stopped() -> None:
    bare = "\n".join(line for line in EVERYWHERE.splitlines() if "identity = " not in line)
    found = check_document(read_document(bare.encode()))
    assert "signing.identity-missing" in {f.code for f in stops_a_build(found)}


def test_a_finding_names_key_origin_value_and_fix() -> None:
    text = EVERYWHERE.replace("display.touch_controls = true", "display.touch_controls = false")
    found = [f for f in check_document(read_document(text.encode())) if f.profile == "ios-release"]
    first = found[0]
    line = text[: text.index("display.touch_controls")].count("\n") + 1
    assert (first.key, first.origin.layer, first.origin.line, first.value) == (
        "display.touch_controls",
        "facet handheld",
        line,
        "no",
    )
    assert first.fix == (Edit(("facets", "handheld", "display", "touch_controls"), True),)
    assert "in [facets.handheld] set display.touch_controls = true" in first.hint


def test_a_fix_goes_to_the_facet_only_when_all_who_have_the_value_from_there_need_it() -> None:
    text = EVERYWHERE + '\n[system]\nminimum = "5"\n'
    found = [f for f in check_document(read_document(text.encode())) if f.key == "system.minimum"]
    assert {f.profile: f.fix[0] for f in found} == {
        name: Edit(("profiles", name, "system", "minimum"), level)
        for name, level in (("windows-release", "10.0"), ("windows-development", "10.0"), ("macos-release", "10.15"))
    }
    wrong = EVERYWHERE.replace('code.graphics = ["vulkan", "opengl"]', 'code.graphics = ["metal"]')
    found = [f for f in check_document(read_document(wrong.encode())) if f.key == "code.graphics"]
    assert {f.profile for f in found} == {"linux-release", "linux-testing"}
    assert {f.fix for f in found} == {(Edit(("facets", "desktop", "code", "graphics"), ("vulkan",)),)}


def test_notes_do_not_stop_a_build() -> None:
    found = check_document(read_document(EVERYWHERE.encode()))
    assert stops_a_build(found) == []
    text = EVERYWHERE.replace('name = "1.5.0"\ncode = "counter"', 'name = "1.500.0"\ncode = "packed"')
    assert {f.code for f in stops_a_build(check_document(read_document(text.encode())))} == {"version.unpackable"}
    encrypted = EVERYWHERE.replace("[content]\n", "[content]\nencryption = true\n")
    assert {f.code for f in stops_a_build(check_document(read_document(encrypted.encode())))} == {
        "content.encryption-unread"
    }
    encrypted = encrypted.replace("[launch]\n", "[launch]\nreads_encrypted = true\n")
    assert stops_a_build(check_document(read_document(encrypted.encode()))) == []


def test_the_table_of_platforms_is_whole() -> None:
    for platform in PLATFORMS.values():
        assert platform.containers
        assert platform.architectures
        assert max(i.size for i in platform.icons) >= 256
        assert platform.opening.form in ("png", "bmp")
    assert max(PLATFORMS["windows"].icons[0].holds) == 256
