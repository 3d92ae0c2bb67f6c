"""Gates of a channel: what must be true of a build before it stands there, as a table of rules.

A gate that is not passed says what is missing, who can do it, and where. An owner can waive one, for one build, with a reason.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from rampa.core.errors import Invalid
from rampa.core.quantity import counted

LONGEST_HOURS = 24 * 90
MOST_PEOPLE = 20


class GateKind(StrEnum):
    CLEAN = "clean-checks"
    BOUND = "bound-signature"
    STOOD = "stood-on"
    APPROVED = "approvals"
    UPDATE = "update-cost"
    BUDGETS = "size-budgets"
    SIGN_OFFS = "play-sign-offs"
    REVIEWED = "studio-review"


@dataclass(frozen=True)
class Gate:
    """One rule. Of each kind a channel has one at most, but of `stood-on`: one for each other channel.

    `channel` and `hours` are of stood-on; `count` people of approvals and play-sign-offs; `size` bytes of update-cost.
    """

    kind: GateKind
    channel: str = ""
    hours: int = 0
    count: int = 0
    size: int = 0

    @property
    def key(self) -> str:
        """What it is waived by: `approvals`, `stood-on:testers`."""
        return f"{self.kind}:{self.channel}" if self.channel else str(self.kind)


@dataclass(frozen=True)
class BuildFacts:
    """What gates ask of a build. `warnings` are messages of findings above a note, `approved_by` without who would place it."""

    warnings: tuple[str, ...] = ()
    bound: bool | None = None
    """Whether its storefront knows the identity that signed it; None: it knows none yet."""
    stood: Mapping[str, dt.timedelta] = field(default_factory=dict)
    """How long it was live on each channel."""
    worse: Mapping[str, str] = field(default_factory=dict)
    """Channels on which its devices fare worse than those on the build before, and what says so."""
    approved_by: tuple[str, ...] = ()
    may_approve: int = MOST_PEOPLE
    """How many people there are who may, without who would place it."""
    update: int | None = None
    """Bytes that the median device downloads; None: no device of the channel has another build."""
    checklists: tuple[str, ...] = ()
    """Those that are for the build."""
    signed: tuple[str, ...] = ()
    """Who finished all of them with nothing failed."""
    failed: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """Points that failed in a finished sign-off, and who saw it."""
    reviewed: str = ""
    """Where it is before the studio's own reviewers for this channel; empty: it was never put there."""
    review_passed: bool = False
    over: tuple[str, ...] = ()
    """What is heavier than its budget, as the check says it."""


@dataclass(frozen=True)
class GateLook:
    """How a gate stands for one build. `missing`, `who` and `where` are empty where it is passed."""

    gate: Gate
    said: str
    passed: bool
    missing: str = ""
    who: str = ""
    where: str = ""


def check_gates(gates: tuple[Gate, ...], channel: str) -> None:
    """Raises `Invalid` for a table that contradicts itself or that nothing can pass."""
    seen: set[str] = set()
    for gate in gates:
        if gate.key in seen:
            raise Invalid("gate.twice", f"{channel} has the gate {gate.key} twice", where=gate.key)
        seen.add(gate.key)
        wrong = _wrong(gate, channel)
        if wrong:
            raise Invalid("gate.impossible", f"the gate {gate.key}: {wrong}", where=gate.key)


def check_ways(tables: Mapping[str, tuple[Gate, ...]]) -> None:
    """Raises `Invalid` where channels wait for one another in a ring: `tables` are the gates of all of a title's channels."""
    for channel in tables:
        way = [channel]
        _walk(tables, way)


def _walk(tables: Mapping[str, tuple[Gate, ...]], way: list[str]) -> None:
    for gate in tables.get(way[-1], ()):
        if gate.kind != GateKind.STOOD:
            continue
        if gate.channel in way:
            ring = [*way[way.index(gate.channel) :], gate.channel]
            said = ", which waits for ".join(ring[1:])
            raise Invalid(
                "gate.impossible", f"{ring[0]} waits for {said}: no build gets to any of them", where=gate.key
            )
        _walk(tables, [*way, gate.channel])


def _wrong(gate: Gate, channel: str) -> str:
    people = gate.kind in (GateKind.APPROVED, GateKind.SIGN_OFFS)
    if people and not 1 <= gate.count <= MOST_PEOPLE:
        return f"1 to {MOST_PEOPLE} people, and it says {gate.count}"
    if gate.kind == GateKind.UPDATE and gate.size < 1:
        return "no update is smaller than that: say how much"
    if gate.kind == GateKind.STOOD:
        if not gate.channel or gate.channel == channel:
            return "it names another channel, where a build stands before"
        if not 0 <= gate.hours <= LONGEST_HOURS:
            return f"0 to {LONGEST_HOURS} hours, and it says {gate.hours}"
    return ""


def look(gate: Gate, facts: BuildFacts) -> GateLook:
    return LOOKS[gate.kind](gate, facts)


def _clean(gate: Gate, facts: BuildFacts) -> GateLook:
    said = "checks find nothing above a note"
    if not facts.warnings:
        return GateLook(gate, said, True)
    first = f"{counted(len(facts.warnings), 'finding')}: {facts.warnings[0]}"
    return GateLook(gate, said, False, first, "an engineer", "in the profile document or the content, with a new build")


def _bound(gate: Gate, facts: BuildFacts) -> GateLook:
    said = "signed by the identity that its storefront knows"
    if facts.bound:
        return GateLook(gate, said, True)
    missing = "its storefront knows no identity yet" if facts.bound is None else "another identity signed it"
    return GateLook(gate, said, False, missing, "an engineer", "on the first channel of the order, which binds it")


def _stood(gate: Gate, facts: BuildFacts) -> GateLook:
    said = f"live on {gate.channel} for {counted(gate.hours, 'hour')}" if gate.hours else f"was live on {gate.channel}"
    stood = facts.stood.get(gate.channel)
    wanted = dt.timedelta(hours=gate.hours)
    if gate.channel in facts.worse:
        missing = f"it is worse there than the build before: {facts.worse[gate.channel]}"
        return GateLook(gate, said, False, missing, "an engineer", "with a new build, or rampa health show says more")
    if stood is not None and stood >= wanted:
        return GateLook(gate, said, True)
    if stood is None:
        return GateLook(
            gate, said, False, f"it was never live on {gate.channel}", "an engineer", f"place it on {gate.channel}"
        )
    left = max(1, round((wanted - stood).total_seconds() / 60))
    text = f"{left // 60} h {left % 60} min" if left >= 60 else counted(left, "minute")
    verb = "is" if left == 1 else "are"
    where = "it opens by itself while the build stays there"
    return GateLook(gate, said, False, f"{text} {verb} left", "nobody", where)


def _approved(gate: Gate, facts: BuildFacts) -> GateLook:
    said = f"approved by {counted(gate.count, 'other person', 'other people')}"
    have = len(facts.approved_by)
    if have >= gate.count:
        return GateLook(gate, said, True)
    missing = f"{have} of {gate.count}" + (f": {', '.join(facts.approved_by)}" if have else "")
    if facts.may_approve < gate.count:
        there = counted(facts.may_approve, "other person", "other people")
        missing += f", and only {there} may" if facts.may_approve else ", and nobody else may"
        return GateLook(gate, said, False, missing, "an owner", "rampa person invite, or rampa channel gates")
    return GateLook(gate, said, False, missing, "an owner or engineer who does not place it", "rampa channel approve")


def _update(gate: Gate, facts: BuildFacts) -> GateLook:
    said = f"the median device downloads at most {gate.size / 1e6:,.1f} MB"
    if facts.update is None or facts.update <= gate.size:
        return GateLook(gate, said, True)
    missing = f"it downloads {facts.update / 1e6:,.1f} MB"
    return GateLook(gate, said, False, missing, "an engineer", "rampa update compare says which files")


def _budgets(gate: Gate, facts: BuildFacts) -> GateLook:
    said = "no depot and no folder is heavier than its budget"
    if not facts.over:
        return GateLook(gate, said, True)
    more = f", and {len(facts.over) - 1} more" if len(facts.over) > 1 else ""
    where = "in the content, or in budgets of the profile document; with a new build"
    return GateLook(gate, said, False, facts.over[0] + more, "an engineer", where)


def _sign_offs(gate: Gate, facts: BuildFacts) -> GateLook:
    said = f"signed off in play by {counted(gate.count, 'person', 'people')}"
    if not facts.checklists:
        where = "checklists.toml beside the profile document: rampa checklist set"
        return GateLook(gate, said, False, "no checklist is for this platform and purpose", "an engineer", where)
    if facts.failed:
        point, people = next(iter(facts.failed.items()))
        more = f", and {len(facts.failed) - 1} more" if len(facts.failed) > 1 else ""
        where = "in the title, with a new build; or who saw it looks again and says so"
        return GateLook(gate, said, False, f"{point} failed for {', '.join(people)}{more}", "an engineer", where)
    have = len(facts.signed)
    if have >= gate.count:
        return GateLook(gate, said, True)
    missing = f"{have} of {gate.count}" + (f": {', '.join(facts.signed)}" if have else "")
    return GateLook(gate, said, False, missing, "testers", "on their pages, once it stands where they may install it")


def _reviewed(gate: Gate, facts: BuildFacts) -> GateLook:
    said = "passed by the studio's own reviewers"
    if facts.review_passed:
        return GateLook(gate, said, True)
    if not facts.reviewed:
        return GateLook(gate, said, False, "it is not before them yet", "an engineer", "rampa review put")
    return GateLook(gate, said, False, f"it is {facts.reviewed}", "a reviewer", "at the review desk: rampa review list")


LOOKS: dict[GateKind, Callable[[Gate, BuildFacts], GateLook]] = {
    GateKind.CLEAN: _clean,
    GateKind.BOUND: _bound,
    GateKind.STOOD: _stood,
    GateKind.APPROVED: _approved,
    GateKind.UPDATE: _update,
    GateKind.BUDGETS: _budgets,
    GateKind.SIGN_OFFS: _sign_offs,
    GateKind.REVIEWED: _reviewed,
}


def weighted_median(costs: Mapping[int, int]) -> int | None:
    """Of bytes -> how many devices; the lower of two middles. None where there are no devices."""
    left = sum(costs.values())
    if not left:
        return None
    half = (left + 1) // 2
    for cost in sorted(costs):
        half -= costs[cost]
        if half <= 0:
            return cost
    return None
