"""Version names: SemVer 2.0."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.version.forms import code_for_architecture, packed_code, unpacked
from rampa.core.version.name import bumped, free_name_problem, parse, version_name_problem
from tests.refusals import refuses

GOOD = ["0.0.0", "1.4.0", "10.20.30", "1.4.0-rc.2", "1.0.0-alpha.1.x-y", "1.0.0+build.5", "1.0.0-0A.is.legal"]
BAD = [
    "",
    "1",
    "1.4",
    "v1.4.0",
    "01.4.0",
    "1.4.0-",
    "1.4.0-01",
    "1.4.0 ",
    "1.4.0+",
    "1.4.0\n",
    "1.4.0-ä",
    "1." + "9" * 70 + ".0",
]


@pytest.mark.parametrize("name", GOOD)
def test_good_names(name: str) -> None:
    assert version_name_problem(name) == ""


@pytest.mark.parametrize("name", BAD)
def test_bad_names(name: str) -> None:
    assert "SemVer 2.0" in version_name_problem(name)


ORDER = [
    "1.0.0-alpha", "1.0.0-alpha.1", "1.0.0-alpha.beta", "1.0.0-beta", "1.0.0-beta.2", "1.0.0-beta.11", "1.0.0-rc.1",
    "1.0.0", "1.0.1", "1.1.0", "2.0.0",
]  # fmt: skip
"""As in SemVer 2.0.0, section 11."""


def test_names_are_ordered_as_semver_says() -> None:
    shuffled = sorted(reversed(ORDER), key=lambda n: parse(n).key)  # type: ignore[union-attr]
    assert shuffled == ORDER
    assert parse("1.0.0+a").key == parse("1.0.0+b").key  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("before", "part", "after"),
    [("1.4.0", "patch", "1.4.1"), ("1.4.0", "minor", "1.5.0"), ("1.4.2", "major", "2.0.0"), ("1.4.0-rc.2", "patch", "1.4.0"),
     ("1.4.0-rc.2", "stage", "1.4.0-rc.3")],
)  # fmt: skip
def test_bumping(before: str, part: str, after: str) -> None:
    assert bumped(before, part) == after


def test_what_cannot_be_bumped() -> None:
    for name, part in (("night", "minor"), ("1.4.0", "stage"), ("1.4.0-rc", "stage")):
        with pytest.raises(ValueError, match=name):
            bumped(name, part)


@given(st.integers(0, 99), st.integers(0, 99), st.integers(0, 99), st.sampled_from(["", "alpha.29", "beta.3", "rc.38"]))
def test_packed_codes_come_back(major: int, minor: int, patch: int, stage: str) -> None:
    name = f"{major}.{minor}.{patch}" + (f"-{stage}" if stage else "")
    if major + minor + patch or stage:
        assert unpacked(packed_code(name, 2**31 - 1)) == name


def test_packed_codes_order_as_names_do() -> None:
    names = [
        "1.0.0-alpha.0",
        "1.0.0-beta.1",
        "1.0.0-rc.1",
        "1.0.0-rc.2",
        "1.0.0",
        "1.0.1-alpha.1",
        "1.0.1",
        "1.1.0",
        "2.0.0",
    ]
    codes = [packed_code(n, 2**31 - 1) for n in names]
    assert codes == sorted(set(codes))


@pytest.mark.parametrize(
    ("name", "code", "says"),
    [
        ("1.100.0", "version.packed", "minor number 100 .* has no room"),
        ("1.0.100", "version.packed", "patch number"),
        ("1.0.0-rc.39", "version.packed", "rc.39 has no room"),
        ("1.0.0-night", "version.packed", "stage of 1.0.0-night cannot be packed"),
        ("2148.0.0", "version.exhausted", "above this platform's limit"),
        ("fog", "version.packed", "no SemVer name"),
        ("0.0.0-alpha.0", "version.packed", "packs to 0"),
    ],
)
def test_what_does_not_pack_is_said_early(name: str, code: str, says: str) -> None:
    with refuses(code, says):
        packed_code(name, 2**31 - 1)


@given(st.integers(1, 10_000))
def test_split_codes_never_collide(code: int) -> None:
    names = ["arm32", "x86", "arm64", "x86_64"]
    codes = {code_for_architecture(c, a) for c in (code, code + 1) for a in names}
    assert len(codes) == 8
    with refuses("version.exhausted", "no room for the architecture"):
        code_for_architecture(2**31 // 10, "arm64")


def test_free_names() -> None:
    assert free_name_problem("Night shift 3") == ""
    assert all(free_name_problem(n) for n in ("", "a/b", "ends.", "x" * 65, "bell\a"))
