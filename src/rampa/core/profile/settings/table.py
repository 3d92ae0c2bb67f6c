"""All settings, by key, in the order in which people read them; version 2 of the table.

docs/profile-document.md is made from this table.
"""

from __future__ import annotations

from rampa.core.content.tree.paths import path_problem
from rampa.core.patterns import pattern_problem
from rampa.core.profile.settings import build, content, identity
from rampa.core.profile.settings.checks import language, name, words
from rampa.core.profile.settings.kinds import Setting

GROUPS = {
    "profile": "Profile",
    "title": "Identity",
    "version": "Version",
    "content": "Content",
    "budgets": "Budgets",
    "display": "Display",
    "pictures": "Pictures",
    "code": "Code",
    "system": "Operating system",
    "toolchain": "Toolchain",
    "output": "Output",
    "launch": "Launch",
    "signing": "Signing",
}


def _ordered() -> dict[str, Setting]:
    every = [*identity.SETTINGS, *content.SETTINGS, *build.SETTINGS]
    return {s.key: s for group in GROUPS for s in every if s.group == group}


SETTINGS: dict[str, Setting] = _ordered()
DEPOT: dict[str, Setting] = {
    s.name: s
    for s in (
        Setting(
            "depots.only",
            "Only",
            "What the depot delivers, as patterns; everything without it.",
            "texts",
            check=pattern_problem,
            example='["addons/"]',
            used="build",
        ),
        Setting(
            "depots.not",
            "Not",
            "What it leaves to other depots.",
            "texts",
            check=pattern_problem,
            example='["addons/"]',
            used="build",
        ),
        Setting(
            "depots.platforms",
            "Platforms",
            "The platforms that have this depot; all without it.",
            "texts",
            allowed=SETTINGS["platform"].allowed,
            example='["linux"]',
            used="build",
        ),
        Setting(
            "depots.addon",
            "Addon",
            "The addon that it belongs to.",
            check=words,
            example='"Winter Timetable"',
            used="build",
        ),
        Setting(
            "depots.architectures",
            "Architectures",
            "The architectures that it is for; all without it. Depots of different ones may deliver the same paths.",
            "texts",
            check=words,
            example='["arm64"]',
            used="build",
        ),
        Setting(
            "depots.language",
            "Language",
            "The language that it is for (BCP 47); a device gets those that its player chose.",
            check=language,
            example='"fi"',
            used="build",
        ),
        Setting(
            "depots.quality",
            "Asset quality",
            "The quality that it is for; a device gets one, the first without a choice.",
            check=name,
            example='"high"',
            used="build",
        ),
        Setting(
            "depots.from",
            "From",
            "A folder of the source: only what lies below it is taken.",
            check=path_problem,
            example='"textures-4k"',
            used="build",
        ),
        Setting(
            "depots.to",
            "To",
            "The folder on the device that it is delivered to.",
            check=path_problem,
            example='"textures"',
            used="build",
        ),
    )
}
TABLES = tuple(group for group in GROUPS if group != "profile")
"""Tables that the document has once, and that each facet and profile may have again."""
name_problem = name
