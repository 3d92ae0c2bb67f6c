"""A submission's plan for one storefront: what it needs, what is there, what is missing, and where to mend it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from rampa.core.check.findings import Finding, in_order
from rampa.core.quantity import counted


class NeedKey(StrEnum):
    ACCOUNT = "account"
    STUDIO = "studio"
    FIRST = "first-bundle"
    BUILD = "build"
    SIGNATURE = "signature"
    CODE = "version-code"
    SIZE = "size"
    PROFILE = "profile"
    PERMISSIONS = "permissions"
    FRAMEWORKS = "frameworks"
    LISTING = "listing"
    RATING = "rating"
    OWN = "studio-rules"
    GATES = "gates"
    SHOWING = "showing"


class NeedState(StrEnum):
    """`later`: nothing is to be done now, and a person or the storefront does it on the way."""

    THERE = "there"
    WARNING = "warning"
    LATER = "later"
    MISSING = "missing"


NEED_TITLES = {
    NeedKey.ACCOUNT: "Account at the storefront",
    NeedKey.STUDIO: "Studio verified there",
    NeedKey.FIRST: "Title known there",
    NeedKey.BUILD: "Build and its content",
    NeedKey.SIGNATURE: "Signature",
    NeedKey.CODE: "Version code",
    NeedKey.SIZE: "Size of the bundle",
    NeedKey.PROFILE: "Identity, levels, architectures",
    NeedKey.PERMISSIONS: "Permissions and their reasons",
    NeedKey.FRAMEWORKS: "Frameworks in the bundle",
    NeedKey.LISTING: "Listing",
    NeedKey.RATING: "Age rating",
    NeedKey.OWN: "The studio's own checks",
    NeedKey.GATES: "Gates of the channel",
    NeedKey.SHOWING: "What it can do once it passed",
}


@dataclass(frozen=True)
class Need:
    """`said` in a clause or two; `mend`: the command that mends it, empty where nothing is to be done."""

    key: NeedKey
    state: NeedState
    said: str
    mend: str = ""
    findings: tuple[Finding, ...] = ()


def from_findings(key: NeedKey, findings: Iterable[Finding], there: str, mend: str) -> Need:
    """Missing with a blocker, a warning with less; `there` is said where nothing is wrong."""
    found = tuple(in_order([f for f in findings if f.severity != "note"]))
    if not found:
        return Need(key, NeedState.THERE, there)
    blockers = [f for f in found if f.severity == "blocker"]
    worst = blockers or list(found)
    said = worst[0].message + (f", and {counted(len(found) - 1, 'more finding')}" if len(found) > 1 else "")
    return Need(key, NeedState.MISSING if blockers else NeedState.WARNING, said, mend, found)


def is_ready(needs: Iterable[Need]) -> bool:
    return all(need.state is not NeedState.MISSING for need in needs)
