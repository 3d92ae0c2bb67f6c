"""The checks that gate a placement: may this build go on this channel?"""

from __future__ import annotations

import itertools
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sized
from dataclasses import dataclass, field
from typing import TypeVar

from rampa.core.check.findings import Finding, in_order
from rampa.core.check.selection import needs_bit, not_executable
from rampa.core.content.depots.choice import EVERYBODY, Selector, together
from rampa.core.content.tree.tree import Tree
from rampa.core.platform.rules import Platform

T = TypeVar("T")
SHOWN = 5


@dataclass(frozen=True)
class PlacementCandidate:
    """A build as the checks see it. `signed_by` is the bundle certificate's fingerprint, empty when unsigned."""

    ready: bool
    platform: Platform
    version_code: int
    launch: str
    signed_by: str
    depots: dict[str, Tree]
    undelivered: tuple[str, ...]
    selectors: Mapping[str, Selector] = field(default_factory=dict)
    """Whom each depot is for; everybody where it is not said."""


@dataclass(frozen=True)
class Standing:
    """What is on the channel now for the same platform: the highest version code that was ever placed."""

    highest_code: int | None
    build: str


def check_placement(build: PlacementCandidate, standing: Standing) -> list[Finding]:
    """All findings, blockers first."""
    if not build.ready:
        hint = "Run `rampa build create` again for the same folder: it goes on where it stopped."
        return [Finding("blocker", "build.not-ready", "the build's upload is not complete", "", hint)]
    rules = (
        _unsigned(build),
        _rising(build, standing),
        _launch(build),
        _overlaps(build),
        _case(build),
        _reserved(build),
        _long(build),
        _undelivered(build),
    )
    return in_order([finding for found in rules for finding in found])


def _unsigned(build: PlacementCandidate) -> Iterator[Finding]:
    if not build.signed_by:
        hint = "Name a signing identity in the profile (signing.identity = ...), make it with `rampa key make`, and build again."
        yield Finding("blocker", "bundle.unsigned", "the bundle is not signed", "bundle", hint)


def _rising(build: PlacementCandidate, standing: Standing) -> Iterator[Finding]:
    highest = standing.highest_code
    if highest is not None and build.version_code <= highest:
        yield Finding(
            "blocker",
            "version.not-rising",
            f"version code {build.version_code} is not above {highest}, which {standing.build} had here",
            "version code",
            "Devices take only rising codes. Build again: the next code is reserved by itself.",
        )


def _launch(build: PlacementCandidate) -> Iterator[Finding]:
    found = [f for tree in build.depots.values() for f in tree.files if f.path == build.launch]
    if not found:
        yield Finding(
            "blocker",
            "launch.missing",
            f"the launch entry {build.launch} is in none of the depots",
            build.launch,
            "Correct `launch.entry` in the profile, or include the file in [content] and a depot.",
        )
    elif needs_bit(build.platform) and not found[0].executable:
        yield not_executable(build.launch)


def _overlaps(build: PlacementCandidate) -> Iterator[Finding]:
    owners: dict[str, list[str]] = defaultdict(list)
    for depot, tree in build.depots.items():
        for path in _paths(tree):
            owners[path].append(depot)

    def clash(depots: list[str]) -> bool:
        pairs = itertools.combinations((build.selectors.get(d, EVERYBODY) for d in depots), 2)
        return any(together(one, other) for one, other in pairs)

    # Two depots may deliver the same path when no device ever gets both, such as two languages' voices.
    twice = {p: d for p, d in owners.items() if len(d) > 1 and clash(d)}
    for path, depots in _first(twice.items()):
        yield Finding(
            "blocker",
            "depot.overlap",
            f"the depots {' and '.join(depots)} {'both' if len(depots) == 2 else 'all'} deliver {path}{_more(twice)}",
            path,
            "Leave it out of one of them with `not` in its [depots] table.",
        )


def _case(build: PlacementCandidate) -> Iterator[Finding]:
    folded: dict[str, set[str]] = defaultdict(set)
    for tree in build.depots.values():
        for path in _paths(tree):
            # Folders, too: Data/a and data/b are one folder where case is folded.
            while path:
                folded[path.casefold()].add(path)
                path = path.rpartition("/")[0]
    twins = {k: sorted(v) for k, v in folded.items() if len(v) > 1}
    # Where the platform tells the names apart the build runs, but the title may go to one that does not.
    severity = "blocker" if build.platform.folds_case else "warning"
    for _, names in _first(twins.items()):
        yield Finding(
            severity,
            "path.case",
            f"{' and '.join(names)} differ only by case{_more(twins)}",
            names[0],
            "Rename one: on Windows and macOS they are the same file, and one would replace the other.",
        )


def _reserved(build: PlacementCandidate) -> Iterator[Finding]:
    bad = {p for tree in build.depots.values() for p in _paths(tree) if _is_reserved(p, build.platform)}
    for path in _first(sorted(bad)):
        yield Finding(
            "blocker",
            "path.reserved",
            f"{build.platform.title} cannot have a file named {path}{_more(bad)}",
            path,
            "Rename it: the name is reserved, ends in a dot or space, or holds a forbidden character.",
        )


def _is_reserved(path: str, platform: Platform) -> bool:
    if not platform.reserved_names:
        return False
    return any(
        name.split(".")[0].rstrip().casefold() in platform.reserved_names
        or name[-1] in ". "
        or any(c in platform.reserved_characters for c in name)
        for name in path.split("/")
    )


def _long(build: PlacementCandidate) -> Iterator[Finding]:
    limit = build.platform.path_limit
    long = sorted({p for tree in build.depots.values() for p in _paths(tree) if len(p) > limit})
    for path in _first(long):
        yield Finding(
            "blocker",
            "path.too-long",
            f"a path of {len(path)} characters is longer than the {limit} that {build.platform.title} takes{_more(long)}",
            path,
            "Shorten the folders' or the file's name.",
        )


def _undelivered(build: PlacementCandidate) -> Iterator[Finding]:
    for path in _first(build.undelivered):
        yield Finding(
            "warning",
            "depot.none",
            f"{path} goes into the bundle, but no depot delivers it{_more(build.undelivered)}",
            path,
            "Let a depot's `only` match it, or leave it out in [content].",
        )


def _paths(tree: Tree) -> Iterator[str]:
    yield from (f.path for f in tree.files)
    yield from (k.path for k in tree.links)


def _first(items: Iterable[T]) -> list[T]:
    return list(items)[:SHOWN]


def _more(items: Sized) -> str:
    return f" (one of {len(items)})" if len(items) > SHOWN else ""
