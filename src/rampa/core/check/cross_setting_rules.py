"""What settings of one profile ask of one another: rules that a table of single keys cannot say."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from rampa.core.check.profile_findings import ProfileFinding
from rampa.core.errors import RampaError
from rampa.core.platform.requirements import level_key
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.document import Document
from rampa.core.profile.edits import Edit
from rampa.core.profile.problems import nearest
from rampa.core.profile.resolution import Resolved
from rampa.core.profile.settings.table import SETTINGS
from rampa.core.profile.values import spoken
from rampa.core.run.steps import step_problems
from rampa.core.version.forms import PLACE, packed_code
from rampa.core.version.name import version_name_problem


def cross_setting_findings(
    document: Document, profile: Resolved, identities: frozenset[str] | None
) -> Iterator[ProfileFinding]:
    """`identities` are the names of those that there are; None where nobody knows."""
    yield from _version(profile)
    yield from _opening(profile)
    yield from _levels(profile)
    yield from _launches(profile)
    yield from _addons(document, profile)
    yield from _encrypted(profile)
    yield from _reserved(profile)
    yield from _untaken(profile)
    if identities is not None:
        yield from _identity(profile, identities)
    yield from _steps(document, profile)


def _steps(document: Document, profile: Resolved) -> Iterator[ProfileFinding]:
    for code, message, advice in step_problems(document, profile):
        yield _finding("blocker", f"steps.{code}", profile, "toolchain.steps", f"Steps: {message}", "", advice)


def _finding(
    severity: str,
    code: str,
    profile: Resolved,
    key: str,
    message: str,
    allowed: str = "",
    advice: str = "",
    fixed: Any = None,
) -> ProfileFinding:
    fix = () if fixed is None else (Edit(("profiles", profile.name, *SETTINGS[key].path), fixed),)
    value = spoken(profile.get(key))
    return ProfileFinding(severity, code, profile.name, key, profile.origin(key), value, allowed, message, advice, fix)


def _version(profile: Resolved) -> Iterator[ProfileFinding]:
    platform, name = PLATFORMS[profile.settings.platform], profile.settings.version.name
    free, forming = profile.settings.version.form == "free", profile.settings.version.code
    if free and not platform.free_names:
        yield _finding(
            "blocker", "version.form-unknown", profile, "version.form",
            f"Form of version names: free, and {platform.title} takes SemVer names only", "semver", fixed="semver",
        )  # fmt: skip
    elif not free and version_name_problem(name):
        yield _finding(
            "blocker", "version.not-semver", profile, "version.name",
            f"Version name: {name}; {version_name_problem(name)}", 'a SemVer name, or version.form = "free"',
        )  # fmt: skip
    if profile.settings.version.per_architecture and len(profile.settings.code.architectures) != 1:
        yield _finding(
            "blocker", "version.architectures", profile, "version.per_architecture",
            "Version code by architecture: yes, and the profile builds for several at once", "one architecture a profile",
            "Make a profile for each, or split the package: rampa bundle split.",
        )  # fmt: skip
    if free and forming == "packed":
        yield _finding(
            "blocker", "version.free-packed", profile, "version.code",
            "Version code: packed, which needs SemVer names, and names are free here", "counter, commits", fixed="counter",
        )  # fmt: skip
    elif forming == "packed" and not version_name_problem(name):
        try:
            packed_code(name, _packing_limit(profile, platform.code_limit))
        except RampaError as error:
            yield _finding(
                "blocker",
                "version.unpackable",
                profile,
                "version.name",
                f"Version name: {error.message}",
                "",
                error.hint,
            )


def _packing_limit(profile: Resolved, limit: int) -> int:
    # With a place for the architecture behind it, the code itself has fewer digits.
    return limit // PLACE - 1 if profile.settings.version.per_architecture else limit


def _opening(profile: Resolved) -> Iterator[ProfileFinding]:
    units, opening = profile.settings.content.units, profile.settings.content.opening
    if not units:
        return
    if not opening:
        yield _finding(
            "warning", "content.opening-not-set", profile, "content.opening",
            "Opening unit: not set; nothing says which of the units the title opens with",
            "one of the units", fixed=units[0],
        )  # fmt: skip
    elif opening not in units:
        yield _finding(
            "blocker", "content.opening-left-out", profile, "content.opening",
            f"Opening unit: {opening}, which is none of this profile's units; the title would start without it",
            ", ".join(units), fixed=units[0],
        )  # fmt: skip


def _levels(profile: Resolved) -> Iterator[ProfileFinding]:
    minimum, target = profile.settings.system.minimum, profile.settings.system.target
    if target and level_key(target) < level_key(minimum):
        yield _finding(
            "blocker", "system.target-below", profile, "system.target",
            f"Target level: {target}, below the minimum level of {minimum}",
            f"{minimum} or above", fixed=minimum,
        )  # fmt: skip


def _launches(profile: Resolved) -> Iterator[ProfileFinding]:
    entries, built = profile.settings.launch.entries, profile.settings.code.architectures
    extra = [a for a in entries if a not in built]
    if extra:
        yield _finding(
            "warning", "launch.architecture", profile, "launch.entries",
            f"Launch entries by architecture: they name {', '.join(extra)}, for which this profile does not build",
            ", ".join(built), fixed={a: p for a, p in entries.items() if a in built},
        )  # fmt: skip


def _addons(document: Document, profile: Resolved) -> Iterator[ProfileFinding]:
    known = [d.addon for d in document.depots if d.addon]
    for addon in profile.settings.content.addons or ():
        if addon not in known:
            yield _finding(
                "blocker", "content.addon-unknown", profile, "content.addons",
                f"Addons: {addon}, and no depot belongs to it",
                ", ".join(known) or "none", nearest(addon, known) if known else "Add a depot with `addon`.",
            )  # fmt: skip


def _encrypted(profile: Resolved) -> Iterator[ProfileFinding]:
    if profile.settings.content.encryption and not profile.settings.launch.reads_encrypted:
        yield _finding(
            "blocker", "content.encryption-unread", profile, "content.encryption",
            "Encryption: yes, and the launch entry does not say that it can read encrypted depots",
            "no, unless launch.reads_encrypted = true", fixed=False,
        )  # fmt: skip


def _reserved(profile: Resolved) -> Iterator[ProfileFinding]:
    platform = PLATFORMS[profile.settings.platform]
    for key in ("launch.program_name", "title.folder"):
        name = profile.get(key)
        if name.split(".")[0].casefold() in platform.reserved_names:
            yield _finding(
                "blocker", "title.reserved-name", profile, key,
                f"{SETTINGS[key].label}: {name}, a name that {platform.title} keeps for itself",
                "another name",
            )  # fmt: skip


def _untaken(profile: Resolved) -> Iterator[ProfileFinding]:
    for gone in profile.untaken:
        yield ProfileFinding(
            "warning", "list.take-missing", profile.name, gone.key, gone.origin, gone.item, "",
            f"{SETTINGS[gone.key].label}: {gone.item} is to be taken away, and is not there",
            nearest(gone.item, tuple(profile.get(gone.key) or ()), "Take it out of `take`."),
        )  # fmt: skip


def _identity(profile: Resolved, identities: frozenset[str]) -> Iterator[ProfileFinding]:
    name = profile.settings.signing.identity
    if name and name not in identities:
        known = sorted(identities)
        make = f"Make it with `rampa key make {name}`, or bring it in with `rampa key import`."
        yield _finding(
            "blocker", "signing.identity-unknown", profile, "signing.identity",
            f"Signing identity: {name}, and there is no identity of that name; the build could not be signed",
            ", ".join(known), make,
        )  # fmt: skip
