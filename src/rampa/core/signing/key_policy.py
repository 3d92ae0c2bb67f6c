"""What a signing identity may be used for: titles, identifiers, purposes, branches; how many people agree first; how often a day.

Nothing said allows all: a policy is what a studio adds for the identity that its titles cannot lose.
"""

from __future__ import annotations

from dataclasses import dataclass
from fnmatch import fnmatchcase

PURPOSES = ("development", "testing", "release")


@dataclass(frozen=True)
class KeyPolicy:
    """Empty lists allow all. `branches` are patterns (`main`, `release/*`); those of tags begin with `tag/`. `approvals`: of
    so many people beside the one who started the run, for `release` alone. `per_day`: uses in 24 hours; 0: any number."""

    titles: tuple[str, ...] = ()
    identifiers: tuple[str, ...] = ()
    purposes: tuple[str, ...] = ()
    branches: tuple[str, ...] = ()
    approvals: int = 0
    per_day: int = 0

    def approvals_for(self, purpose: str) -> int:
        return self.approvals if purpose == "release" else 0


@dataclass(frozen=True)
class KeyUse:
    """What it is to sign. `ref` as `branch/NAME` or `tag/NAME`; empty for a commit, an uploaded folder, a build made by hand."""

    title: str
    identifier: str
    purpose: str
    ref: str = ""


@dataclass(frozen=True)
class Refusal:
    code: str
    message: str
    hint: str


def refusal(policy: KeyPolicy, use: KeyUse) -> Refusal | None:
    """Why this use is never allowed, whoever agrees. None where it may be."""
    for what, value, allowed in (
        ("title", use.title, policy.titles),
        ("identifier", use.identifier, policy.identifiers),
        ("purpose", use.purpose, policy.purposes),
    ):
        if allowed and value not in allowed:
            return _other(what, f"the {what} {value}", allowed)
    if policy.branches and not any(_fits(pattern, use.ref) for pattern in policy.branches):
        where = use.ref.partition("/")[2] if use.ref else "what is on no branch"
        return _other("branch", f"the branch {where}" if use.ref.startswith("branch/") else where, policy.branches)
    return None


def too_few(policy: KeyPolicy, purpose: str, approvals: int) -> Refusal | None:
    missing = policy.approvals_for(purpose) - approvals
    if missing <= 0:
        return None
    people = "one more person" if missing == 1 else f"{missing} more people"
    return Refusal(
        "signing.approvals", f"{people} must approve the run first", "An engineer or owner: rampa run approve RUN."
    )


def spent(policy: KeyPolicy, uses: int) -> Refusal | None:
    """`uses` in the last 24 hours."""
    if not policy.per_day or uses < policy.per_day:
        return None
    hint = "Wait, or have an owner raise it: rampa key policy NAME --per-day N."
    return Refusal("signing.budget", f"it signed {uses} times in 24 hours, and may {policy.per_day}", hint)


def _fits(pattern: str, ref: str) -> bool:
    return bool(ref) and fnmatchcase(ref, pattern if pattern.startswith("tag/") else f"branch/{pattern}")


def _other(what: str, said: str, allowed: tuple[str, ...]) -> Refusal:
    hint = f"Its policy allows: {', '.join(allowed)}. An owner changes it: rampa key policy NAME."
    return Refusal(f"signing.{what}", f"its policy does not allow {said}", hint)
