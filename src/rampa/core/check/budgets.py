"""The check of size budgets: what is heavier than the profile document lets it be, and what made it so."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from rampa.core.check.findings import Finding
from rampa.core.content.budgets import Budgets, Files, OverBudget, over_budget

CODES = ("budget.depot", "budget.folder")


def check_budgets(
    budgets: Budgets, depots: Mapping[str, Files], before: Mapping[str, Files] | None = None, name: str = ""
) -> Iterator[Finding]:
    """`before` are the depots of the build `name`, which is live."""
    for found in over_budget(budgets, depots, before):
        yield Finding(
            "warning",
            f"budget.{found.kind}",
            f"the {found.kind} {found.name} weighs {_mb(found.size)}, and its budget is {_mb(found.budget)}{_why(found, name)}",
            found.name,
            f"Make it lighter, or raise budgets.{found.kind}s in the profile document.",
        )


def _why(found: OverBudget, name: str) -> str:
    if not found.parts:
        return f"; it is no heavier than in {name}" if found.grew else ""
    sign = "+" if found.grew else ""
    parts = ", ".join(f"{part} {sign}{_mb(size)}" for part, size in found.parts)
    return f"; since {name} grew {parts}" if found.grew else f"; heaviest are {parts}"


def _mb(size: int) -> str:
    return f"{size / 1e6:,.1f} MB"
