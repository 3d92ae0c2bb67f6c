"""A rollout's plan: `1 %, 5 % after 4 h, 20 % after 1 day, all after 2 days`. Times count from when the plan began.

`…, only while health is in order` at its end: a step that is due waits until the build's health is told to be in order, and
too little to tell is not that. Without it a step waits for its time alone; what is worse holds itself either way.

A step that comes late, because the rollout was held or the service stood still, moves those after it: devices are watched for
as long as the plan says before more of them get the build.
"""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from itertools import pairwise

from rampa.core.errors import Invalid
from rampa.core.health.comparison import Verdict
from rampa.core.placement.share import ALL, percent, read_share
from rampa.core.quantity import counted

LONGEST = dt.timedelta(days=90)
MOST_STEPS = 30
UNITS = {
    "min": 60,
    "minute": 60,
    "minutes": 60,
    "h": 3600,
    "hour": 3600,
    "hours": 3600,
    "d": 86400,
    "day": 86400,
    "days": 86400,
}
STEP = re.compile(r"(?P<share>[0-9.]+ ?%?|all)(?: after (?P<count>[0-9]{1,6}|an?) ?(?P<unit>[a-z]+))?")
IN_ORDER = "only while health is in order"
EXAMPLE = "Such as: 1 %, 5 % after 4 h, 20 % after 1 day, all after 2 days."


@dataclass(frozen=True)
class GrowthStep:
    """`share` per mille, from `after` seconds on."""

    share: int
    after: int = 0


@dataclass(frozen=True)
class GrowthPlan:
    """Steps with rising shares at rising times; the last one reaches every device."""

    steps: tuple[GrowthStep, ...]
    in_order: bool = False
    """Whether a step after the first waits for health that is told to be in order."""


def check_plan(plan: GrowthPlan) -> GrowthPlan:
    """Raises `Invalid` for a plan that falls, stands still, or does not end."""
    steps = plan.steps
    if not steps or len(steps) > MOST_STEPS:
        raise _wrong(f"a plan has 1 to {MOST_STEPS} steps, and this has {len(steps)}")
    for step in steps:
        if not 0 < step.share <= ALL:
            raise _wrong(f"a step's share lies above 0 and up to 100 %, and one is {percent(step.share)}")
        if not 0 <= step.after <= LONGEST.total_seconds():
            raise _wrong(f"a step comes within {LONGEST.days} days, and that of {percent(step.share)} does not")
    for one, other in pairwise(steps):
        if other.share <= one.share:
            raise _wrong(f"shares rise from step to step, and {percent(other.share)} follows {percent(one.share)}")
        if other.after <= one.after:
            raise _wrong(f"times rise from step to step, and that of {percent(other.share)} does not")
    if steps[-1].share != ALL:
        raise _wrong(f"it stops at {percent(steps[-1].share)} and never ends: say when all get it")
    return plan


def read_plan(text: str) -> GrowthPlan:
    """Raises `Invalid` with the step that cannot be read."""
    steps, parts = [], text.split(",")
    in_order = len(parts) > 1 and " ".join(parts[-1].lower().split()) == IN_ORDER
    for part in parts[: len(parts) - in_order]:
        said = " ".join(part.lower().split())
        match = STEP.fullmatch(said)
        if match is None or (match["unit"] and match["unit"] not in UNITS):
            raise _wrong(f"{part.strip()[:60]!r} is no step")
        count = 1 if (match["count"] or "0").startswith("a") else int(match["count"] or 0)
        steps.append(
            GrowthStep(read_share(match["share"], "plan"), count * UNITS[match["unit"]] if match["unit"] else 0)
        )
    return check_plan(GrowthPlan(tuple(steps), in_order))


def plan_text(plan: GrowthPlan) -> str:
    """What `read_plan` reads."""
    return ", ".join([*(_step(step) for step in plan.steps), *([IN_ORDER] if plan.in_order else [])])


def next_step(plan: GrowthPlan, share: int) -> GrowthStep | None:
    """The first step that gives more than a share."""
    return next((step for step in plan.steps if step.share > share), None)


def wait_for(plan: GrowthPlan, share: int) -> dt.timedelta | None:
    """From when `share` was reached to the next step; None where there is none."""
    step = next_step(plan, share)
    if step is None:
        return None
    reached = max((s.after for s in plan.steps if s.share <= share), default=0)
    return dt.timedelta(seconds=step.after - reached)


def waits_for(plan: GrowthPlan | None, share: int, told: Verdict | None) -> str:
    """What the next step waits for beside its time; empty for nothing. The first step never: its devices tell the health."""
    if plan is None or not plan.in_order or not share or share == ALL or told == Verdict.IN_ORDER:
        return ""
    return f"health is {(told or Verdict.UNSURE).value.replace('-', ' ')}"


def _step(step: GrowthStep) -> str:
    share = "all" if step.share == ALL else percent(step.share)
    if not step.after:
        return share
    for unit, seconds in (("day", 86400), ("h", 3600), ("min", 60)):
        if step.after % seconds == 0:
            many = step.after // seconds
            return f"{share} after {counted(many, 'day') if unit == 'day' else f'{many} {unit}'}"
    return f"{share} after {step.after / 60:g} min"


def _wrong(what: str) -> Invalid:
    return Invalid("plan.impossible", f"the plan cannot be followed: {what}", where="plan", hint=EXAMPLE)
