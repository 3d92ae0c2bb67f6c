"""Budgets: what is over, by how much, and what made it so."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.check.budgets import check_budgets
from rampa.core.content.budgets import Budgets, over_budget, read_size
from rampa.core.content.depots.depots import DepotRule, files_by_depot

MB = 10**6
BASE = [
    ("textures/fog/a.ktx2", 40 * MB),
    ("textures/fog/b.ktx2", 30 * MB),
    ("textures/bog.ktx2", 20 * MB),
    ("bin/peat", 5 * MB),
]
VOICES = [("voices/one.bank", 8 * MB)]
NOW = {"base": BASE, "english": VOICES, "finnish": [("voices/one.bank", 9 * MB)]}


@pytest.mark.parametrize(
    ("text", "size"),
    [
        ("300 MB", 300 * MB),
        ("1.5GB", 1500 * MB),
        ("20 kB", 20_000),
        ("300", None),
        ("1 TB", None),
        ("-1 MB", None),
        ("", None),
    ],
)
def test_sizes_are_read(text: str, size: int | None) -> None:
    assert read_size(text) == size


def said(budgets: Budgets, before: dict[str, list[tuple[str, int]]] | None = None) -> list[str]:
    return [f"{f.code}: {f.message}" for f in check_budgets(budgets, NOW, before, "peatlight#6")]


def test_what_is_within_says_nothing() -> None:
    assert said(Budgets({"base": 95 * MB, "nowhere": 1}, {"textures": 90 * MB, "maps": 1})) == []
    assert said(Budgets()) == []


def test_what_is_over_names_the_heaviest_folders() -> None:
    assert said(Budgets({"base": 90 * MB}, {"textures": 80 * MB})) == [
        "budget.depot: the depot base weighs 95.0 MB, and its budget is 90.0 MB; heaviest are textures/ 90.0 MB, bin/ 5.0 MB",
        "budget.folder: the folder textures weighs 90.0 MB, and its budget is 80.0 MB; "
        "heaviest are textures/fog/ 70.0 MB, textures/bog.ktx2 20.0 MB",
    ]


def test_beside_the_build_before_it_names_what_grew() -> None:
    before = {"base": [("textures/fog/a.ktx2", 40 * MB), ("textures/bog.ktx2", 30 * MB), ("bin/peat", 5 * MB)]}
    assert said(Budgets({"base": 90 * MB}, {"textures": 80 * MB}), before) == [
        "budget.depot: the depot base weighs 95.0 MB, and its budget is 90.0 MB; since peatlight#6 grew textures/ +20.0 MB",
        "budget.folder: the folder textures weighs 90.0 MB, and its budget is 80.0 MB; "
        "since peatlight#6 grew textures/fog/ +30.0 MB",
    ]
    assert said(Budgets({"base": 90 * MB}), {"base": BASE}) == [
        "budget.depot: the depot base weighs 95.0 MB, and its budget is 90.0 MB; it is no heavier than in peatlight#6"
    ]


def test_a_path_of_two_depots_counts_once_in_a_folder() -> None:
    (found,) = over_budget(Budgets(folders={"voices": 5 * MB}), NOW)
    assert found.size == 9 * MB


def test_files_by_the_rules_of_depots() -> None:
    rules = (DepotRule("base", ("*",), ("voices/",)), DepotRule("voices", ("voices/",), ()))
    found = files_by_depot([*BASE, *VOICES], rules)
    assert (found["base"], found["voices"]) == (BASE, VOICES)


@given(st.lists(st.integers(1, 1000), min_size=1, max_size=20), st.integers(0, 20_000))
def test_over_is_over(sizes: list[int], budget: int) -> None:
    files = [(f"art/{n % 4}/{n}", size) for n, size in enumerate(sizes)]
    found = over_budget(Budgets({"base": budget}, {"art": budget}), {"base": files})
    assert len(found) == (2 if sum(sizes) > budget else 0)
    for each in found:
        assert each.size == sum(sizes)
        assert sum(size for _, size in each.parts) <= each.size
