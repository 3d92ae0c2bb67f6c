"""A resolved profile as a build needs it: typed, each content rule with its origin."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.content.budgets import Budgets, read_budgets
from rampa.core.content.depots.depots import DepotRule
from rampa.core.content.select.leave_out_classes import ALWAYS
from rampa.core.content.select.selection import ContentRules, Pattern, class_patterns
from rampa.core.platform.rules import Platform
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.document import DepotRules, Document
from rampa.core.profile.groups import Settings
from rampa.core.profile.resolution import Resolved
from rampa.core.profile.settings.build import DEFAULT_BUNDLE
from rampa.core.version.forms import PLACE
from rampa.core.version.name import free_name_problem, version_name_problem

__all__ = ["DEFAULT_BUNDLE", "ResolvedProfile", "bundle_name", "resolve"]


@dataclass(frozen=True)
class ResolvedProfile:
    """A profile as a build needs it: its settings, the rules of what goes in with their origins, and its depots."""

    name: str
    platform: Platform
    settings: Settings
    rules: ContentRules
    depots: tuple[DepotRule, ...]

    @property
    def budgets(self) -> Budgets:
        return read_budgets(self.settings.budgets.depots, self.settings.budgets.folders)

    @property
    def launch(self) -> str:
        """The path that the first architecture starts."""
        launch = self.settings.launch
        return launch.entries.get(self.settings.code.architectures[0], launch.entry)

    @property
    def code_limit(self) -> int:
        """The largest code before the architecture's digit."""
        limit = self.platform.code_limit
        # The architecture's digit takes the last places of the code.
        return limit // PLACE - 1 if self.settings.version.per_architecture else limit

    @property
    def signs_inside(self) -> bool:
        """The signature is part of the bundle, not beside it."""
        return self.settings.output.kind in ("apk", "aab")

    def version_problem(self, text: str) -> str:
        """What is wrong with a version name for this profile, as a clause; empty when nothing is."""
        free = self.settings.version.form == "free"
        return free_name_problem(text) if free else version_name_problem(text)


def resolve(document: Document, name: str) -> ResolvedProfile:
    """Raises `NotFound` with the profiles that there are."""
    found = document.profile(name)
    include, leave_out = _patterns(found, "content.include", ""), _leave_out(document, found)
    return ResolvedProfile(
        name=name,
        platform=PLATFORMS[found.settings.platform],
        settings=found.settings,
        rules=ContentRules(tuple(include), tuple(leave_out), _classes(found)),
        depots=tuple(
            DepotRule(d.name, d.only, d.not_, d.selector, d.from_, d.to) for d in document.depots if _has(found, d)
        ),
    )


def bundle_name(profile: ResolvedProfile, title: str, version_name: str, code: int) -> str:
    """The bundle's name without an ending; also the name of its one top folder."""
    return profile.settings.output.bundle.format(
        title=title, version=version_name, code=code, profile=profile.name, platform=profile.platform.name
    )


def _has(profile: Resolved, depot: DepotRules) -> bool:
    """The profile's platform has the depot, and its addon goes with the profile."""
    if depot.platforms and profile.settings.platform not in depot.platforms:
        return False
    addons = profile.settings.content.addons
    return not depot.addon or addons is None or depot.addon in addons


def _classes(profile: Resolved) -> dict[str, str]:
    """The leave-out classes with their origins; some always apply."""
    said = profile.values["content.leave_out_classes"]
    return dict.fromkeys(ALWAYS, "always") | {name: said.part(name).place() for name in said.value}


def _leave_out(document: Document, profile: Resolved) -> list[Pattern]:
    leave_out = class_patterns(_classes(profile))
    leave_out += _patterns(profile, "content.leave_out", "leave-out rule")
    leave_out += _left_out_units(document, profile)
    leave_out += _left_out_languages(document, profile)
    leave_out += _left_out_addons(document, profile)
    return leave_out


def _patterns(profile: Resolved, key: str, why: str) -> list[Pattern]:
    value = profile.values[key]
    return [Pattern(text, f"{why} {text}".strip(), value.part(text).place()) for text in value.value]


def _elsewhere(document: Document, profile: Resolved, key: str) -> list[str]:
    """What other profiles, or the document itself, list for the key, and this profile does not."""
    said = document.base.values.get(key)
    every = dict.fromkeys(said.value if said else ())
    for other in document.profiles.values():
        every.update(dict.fromkeys(other.get(key) or ()))
    mine = profile.get(key) or ()
    # What a unit, a language or an addon is, only the profiles that have it say: the others leave out what they do not
    # name.
    return [item for item in every if item not in mine]


def _left_out_units(document: Document, profile: Resolved) -> list[Pattern]:
    origin = profile.origin("content.units").place()
    return [
        Pattern(unit, f"unit {unit} is left out", origin) for unit in _elsewhere(document, profile, "content.units")
    ]


def _left_out_languages(document: Document, profile: Resolved) -> list[Pattern]:
    where = profile.settings.content.language_files
    if not where:
        return []
    origin = profile.origin("content.languages").place()
    tags = _elsewhere(document, profile, "content.languages")
    return [Pattern(where.replace("{language}", tag), f"language {tag} is left out", origin) for tag in tags]


def _left_out_addons(document: Document, profile: Resolved) -> list[Pattern]:
    addons = profile.settings.content.addons
    if addons is None:
        return []
    origin = profile.origin("content.addons").place()
    gone = [d for d in document.depots if d.addon and d.addon not in addons]
    return [Pattern(text, f"addon {d.addon} is left out", origin) for d in gone for text in d.only if text != "*"]
