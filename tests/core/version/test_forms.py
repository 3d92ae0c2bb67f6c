"""Version codes at their edges: the last that fits, the first that does not, and the hint with its figure."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.errors import RampaError
from rampa.core.version.forms import ARCHITECTURES, code_for_architecture, packed_code, unpacked
from rampa.core.version.name import LONGEST, VersionName, bumped, free_name_problem, parse, version_name_problem

LIMIT = 2**31 - 1


@pytest.mark.parametrize(
    ("name", "code"),
    [
        ("0.0.0-alpha.1", 1),
        ("0.0.0-alpha.29", 29),
        ("0.0.0-beta.0", 30),
        ("0.0.0-beta", 30),
        ("0.0.0-beta.29", 59),
        ("0.0.0-rc.0", 60),
        ("0.0.0-rc.38", 98),
        ("0.0.0", 99),
        ("0.0.1", 199),
        ("0.99.99", 999_999),
        ("1.0.0", 1_000_099),
        ("2147.48.36-beta.17", LIMIT),
    ],
)
def test_the_layout_is_the_documented_one(name: str, code: int) -> None:
    assert packed_code(name, LIMIT) == code
    assert unpacked(code) in (name, f"{name}.0")


@given(st.integers(0, 2146), st.integers(0, 99), st.integers(0, 99))
def test_a_packed_release_reads_back(major: int, minor: int, patch: int) -> None:
    name = f"{major}.{minor}.{patch}"
    assert unpacked(packed_code(name, LIMIT)) == name


@pytest.mark.parametrize(
    ("name", "limit", "code", "message", "hint"),
    [
        (
            "fog",
            LIMIT,
            "version.packed",
            "'fog' is no SemVer name",
            'Set version.code = "counter" for free-form names.',
        ),
        ("1.100.0", LIMIT, "version.packed", "minor number 100 .* 99 is the highest", "Raise the number before it"),
        ("1.0.100", LIMIT, "version.packed", "patch number 100 .* 99 is the highest", "version.code = 'counter'"),
        ("1.0.0-alpha.30", LIMIT, "version.packed", "alpha.29 is the highest", "Go on to the next stage."),
        ("1.0.0-beta.30", LIMIT, "version.packed", "beta.29 is the highest", "Go on to the next stage."),
        ("1.0.0-rc.39", LIMIT, "version.packed", "rc.38 is the highest", "Go on to the next stage."),
        ("1.0.0-fog.1", LIMIT, "version.packed", "stage of 1.0.0-fog.1", "Packed codes know alpha.N, beta.N, rc.N."),
        ("1.0.0-rc.x", LIMIT, "version.packed", "stage of", "Packed codes know"),
        ("1.0.0-rc.1.2", LIMIT, "version.packed", "stage of", "Packed codes know"),
        ("0.0.0-alpha.0", LIMIT, "version.packed", "packs to 0", ""),
        (
            "3.0.0",
            3_000_098,
            "version.exhausted",
            "3,000,099, above .* 3,000,098",
            "The major number can be 3 at most.",
        ),
    ],
)
def test_what_does_not_fit_says_what_would(name: str, limit: int, code: str, message: str, hint: str) -> None:
    with pytest.raises(RampaError, match=message) as caught:
        packed_code(name, limit)
    assert (caught.value.code, caught.value.where) == (code, "version.name")
    assert hint in caught.value.hint


def test_the_limit_itself_fits() -> None:
    assert packed_code("3.0.0", 3_000_099) == 3_000_099
    assert code_for_architecture(99, "x86_64", 996) == 996
    with pytest.raises(RampaError, match="code 100 has no room") as caught:
        code_for_architecture(100, "arm64", 996)
    assert (caught.value.code, caught.value.hint) == (
        "version.exhausted",
        "Split packages have room for codes up to 98.",
    )
    assert code_for_architecture(210_000_000, "kiln") == 2_100_000_000, "the digit of what has none is 0"


@pytest.mark.parametrize("architecture", ARCHITECTURES)
def test_an_architecture_has_its_digit(architecture: str) -> None:
    assert code_for_architecture(41, architecture) == 410 + ARCHITECTURES[architecture]


def test_names_at_their_longest() -> None:
    longest = "1.0.0-" + "a" * (LONGEST - 6)
    assert parse(longest)
    assert parse(longest + "a") is None
    assert version_name_problem(longest) == ""
    assert version_name_problem("1.0") == "it must be a SemVer 2.0 version such as 1.4.0 or 1.4.0-rc.2"
    assert parse("1.2.3-rc.1+night.7") == VersionName(1, 2, 3, ("rc", "1"), "night.7")
    assert parse("1.2.3") == VersionName(1, 2, 3, (), "")


@pytest.mark.parametrize(
    ("text", "problem"),
    [
        ("N" * LONGEST, ""),
        ("N" * (LONGEST + 1), f'it must be 1 to {LONGEST} printable characters, none of < > : " / \\ | ? *'),
        (" ", f'it must be 1 to {LONGEST} printable characters, none of < > : " / \\ | ? *'),
        ("Night 3.", "it ends in a dot or a space"),
        ("Night 3 ", "it ends in a dot or a space"),
        ("Night X", ""),
    ],
)
def test_free_names_at_their_edges(text: str, problem: str) -> None:
    assert free_name_problem(text) == problem


def test_a_stage_is_raised_at_its_last_number() -> None:
    assert bumped("1.4.0-rc.2.9", "stage") == "1.4.0-rc.2.10"
    assert bumped("1.4.0-rc.9", "stage") == "1.4.0-rc.10"
