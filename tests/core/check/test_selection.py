"""What shows on the files of a selection before anything is made of them, and on a bundle of any kind."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

import pytest
from demo.lantern_export.programs import stand_in

from rampa.core.bundle.sources import BytesSource
from rampa.core.bundle.verdicts import BROKEN, HOLDS
from rampa.core.check.bundle import check_bundle, inspect_bundle, verify_bundle
from rampa.core.check.findings import Finding, blocks, in_order
from rampa.core.check.package import ExpectedPackage
from rampa.core.check.selection import check_selection
from rampa.core.content.select.selection import ContentRules, Pattern, select
from rampa.core.profile.document import read_document
from rampa.core.profile.resolved import ResolvedProfile, resolve
from rampa.core.signing.cms import sign_detached
from tests.core.bundle.test_hostile import FILE, tar
from tests.packages import NOW, apk_files, make_identity, plain_zip
from tests.samples import DOCUMENT

ALL = ContentRules((Pattern("*", "all"),), ())
PROGRAM = b"#!/bin/sh\n"


def profile(more: str = "", name: str = "linux-release") -> ResolvedProfile:
    text = DOCUMENT.replace('launch.entry = "bin/peatlight"\n', f'launch.entry = "bin/peatlight"\n{more}', 1)
    return resolve(read_document(text.encode()), name)


def checked(
    root: Path, files: Mapping[str, bytes], chosen: ResolvedProfile, executable: tuple[str, ...] = ()
) -> list[Finding]:
    for path, data in files.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_bytes(data)
        (root / path).chmod(0o755 if path in executable else 0o644)
    return check_selection(select(root, ALL), chosen)


def test_a_launch_entry_is_there_and_can_be_started(tmp_path: Path) -> None:
    files = {"bin/peatlight": PROGRAM}
    assert checked(tmp_path, files, profile(), ("bin/peatlight",)) == []
    (told,) = checked(tmp_path, files, profile())
    assert (told.severity, told.code, told.where) == ("blocker", "launch.not-executable", "bin/peatlight")
    assert told.message == "the launch entry bin/peatlight is not executable"
    assert "chmod +x bin/peatlight" in told.hint
    windows = checked(tmp_path, files | {"bin/peatlight.cmd": b"@echo\r\n"}, profile(name="windows-release"))
    assert windows == [], "no bit says there what can be started"


def test_every_architecture_s_entry_counts(tmp_path: Path) -> None:
    entries = 'launch.entries = { arm64 = "bin/peatlight-arm", x86_64 = "bin/peatlight" }\n'
    told = checked(tmp_path, {"bin/peatlight": PROGRAM}, profile(entries), ("bin/peatlight",))
    assert [(f.severity, f.code, f.where, f.message) for f in told] == [
        ("blocker", "launch.missing", "bin/peatlight-arm", "the launch entry bin/peatlight-arm does not go in")
    ]
    assert "launch.entry, content.include" in told[0].hint


def test_units_are_files_or_folders_that_go_in(tmp_path: Path) -> None:
    files = {"bin/peatlight": PROGRAM, "maps/kiln-yard.heights": b"1", "fog/thick/a": b"2"}
    units = 'content.units = ["maps/kiln-yard.heights", "fog/", "fog/thick", "fog/thi", "maps/alder-halt.heights"]\n'
    told = checked(tmp_path, files, profile(units), ("bin/peatlight",))
    assert [(f.code, f.where) for f in told] == [
        ("content.unit-missing", "fog/thi"),
        ("content.unit-missing", "maps/alder-halt.heights"),
    ]
    assert {(f.severity, f.hint) for f in told} == {("blocker", "Export it, or take it out.")}


def test_blockers_come_before_warnings_and_stop() -> None:
    note, warning, blocker = (Finding(s, "b.code", "m", "w", "h") for s in ("note", "warning", "blocker"))
    first = replace(blocker, code="a.code")
    assert in_order([note, warning, blocker, first]) == [first, blocker, warning, note]
    assert blocks([warning, blocker])
    assert not blocks([warning, note])
    assert not blocks([])


def summed(files: Mapping[str, bytes], top: str = "peatlight/") -> dict[str, bytes]:
    lines = "".join(f"{hashlib.sha256(data).hexdigest()}  {name}\n" for name, data in sorted(files.items()))
    return {top + "SHA256SUMS": lines.encode()} | {top + name: data for name, data in files.items()}


GOOD = summed({"bin/peatlight": PROGRAM, "data/bog.arc": b"bog" * 5000})
WRONG = GOOD | {"peatlight/data/bog.arc": b"fog" * 5000}


def as_tar(files: Mapping[str, bytes]) -> bytes:
    return tar(*((name, FILE, data.decode()) for name, data in files.items()))


@pytest.mark.parametrize("made", [plain_zip, as_tar])
def test_a_desktop_bundle_s_checksums_hold_or_say_which_does_not(made) -> None:  # type: ignore[no-untyped-def]
    seen, sums = verify_bundle(BytesSource(made(GOOD)), None)
    assert (sums, seen.schemes) == (2, ())
    seen, sums = verify_bundle(BytesSource(made(WRONG)), None)
    (told,) = seen.schemes
    assert (sums, told.name, told.state) == (None, "checksums", BROKEN)
    assert "bog.arc" in told.where + told.why


@pytest.mark.parametrize("made", [plain_zip, as_tar])
def test_a_detached_signature_is_of_these_bytes(made) -> None:  # type: ignore[no-untyped-def]
    data, who = made(GOOD), make_identity()
    beside = sign_detached(hashlib.sha256(data).digest(), who, NOW)
    told: list[int] = []
    seen, _ = verify_bundle(BytesSource(data), beside, told.append)
    (scheme,) = seen.schemes
    assert (scheme.name, scheme.state, scheme.signers[0].fingerprint) == ("cms", HOLDS, who.fingerprint)
    assert sum(told) >= len(data), "every byte of it was looked at"
    other = made(GOOD | {"peatlight/more": b"x"})
    seen, _ = verify_bundle(BytesSource(other), beside)
    assert [s.state for s in seen.schemes if s.name == "cms"] == [BROKEN]
    seen, _ = verify_bundle(BytesSource(data), b"no signature")
    assert [(s.name, s.state) for s in seen.schemes] == [("cms", BROKEN)]
    assert seen.schemes[0].why


def test_any_kind_is_looked_into_and_only_packages_are_checked() -> None:
    apk, desktop = plain_zip(apk_files(debuggable=True)), as_tar(GOOD)
    assert inspect_bundle(BytesSource(apk)).facts.kind == "apk"
    assert inspect_bundle(BytesSource(desktop)).facts.kind == "tar.zst"
    assert inspect_bundle(BytesSource(plain_zip(GOOD)), largest=1).facts.kind == "zip"
    assert "bundle.debuggable" in {f.code for f in check_bundle(BytesSource(apk), ExpectedPackage())}
    assert check_bundle(BytesSource(desktop), ExpectedPackage(identifier="example.other")) == []


def test_libraries_that_nobody_brings_are_one_warning_each(tmp_path: Path) -> None:
    program = stand_in("elf", ["x86_64"])
    files = {"bin/peatlight": PROGRAM, "lib/libpeatlight.so": program}
    told = [f for f in checked(tmp_path, files, profile(), ("bin/peatlight",)) if f.code == "content.library-missing"]
    assert all(f.severity == "warning" and "content.provided_libraries" in f.hint for f in told)
    assert len({f.message for f in told}) == len(told)
