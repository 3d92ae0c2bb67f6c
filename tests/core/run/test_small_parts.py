"""Abilities, lines of logs, triggers, baked content, native digests, expectations, causes, retention: by examples."""

from __future__ import annotations

import datetime as dt
import hashlib
import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.build.retention import Policy, RetentionCandidate, sort_out
from rampa.core.content.tree.comparison import by_weight, compare, folder_sizes
from rampa.core.content.tree.tree import FileEntry, Tree
from rampa.core.profile.document import read_document
from rampa.core.run import baked, causes, expectation, log_lines, triggers
from rampa.core.run.abilities import (
    Abilities,
    Isolation,
    Toolchain,
    WantedAbilities,
    choose,
    lacks,
    nearest_agent,
    toolchain_lacks,
)
from rampa.core.run.native import native_digest
from tests.refusals import refuses
from tests.samples import DOCUMENT

NOW = dt.datetime(2026, 11, 23, 14, 0, tzinfo=dt.UTC)
TERMS = "lantern-export studio terms 2026"
WANTED = WantedAbilities("linux", "lantern-export", ">=3.2,<4", TERMS)


def able(*chains: Toolchain, platforms: tuple[str, ...] = (), disk: int = 10**10) -> Abilities:
    return Abilities(platforms, chains, 8, 10**10, disk, isolation=Isolation.SANDBOX)


@pytest.mark.parametrize(
    ("abilities", "said"),
    [
        (able(Toolchain("lantern-export", "3.3.0", (TERMS,))), []),
        (able(), ["has no lantern-export"]),
        (able(Toolchain("lantern-export", "3.1.9", (TERMS,))), ["has lantern-export 3.1.9, and >=3.2,<4 is wanted"]),
        (able(Toolchain("lantern-export", "3.3.0")), [f"has not accepted the licence “{TERMS}”"]),
        (
            able(Toolchain("lantern-export", "3.3.0", (TERMS,), ("windows",))),
            ["has a lantern-export that does not export for linux"],
        ),
        (able(Toolchain("lantern-export", "3.3.0", (TERMS,)), platforms=("windows",)), ["is not there for linux"]),
        (able(Toolchain("lantern-export", "3.1.9"), Toolchain("lantern-export", "3.4.0", (TERMS,))), []),
        (
            able(Toolchain("lantern-export", "nightly", (TERMS,))),
            ["has lantern-export nightly, and >=3.2,<4 is wanted"],
        ),
    ],
)
def test_what_an_agent_lacks(abilities: Abilities, said: list[str]) -> None:
    assert lacks(WANTED, abilities) == said


def test_what_lacks_says_which_cause_it_is() -> None:
    old = Toolchain("lantern-export", "3.1.9")
    assert [lack.code for lack in toolchain_lacks(WANTED, [old])] == ["toolchain.licence", "toolchain.version"]
    assert [lack.code for lack in toolchain_lacks(WANTED, [])] == ["toolchain.missing"]


def test_the_newest_fitting_toolchain_and_the_nearest_agent() -> None:
    both = able(Toolchain("lantern-export", "3.4.0", (TERMS,)), Toolchain("lantern-export", "3.10.0", (TERMS,)))
    assert choose(WANTED, both.toolchains).version == "3.10.0"  # type: ignore[union-attr]
    agents = [("yard", able()), ("kiln", able(Toolchain("lantern-export", "3.1", ()))), ("loft", able(disk=5))]
    wanted = WantedAbilities("linux", "lantern-export", ">=3.2", "", disk=10)
    assert nearest_agent(wanted, agents) == ("kiln", ["has lantern-export 3.1, and >=3.2 is wanted"])
    assert nearest_agent(wanted, []) is None


@pytest.mark.parametrize(
    ("line", "level"),
    [
        ("src/fog.c:7:31: error: 'lanterns' undeclared", "error"),
        ("src/fog.c:7:12: warning: implicit declaration [-Wimplicit]", "warning"),
        ("ERROR: no such picture", "error"),
        ("error[E0425]: cannot find value", "error"),
        ("Traceback (most recent call last):", "error"),
        ("ValueError: nothing here", "error"),
        ("warning: texts/fi.toml: one line fewer", "warning"),
        ("[WARN] slow disk", "warning"),
        ("0 errors, 0 warnings", ""),
        ("No errors found: all is well", ""),
        ("the error rate is low", ""),
        ("copying error_screen.png", ""),
        ("terror: a night on the bog", ""),
    ],
)
def test_levels_of_lines(line: str, level: str) -> None:
    assert log_lines.level_of(line) == level


def test_lines_that_say_the_same_are_of_one_kind() -> None:
    kinds = {
        log_lines.kind_of(line)
        for line in (
            "warning: art/kiln-yard.png: 500 x 250 is no power of two",
            "warning: art/deep/owl.png: 1920 x 1080 is no power of two",
            "warning: C:\\art\\owl.png: 3 x 3 is no power of two",
        )
    }
    assert len(kinds) == 1
    assert log_lines.kind_of("error: “hurry” is missing") == log_lines.kind_of("error: “slow” is missing")
    assert log_lines.kind_of("error: a") != log_lines.kind_of("error: b")


@given(st.text(max_size=300))
def test_a_cleaned_line_is_one_printable_line(text: str) -> None:
    out = log_lines.clean(text.replace("\n", " "))
    assert "\n" not in out
    assert "\x1b" not in out
    assert "\0" not in out
    assert log_lines.clean("50%\r100%\r\n") == "100%"
    assert log_lines.clean("\x1b[31merror\x1b[0m: red") == "error: red"
    assert "more)" in log_lines.clean("x" * 10_000)


def test_a_signed_call() -> None:
    with refuses("call.secret"):
        triggers.secret_bytes("a")
    secret = triggers.secret_bytes(triggers.new_secret(bytes(range(32))))
    assert secret == bytes(range(32))
    time, body = str(int(NOW.timestamp())), b'{"of": "main"}'
    signature = triggers.call_signature(secret, time, body)
    triggers.check_call(secret, time, signature, body, NOW)
    for wrong in ((secret, time, signature, b"{}"), (b"x" * 32, time, signature, body), (secret, "1", signature, body)):
        with refuses("call.signature"):
            triggers.check_call(*wrong, NOW)
    with refuses("call.old", "too old"):
        triggers.check_call(secret, time, signature, body, NOW + dt.timedelta(minutes=6))
    with refuses("call.time"):
        triggers.check_call(secret, "now", signature, body, NOW)


def test_baked_content_that_is_older_than_its_source(tmp_path: Path) -> None:
    source, out = tmp_path / "source", tmp_path / "out"
    (source / "art").mkdir(parents=True)
    out.mkdir()
    (source / "art/owl.png").write_bytes(b"owl")
    digest = hashlib.sha256(b"owl").hexdigest()
    entry = {"path": "textures/owl.ktx2", "quality": "full", "sources": {"art/owl.png": digest, "art/gone.png": digest}}
    record = {"format": baked.FORMAT, "version": 1, "files": [entry]}
    (out / baked.NAME).write_text(json.dumps(record))
    read = baked.read_record(out)
    assert baked.find_stale(read, source) == [baked.Stale("textures/owl.ktx2", "art/gone.png", gone=True)]
    (source / "art/owl.png").write_bytes(b"another owl")
    assert [s.gone for s in baked.find_stale(read, source)] == [False, True]
    assert baked.read_record(source) == []


@pytest.mark.parametrize(
    "text",
    ["", "[]", "{}", '{"format": "rampa-baked", "version": 2, "files": []}',
     '{"format": "rampa-baked", "version": 1, "files": [{"path": "../x", "quality": "full", "sources": {}}]}',
     '{"format": "rampa-baked", "version": 1, "files": [{"path": "x", "quality": "best", "sources": {}}]}',
     '{"format": "rampa-baked", "version": 1, "files": [{"path": "x", "quality": "full", "sources": {"/etc/passwd": ""}}]}',
     "[" * 100_000],
)  # fmt: skip
def test_a_record_that_cannot_be_read_is_said_to_be_damaged(text: str, tmp_path: Path) -> None:
    (tmp_path / baked.NAME).write_text(text)
    with refuses("baked.damaged"):
        baked.read_record(tmp_path)


def test_the_native_digest_changes_with_sources_and_settings_and_nothing_else() -> None:
    def digest(text: str, files: list[tuple[str, str]]) -> str:
        return native_digest(read_document(text.encode()).profiles["linux-release"], files)

    files = [("src/fog.c", "1"), ("art/owl.png", "2")]
    before = digest(DOCUMENT, files)
    assert digest(DOCUMENT, [("art/owl.png", "3"), ("src/fog.c", "1")]) == before
    assert digest(DOCUMENT.replace('name = "1.4.0"', 'name = "9.9.9"'), files) == before
    assert digest(DOCUMENT, [("src/fog.c", "4"), ("art/owl.png", "2")]) != before
    changed = DOCUMENT.replace(
        'code.architectures = ["x86_64"]', 'code.architectures = ["x86_64"]\ncode.symbols = "none"', 1
    )
    assert digest(changed, files) != before


def test_expected_time_is_the_median_and_what_is_left_never_negative() -> None:
    known = expectation.expect({"fetch": [1, 1, 900], "export": [60, 80], "never": []})
    assert known.steps == {"fetch": 1, "export": 70}
    assert known.total(["fetch", "export", "sign"]) == 71
    assert known.left(["fetch", "export", "sign"], 1, 30) == 40
    assert known.left(["fetch", "export", "sign"], 1, 300) == 0
    assert known.left(["fetch", "export", "sign"], 2, 1) is None
    assert expectation.expect({}).total(["fetch"]) is None


def test_every_cause_is_a_sentence_with_a_fix() -> None:
    for code in causes.TABLE:
        cause = causes.cause_of(code, step="export", agent="kiln-1", detail="exit code 1.")
        assert cause.sentence[0].isupper()
        assert "{" not in cause.sentence + cause.fix
        assert cause.fix
    assert causes.seen_in(["cc1: error", "write: No space left on device", "make: stop"]) == "disk.full"
    assert causes.seen_in(["MemoryError"]) == "memory.out"
    assert causes.seen_in(["the licence “x” was not accepted on this machine"]) == "toolchain.licence"
    assert causes.seen_in(["exit"]) == ""


def test_retention_keeps_what_anybody_relies_on() -> None:
    def old(number: int, profile: str = "a", days: int = 100, **more: bool) -> RetentionCandidate:
        return RetentionCandidate(
            number, profile, NOW - dt.timedelta(days=days), more.get("pinned", False), more.get("placed", False)
        )

    builds = [old(1), old(2, pinned=True), old(3, placed=True), old(4), old(5, "b"), old(6, days=1), old(7)]
    assert sort_out(builds, Policy(1, 30), NOW) == ([1, 4], {2: "it is pinned", 3: "it was placed on a channel"})
    assert sort_out(builds, Policy(0, 0), NOW) == ([], {})
    assert sort_out(builds, Policy(99, 0), NOW) == ([], {})


def test_two_trees() -> None:
    def entry(path: str, size: int, mark: bytes) -> FileEntry:
        return FileEntry(path, size, False, mark * 32, ())

    before = Tree((entry("a/x", 5, b"1"), entry("b", 7, b"2"), entry("d", 3, b"5")), ())
    after = Tree((entry("a/x", 6, b"3"), entry("c/d", 3, b"5"), entry("c/y", 9, b"4")), ())
    changes = by_weight(compare(before, after))
    assert [(c.kind, c.path, c.old_path, c.old_size, c.new_size) for c in changes] == [
        ("added", "c/y", "", 0, 9), ("removed", "b", "b", 7, 0), ("changed", "a/x", "a/x", 5, 6), ("moved", "c/d", "d", 3, 3),
    ]  # fmt: skip
    assert folder_sizes(before) == {"a": 5, ".": 10}
