"""A resolved profile as a build needs it: typed, each content rule with its origin."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from rampa.core.content.depots.depots import DepotRule
from rampa.core.content.select.leave_out_classes import ALWAYS
from rampa.core.content.select.selection import ContentRules, Pattern, class_patterns
from rampa.core.platform.rules import Platform
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.document import DepotRules, Document
from rampa.core.profile.resolution import Resolved
from rampa.core.profile.settings.build import DEFAULT_BUNDLE
from rampa.core.version.forms import PLACE
from rampa.core.version.name import free_name_problem, version_name_problem

__all__ = ["DEFAULT_BUNDLE", "ResolvedProfile", "bundle_name", "resolve"]


@dataclass(frozen=True)
class ResolvedProfile:
    """`launch` is the path that the first architecture starts."""

    name: str
    title: str
    program_name: str
    identifier: str
    platform: Platform
    purpose: str
    architectures: tuple[str, ...]
    version_name: str
    free_names: bool
    """Version names need not be SemVer."""
    storefront: str
    forming: str
    """How the version code is formed: counter, packed or commits."""
    first_code: int
    per_architecture: bool
    """The version code has the architecture's digit behind it."""
    kind: str
    schemes: tuple[str, ...]
    padding: str
    self_test: bool
    symbols: str
    debug_helpers: bool
    identity: str
    launch: str
    bundle: str
    compression: int
    packing: Mapping[str, str]
    """Packing by pattern, beyond the usual level."""
    player_files: tuple[str, ...]
    player_files_updates: str
    provided_libraries: tuple[str, ...]
    encryption: bool
    rules: ContentRules
    depots: tuple[DepotRule, ...]
    output: str

    @property
    def code_limit(self) -> int:
        """The largest code before the architecture's digit."""
        return self.platform.code_limit // PLACE - 1 if self.per_architecture else self.platform.code_limit

    @property
    def signs_inside(self) -> bool:
        """The signature is part of the bundle, not beside it."""
        return self.kind in ("apk", "aab")

    def version_problem(self, text: str) -> str:
        """What is wrong with a version name for this profile, as a clause; empty when nothing is."""
        return free_name_problem(text) if self.free_names else version_name_problem(text)


def resolve(document: Document, name: str) -> ResolvedProfile:
    """Raises `NotFound` with the profiles that there are."""
    own = document.profile(name)
    entries = own.get("launch.entries")
    return ResolvedProfile(
        name=name,
        title=own.get("title.name"),
        program_name=own.get("launch.program_name"),
        identifier=own.get("title.identifier"),
        platform=PLATFORMS[own.get("platform")],
        purpose=own.get("purpose"),
        architectures=own.get("code.architectures"),
        version_name=own.get("version.name"),
        free_names=own.get("version.form") == "free",
        storefront=own.get("storefront") or "",
        forming=own.get("version.code"),
        first_code=own.get("version.first_code"),
        per_architecture=own.get("version.per_architecture"),
        kind=own.get("output.kind"),
        schemes=tuple(own.get("signing.schemes") or ()),
        padding=own.get("signing.rsa_padding"),
        self_test=own.get("launch.self_test"),
        symbols=own.get("code.symbols"),
        debug_helpers=bool(own.get("code.debug_helpers")),
        identity=own.get("signing.identity") or "",
        launch=entries.get(own.get("code.architectures")[0], own.get("launch.entry")),
        bundle=own.get("output.bundle"),
        compression=own.get("content.compression"),
        packing=dict(own.get("content.packing") or {}),
        player_files=tuple(own.get("content.player_files") or ()),
        player_files_updates=own.get("content.player_files_updates"),
        provided_libraries=tuple(own.get("content.provided_libraries") or ()),
        encryption=bool(own.get("content.encryption")),
        rules=ContentRules(tuple(_patterns(own, "content.include", "")), tuple(_strip(document, own)), _classes(own)),
        depots=tuple(
            DepotRule(d.name, d.only, d.not_, d.selector, d.from_, d.to) for d in document.depots if _has(own, d)
        ),
        output=own.get("output.folder") or "",
    )


def bundle_name(profile: ResolvedProfile, title: str, version_name: str, code: int) -> str:
    """The bundle's name without an ending; also the name of its one top folder."""
    return profile.bundle.format(
        title=title, version=version_name, code=code, profile=profile.name, platform=profile.platform.name
    )


def _has(own: Resolved, depot: DepotRules) -> bool:
    """The profile's platform has the depot, and its addon goes with the profile."""
    if depot.platforms and own.get("platform") not in depot.platforms:
        return False
    addons = own.get("content.addons")
    return not depot.addon or addons is None or depot.addon in addons


def _classes(own: Resolved) -> dict[str, str]:
    """The leave-out classes with their origins; some always apply."""
    said = own.values["content.leave_out_classes"]
    return dict.fromkeys(ALWAYS, "always") | {name: said.part(name).place() for name in said.value}


def _strip(document: Document, own: Resolved) -> list[Pattern]:
    leave_out = class_patterns(_classes(own))
    leave_out += _patterns(own, "content.leave_out", "leave-out rule")
    leave_out += _left_out_units(document, own)
    leave_out += _left_out_languages(document, own)
    leave_out += _left_out_addons(document, own)
    return leave_out


def _patterns(own: Resolved, key: str, why: str) -> list[Pattern]:
    value = own.values[key]
    return [Pattern(text, f"{why} {text}".strip(), value.part(text).place()) for text in value.value]


def _elsewhere(document: Document, own: Resolved, key: str) -> list[str]:
    """What other profiles, or the document itself, list for the key, and this profile does not."""
    said = document.own.values.get(key)
    every = dict.fromkeys(said.value if said else ())
    for other in document.profiles.values():
        every.update(dict.fromkeys(other.get(key) or ()))
    mine = own.get(key) or ()
    return [item for item in every if item not in mine]


def _left_out_units(document: Document, own: Resolved) -> list[Pattern]:
    origin = own.origin("content.units").place()
    return [Pattern(unit, f"unit {unit} is left out", origin) for unit in _elsewhere(document, own, "content.units")]


def _left_out_languages(document: Document, own: Resolved) -> list[Pattern]:
    where = own.get("content.language_files")
    if not where:
        return []
    origin = own.origin("content.languages").place()
    tags = _elsewhere(document, own, "content.languages")
    return [Pattern(where.replace("{language}", tag), f"language {tag} is left out", origin) for tag in tags]


def _left_out_addons(document: Document, own: Resolved) -> list[Pattern]:
    addons = own.get("content.addons")
    if addons is None:
        return []
    origin = own.origin("content.addons").place()
    gone = [d for d in document.depots if d.addon and d.addon not in addons]
    return [Pattern(text, f"addon {d.addon} is left out", origin) for d in gone for text in d.only if text != "*"]
