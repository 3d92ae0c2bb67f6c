"""Checks of submissions: each rule of the table, and the studio's own in their small form."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.bundle.frameworks import Framework, frameworks_in, older
from rampa.core.check.studio_rule import Ruled, StudioRule, apply_rules, proposed, read_rule, rule_text
from rampa.core.check.submission import (
    KnownThere,
    SubmittedBundle,
    check_code,
    check_frameworks,
    check_permissions,
    check_purpose,
    check_size,
)
from rampa.core.submission.asks import ELSEWHERE, MOSSGATE
from tests.refusals import refuses

MIST = frameworks_in(
    ["bin/peatlight", "lib/libmist-1.4.so", "lib/libmist.so.2.0", "Frameworks/fog-lamp-2.1.framework/fog"]
)
THERE = KnownThere("mossgate", "Mossgate", 12)
LINE = st.text(
    st.characters(min_codepoint=32, max_codepoint=0x2FFF, exclude_characters="\x7f"), min_size=1, max_size=40
)


def made(**more: object) -> SubmittedBundle:
    return SubmittedBundle(**{"size": 1_000, "version_code": 13, "purpose": "release", **more})  # type: ignore[arg-type]


def test_frameworks_are_found_by_the_names_of_files() -> None:
    assert [(f.name, f.version) for f in MIST] == [("fog-lamp", "2.1"), ("mist", "1.4"), ("mist", "2.0")]
    assert [older("1.9", "2.0"), older("2", "2.0"), older("2.0.1", "2.0"), older("1.10", "1.9")] == [
        True,
        False,
        False,
        False,
    ]


def test_each_rule_of_the_table() -> None:
    good = made(
        permissions={"camera": "To show your own bog."}, frameworks=tuple(f for f in MIST if f.version != "1.4")
    )
    checks = (check_code(good, THERE), check_size(good, MOSSGATE), check_permissions(good, MOSSGATE))
    assert [f for found in (*checks, check_frameworks(good, MOSSGATE), check_purpose(good)) for f in found] == []
    bad = made(
        size=10**9, version_code=12, purpose="testing", grant=3, debuggable=True, permissions={"camera": "Fun.", "location": " "},
        frameworks=tuple(MIST),
    )  # fmt: skip
    checks = (check_code(bad, THERE), check_size(bad, MOSSGATE), check_permissions(bad, MOSSGATE))
    found = [f for some in (*checks, check_frameworks(bad, MOSSGATE), check_purpose(bad)) for f in some]
    assert {f.code: f.message for f in reversed(found)} == {
        "submission.code": "version code 12 is not above 12, the highest that Mossgate has seen",
        "submission.size": "the bundle has 1,000 MB, and 900 MB are taken",
        "submission.permission-reason": "the reason why it asks for camera has 4 of 12 characters",
        "submission.framework": "mist 1.4 is inside, and 2.0 or newer is taken",
        "submission.purpose": "it was built for testing, and players get what was built for release",
        "submission.grant": "it is signed for the devices of grant 3 alone",
        "submission.debuggable": "it lets anybody look into its memory: it is debuggable",
    }
    assert list(check_frameworks(bad, ELSEWHERE)) == []


RULES = {
    "files": '[drafts]\nsays = "a draft"\nfiles = ["*.draft.*"]\n',
    "holds": '[private]\nsays = "it must not ship"\nseverity = "warning"\nfiles = ["*.txt"]\nholds = ["DO NOT SHIP"]\n',
    "permission": '[eyes]\nsays = "no camera"\npermission = "camera"\nstorefronts = ["mossgate"]\n',
    "framework": '[mist]\nsays = "old fog"\nframework = "mist"\nolder_than = "2.0"\n',
}
RULED = Ruled(
    ("data/a.draft.txt", "notes/read.txt"),
    frozenset({"camera"}),
    tuple(MIST),
    lambda path: b"please do not ship this" if path.startswith("notes") else b"",
)


def test_the_studios_own_rules_find_files_words_permissions_and_frameworks() -> None:
    rules = [read_rule(text) for text in RULES.values()]
    assert [rule_text(rule) for rule in rules] == list(RULES.values())
    found = list(apply_rules(rules, "mossgate", RULED))
    assert [(f.severity, f.code, f.where) for f in found] == [
        ("blocker", "studio.drafts", "data/a.draft.txt"),
        ("warning", "studio.private", "notes/read.txt"),
        ("blocker", "studio.eyes", "permission camera"),
        ("blocker", "studio.mist", "lib/libmist-1.4.so"),
    ]
    assert "studio.eyes" not in {f.code for f in apply_rules(rules, "northquay", RULED)}


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("[a\n", "rule.toml"),
        ("", "rule.one"),
        ("[a]\nsays='x'\nfiles=['b']\n[c]\n", "rule.one"),
        ("[A_b]\nsays='x'\nfiles=['b']\n", "rule.name"),
        ("[a]\nsays='x'\nfiles=['b']\nfile='c'\n", "rule.key"),
        ("[a]\nsays='x'\n", "rule.looks"),
        ("[a]\nsays='x'\nfiles=['b']\npermission='camera'\n", "rule.looks"),
        ("[a]\nfiles=['b']\n", "rule.says"),
        ("[a]\nsays='x'\nfiles=['b']\nseverity='bad'\n", "rule.severity"),
        ("[a]\nsays='x'\npermission='p'\nholds=['b']\n", "rule.holds"),
        ("[a]\nsays='x'\nframework='mist'\n", "rule.framework"),
        ("[a]\nsays='x'\nframework='mist'\nolder_than='two'\n", "rule.version"),
        ("[a]\nsays=7\nfiles=['b']\n", "rule.value"),
        ("[a]\nsays='x'\nfiles='b'\n", "rule.value"),
        ("[a]\nsays='x'\nfiles=['b','[z-a]']\n", "pattern.invalid"),
        ("#" * 20_000, "rule.long"),
    ],
)
def test_a_rule_that_is_none_is_refused_with_what_is_wrong(text: str, code: str) -> None:
    with refuses(code):
        read_rule(text)


@given(LINE.filter(str.strip), LINE, st.lists(LINE, max_size=3))
def test_what_is_written_is_read_back(says: str, hint: str, holds: list[str]) -> None:
    rule = StudioRule("a-rule", says, "note", hint, ("northquay",), ("*.txt",), tuple(holds))
    assert read_rule(rule_text(rule)) == rule


@pytest.mark.parametrize("path", ["data/todo.txt", "data/what[1].txt", "data/a*b.txt", "data/!odd#.txt"])
def test_a_rule_made_of_what_a_storefront_found_finds_it(path: str) -> None:
    rule = proposed(
        "Unfinished name!", "the name says so", f"peatlight-1.4.0/{path}", "northquay", [path, "data/other.txt"]
    )
    ruled = Ruled((path, "data/other.txt"), frozenset(), (), lambda _: b"")
    assert [f.where for f in apply_rules([read_rule(rule_text(rule))], "northquay", ruled)] == [path]


def test_a_finding_that_names_nothing_makes_no_rule() -> None:
    assert proposed("9", "x", "permission camera", "mossgate", []).permission == "camera"
    with refuses("rule.no-place"):
        proposed("a", "b", "the whole of it", "mossgate", ["bin/peatlight"])


def test_a_framework_is_said_once() -> None:
    assert frameworks_in(["a/libmist-1.4.so", "b/libmist-1.4.so"]) == [Framework("mist", "1.4", "a/libmist-1.4.so")]
