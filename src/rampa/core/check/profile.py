"""Checking profiles before a build starts: the rules of platform, purpose and storefront, and what settings ask of one another.

Each finding names the key, where its value came from, the value, what is allowed, and the edit that fixes it where a
machine can say one.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

from rampa.core.check.cross_setting_rules import cross_setting_findings
from rampa.core.check.findings import SEVERITIES
from rampa.core.check.fixes import at_the_source
from rampa.core.check.profile_findings import ProfileFinding
from rampa.core.platform.rules import Rule
from rampa.core.platform.table import rules_for
from rampa.core.profile.document import Document
from rampa.core.profile.edits import Edit
from rampa.core.profile.resolution import Resolved
from rampa.core.profile.settings.table import SETTINGS
from rampa.core.profile.values import DEFAULT, spoken

Identities = frozenset[str] | None
"""The names of the signing identities that there are; None where nobody knows, as for a document on disk."""


def check_document(document: Document, identities: Identities = None) -> list[ProfileFinding]:
    """All findings of all profiles, and of the document itself; blockers first."""
    found = [f for profile in document.profiles.values() for f in check_profile(document, profile, identities)]
    return in_order([*at_the_source(document, found), *_document(document)])


def check_profile(document: Document, profile: Resolved, identities: Identities = None) -> list[ProfileFinding]:
    """One profile's findings, blockers first."""
    shop = profile.settings.storefront
    rules = rules_for(profile.settings.platform, shop, profile.settings.purpose)
    found: dict[str, ProfileFinding] = {}
    for rule in rules:
        broken = _broken(rule, profile)
        if broken:
            # Platform and storefront may ask the same, one more than the other: the graver one is said, of equals the later.
            known = found.get(broken.name)
            if known is None or SEVERITIES.index(broken.severity) <= SEVERITIES.index(known.severity):
                found[broken.name] = broken
    return in_order([*found.values(), *cross_setting_findings(document, profile, identities)])


def in_order(found: list[ProfileFinding]) -> list[ProfileFinding]:
    return sorted(found, key=lambda f: (SEVERITIES.index(f.severity), f.profile, f.key, f.code))


def stops_a_build(found: list[ProfileFinding]) -> list[ProfileFinding]:
    """Those with which no build may start."""
    return [f for f in found if f.severity == "blocker"]


def _broken(rule: Rule, profile: Resolved) -> ProfileFinding | None:
    found = profile.values.get(rule.key)
    value = found.value if found else None
    # Nothing was said, and the rule does not ask for anything to be said.
    if value in (None, "") and not rule.unset:
        return None
    if value not in (None, "") and rule.requirement.holds(value):
        return None
    if rule.when and not all(profile.get(key) in allowed for key, allowed in rule.when):
        return None
    label = SETTINGS[rule.key].label
    said = "not set" if value in (None, "") else spoken(rule.requirement.wrong(value))
    return ProfileFinding(
        rule.severity,
        rule.code,
        profile.name,
        rule.key,
        found.origin if found else DEFAULT,
        spoken(value),
        rule.requirement.words(),
        f"{label}: {said}; {rule.why}",
        "",
        _fix(rule, profile, value),
    )


def _fix(rule: Rule, profile: Resolved, value: Any) -> tuple[Edit, ...]:
    """In the profile's own table: a facet or the document is shared with profiles for which the value may be right."""
    fixed = rule.requirement.fix(value if value is not None else "")
    if fixed in (None, ""):
        return ()
    return (profile_edit(profile, rule.key, fixed),)


def profile_edit(profile: Resolved, key: str, value: Any) -> Edit:
    return Edit(("profiles", profile.name, *SETTINGS[key].path), value)


def _document(document: Document) -> Iterator[ProfileFinding]:
    yield from _unused_facets(document)
    yield from _same_bundle(document)


def _unused_facets(document: Document) -> Iterator[ProfileFinding]:
    used = {name for profile in document.profiles.values() for name in profile.facets}
    for name in document.facets:
        if name not in used:
            origin = document.at.of(("facets", name))
            yield ProfileFinding(
                "note",
                "facet.unused",
                "",
                f"facets.{name}",
                DEFAULT._replace(layer=f"facet {name}", line=origin.line, column=origin.column),
                name,
                "",
                f"no profile uses the facet {name}",
                "Name it in a profile's `facets`, or take it out.",
            )


def _same_bundle(document: Document) -> Iterator[ProfileFinding]:
    """Two profiles whose bundles get one name: in one folder, one would replace the other."""
    by_name: dict[str, list[Resolved]] = defaultdict(list)
    for profile in document.profiles.values():
        template = profile.settings.output.bundle
        name = template.replace("{profile}", profile.name).replace("{platform}", profile.settings.platform)
        by_name[f"{name}.{profile.get('output.kind')}"].append(profile)
    for profiles in by_name.values():
        for profile in profiles[1:]:
            yield ProfileFinding(
                "warning",
                "output.same-name",
                profile.name,
                "output.bundle",
                profile.origin("output.bundle"),
                profile.settings.output.bundle,
                "a name that no other profile's bundle has",
                f"Bundle name: the one that {profiles[0].name} has; in one folder, one bundle would replace the other",
                "",
                (profile_edit(profile, "output.bundle", "{title}-{version}-{code}-{profile}"),),
            )
