"""A resolved profile: everything that a build needs to know, each rule with its origin."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.content.depots import DepotRule
from rampa.core.content.selecting import ContentRules, Pattern, class_patterns
from rampa.core.errors import NotFound
from rampa.core.profile.document import Document
from rampa.core.profile.platforms import PLATFORMS, Platform

DEFAULT_BUNDLE = "{title}-{version}-{code}-{profile}"


@dataclass(frozen=True)
class ResolvedProfile:
    name: str
    title: str
    identifier: str
    platform: Platform
    purpose: str
    architectures: tuple[str, ...]
    version_name: str
    identity: str
    launch: str
    bundle: str
    rules: ContentRules
    depots: tuple[DepotRule, ...]


def resolve(document: Document, name: str) -> ResolvedProfile:
    """Raises `NotFound` with the profiles that there are."""
    values = document.values
    profiles = values["profiles"]
    if name not in profiles:
        raise NotFound(
            "profile.unknown",
            f"the profile document has no profile {name!r}",
            hint=f"It has: {', '.join(sorted(profiles))}.",
        )
    own = profiles[name]
    return ResolvedProfile(
        name=name,
        title=values["title"]["name"],
        identifier=values["title"]["identifier"],
        platform=PLATFORMS[own["platform"]],
        purpose=own["purpose"],
        architectures=tuple(own["architectures"]),
        version_name=values["version"]["name"],
        identity=own.get("identity", ""),
        launch=own["launch"],
        bundle=own.get("bundle", DEFAULT_BUNDLE),
        rules=_rules(document, name),
        depots=_depots(document, own["platform"]),
    )


def bundle_name(profile: ResolvedProfile, title: str, version_name: str, code: int) -> str:
    """The bundle's name without an ending; also the name of its one top folder."""
    return profile.bundle.format(
        title=title, version=version_name, code=code, profile=profile.name, platform=profile.platform.name
    )


def _rules(document: Document, name: str) -> ContentRules:
    content, own = document.values["content"], document.values["profiles"][name]
    include = _patterns(document, content["include"], "", "content", "include")
    include += _patterns(document, own.get("include", []), "", "profiles", name, "include")
    classes = {c: document.line("content", "strip_classes", i) for i, c in enumerate(content.get("strip_classes", []))}
    strip = class_patterns(classes)
    strip += _patterns(document, content.get("strip", []), "strip rule", "content", "strip")
    strip += _patterns(document, own.get("strip", []), f"strip rule of {name}", "profiles", name, "strip")
    return ContentRules(tuple(include), tuple(strip))


def _patterns(document: Document, texts: list[str], why: str, *key: str) -> list[Pattern]:
    return [Pattern(text, f"{why} {text}".strip(), document.line(*key, number)) for number, text in enumerate(texts)]


def _depots(document: Document, platform: str) -> tuple[DepotRule, ...]:
    return tuple(
        DepotRule(name, tuple(own.get("only", ["*"])), tuple(own.get("not", [])), own.get("addon", ""))
        for name, own in document.values["depots"].items()
        if platform in own.get("platforms", [platform])
    )
