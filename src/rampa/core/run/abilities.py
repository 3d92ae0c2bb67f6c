"""What a run wants of an agent, what an agent can do, and what is missing between the two, in words."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from packaging.specifiers import SpecifierSet
from packaging.version import InvalidVersion, Version

from rampa.core.profile.resolution import Resolved


class Isolation(StrEnum):
    """What an agent puts between its machine and the programs of a run: a sandbox, a user of their own alone, nothing."""

    SANDBOX = "sandbox"
    USER = "user"
    NONE = "none"


@dataclass(frozen=True, slots=True)
class Toolchain:
    """One that was found on a machine. `licences` are those accepted there, `platforms` what it exports for."""

    name: str
    version: str
    licences: tuple[str, ...] = ()
    platforms: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Abilities:
    """`platforms` that the agent is there for; empty: all. `disk` are free bytes, `memory` bytes in all."""

    platforms: tuple[str, ...]
    toolchains: tuple[Toolchain, ...]
    cores: int
    memory: int
    disk: int
    system: str = ""
    isolation: Isolation = Isolation.NONE
    kernel_limits: bool = False
    """The kernel itself holds what a program takes."""


@dataclass(frozen=True, slots=True)
class WantedAbilities:
    """`versions` is a range as in PEP 440; what is empty is not asked for. `disk` in bytes."""

    platform: str
    toolchain: str = ""
    versions: str = ""
    licence: str = ""
    disk: int = 0
    isolated: bool = True
    """A sandbox is needed; the owner can say of a title that it is not."""


@dataclass(frozen=True, slots=True)
class Lack:
    """What a machine lacks: the cause's code (rampa.core.run.causes), and a clause for people."""

    code: str
    said: str


def wanted_of(profile: Resolved, disk: int = 0) -> WantedAbilities:
    return WantedAbilities(
        profile.settings.platform,
        profile.settings.toolchain.name,
        profile.settings.toolchain.versions,
        profile.settings.toolchain.licence,
        disk,
    )


def lacks(wanted: WantedAbilities, abilities: Abilities) -> list[str]:
    """What the agent lacks for the run, a clause each ("has no lantern-export"); empty when it can do it."""
    out = []
    if abilities.platforms and wanted.platform not in abilities.platforms:
        out.append(f"is not there for {wanted.platform}")
    if wanted.isolated and abilities.isolation != Isolation.SANDBOX:
        out.append("has no sandbox for the programs of a run")
    if wanted.disk > abilities.disk:
        out.append(f"has {abilities.disk // 10**6:,} MB free on its disk, and {wanted.disk // 10**6:,} MB are needed")
    if wanted.toolchain:
        out += [lack.said for lack in toolchain_lacks(wanted, abilities.toolchains)]
    return out


def toolchain_lacks(wanted: WantedAbilities, there: Iterable[Toolchain]) -> list[Lack]:
    """Of several versions, the one that lacks least counts."""
    found = [t for t in there if t.name == wanted.toolchain]
    if not found:
        return [Lack("toolchain.missing", f"has no {wanted.toolchain}")]
    return min((_one_lacks(wanted, t) for t in found), key=len)


def _one_lacks(wanted: WantedAbilities, found: Toolchain) -> list[Lack]:
    out = []
    # A licence first: it is the one lack that a person can end at once.
    if wanted.licence and wanted.licence not in found.licences:
        out.append(Lack("toolchain.licence", f"has not accepted the licence “{wanted.licence}”"))
    if not _fits(found.version, wanted.versions):
        message = f"has {found.name} {found.version}, and {wanted.versions} is wanted"
        out.append(Lack("toolchain.version", message))
    if found.platforms and wanted.platform not in found.platforms:
        out.append(Lack("toolchain.version", f"has a {found.name} that does not export for {wanted.platform}"))
    return out


def choose(wanted: WantedAbilities, there: Iterable[Toolchain]) -> Toolchain | None:
    """The newest toolchain that lacks nothing."""
    fitting = [t for t in there if t.name == wanted.toolchain and not _one_lacks(wanted, t)]
    return max(fitting, key=lambda t: _version(t.version) or Version("0"), default=None)


def _version(text: str) -> Version | None:
    try:
        return Version(text)
    except InvalidVersion:
        return None


def _fits(version: str, wanted: str) -> bool:
    if not wanted:
        return True
    parsed = _version(version)
    # A toolchain's 3.3.0rc1 is a version that somebody installed on purpose.
    return parsed is not None and SpecifierSet(wanted).contains(parsed, prereleases=True)


def nearest_agent(wanted: WantedAbilities, agents: Iterable[tuple[str, Abilities]]) -> tuple[str, list[str]] | None:
    """The agent that lacks least, and what it lacks. None where there is no agent."""
    scored = [(len(found), name, found) for name, abilities in agents for found in [lacks(wanted, abilities)]]
    if not scored:
        return None
    _, name, found = min(scored)
    return name, found
