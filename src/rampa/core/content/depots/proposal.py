"""Proposing depots out of exported folders: what a player of some language, without an addon, at some quality need not have.

Each platform is built from a folder of its own, so platforms need no depots. A depot that saves no player enough is not proposed:
every one costs a manifest, a line in the document, and a choice.
"""

from __future__ import annotations

import itertools
import json
import re
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass

from rampa.core.content.depots.generalized import Facet, patterns_for
from rampa.core.content.tree.tree import Tree

LANGUAGES = frozenset(
    word
    for line in (
        "en fi es de fr it pt pl ru uk cs sk sv da nb nn no is et lv lt hu ro bg el tr ar he fa hi bn ta te th vi id ms",
        "ja ko zh nl ca eu gl hr sr sl pt-BR zh-Hans zh-Hant zh-CN zh-TW es-419 en-GB en-US",
    )
    for word in line.split(" ")
)
_WORDS = "locale|locales|lang|languages|l10n|i18n|voice|voices|speech|text|texts"
_FOLDERS = re.compile(rf"(?:^|/)(?:{_WORDS})/([A-Za-z]{{2,3}}(?:[-_][A-Za-z0-9]{{2,4}})?)[./]")
_ENDING = re.compile(r"[._-]([a-z]{2}(?:[-_][A-Z]{2})?)\.[A-Za-z0-9]+$")
_ADDON = re.compile(r"^(?:.*/)?(?:addons?|dlc|packs)/([^/]+)/")
_QUALITY = re.compile(r"^(?P<stem>.+?)[-_](?P<quality>low|medium|high|ultra|hd|sd|[1248]k)/")


@dataclass(frozen=True, slots=True)
class Worth:
    """A depot is worth it where some player saves so much by not having it: a share of what the platform's players install, or
    bytes."""

    share: float = 0.03
    size: int = 5_000_000

    def enough(self, saved: int, whole: int) -> bool:
        return saved >= self.size or saved >= self.share * whole


@dataclass(frozen=True, slots=True)
class Proposed:
    """A depot: for whom, what it holds. `saves`: platform -> bytes that a player without it need not install."""

    name: str
    platforms: tuple[str, ...]
    language: str
    addon: str
    quality: str
    files: int
    size: int
    saves: Mapping[str, int]
    only: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class TooSmall:
    """What could be a depot, and saves nobody enough: its files go with everybody's. `saves`: bytes, on the platform where it is
    most."""

    what: str
    files: int
    saves: int
    platform: str


@dataclass(frozen=True, slots=True)
class Saving:
    """What a player of `platform` with one language, no addon and one quality installs; bytes. `now`: one depot."""

    platform: str
    language: str
    now: int
    then: int


@dataclass(frozen=True)
class DepotProposal:
    """`text`: the depots as tables of a profile document."""

    depots: tuple[Proposed, ...]
    too_small: tuple[TooSmall, ...]
    savings: tuple[Saving, ...]
    text: str


Held = dict[str, dict[str, int]]
"""Platform -> path -> bytes."""


def propose(trees: Mapping[str, Tree], worth: Worth = Worth()) -> DepotProposal:
    """`trees`: what was exported, by platform."""
    groups = _choices({p: dict(zip(t.files.paths, t.files.sizes, strict=True)) for p, t in trees.items()})
    small = {
        facet: held
        for facet, held in groups.items()
        if facet != Facet() and not any(worth.enough(sum(held[p].values()), trees[p].size) for p in held)
    }
    for facet in small:
        for platform, files in groups.pop(facet).items():
            groups.setdefault(Facet(), {}).setdefault(platform, {}).update(files)
    every, names = tuple(sorted(trees)), _names(sorted(groups))
    depots = tuple(_proposed(facet, name, groups, every) for facet, name in names.items())
    savings = tuple(_savings(trees, groups))
    return DepotProposal(depots, tuple(_too_small(small)), savings, _document(depots))


def _choices(files: Held) -> dict[Facet, Held]:
    """By whom they are for; a language or quality that there is only one of is no choice."""
    found: dict[Facet, Held] = defaultdict(lambda: defaultdict(dict))
    for platform, sizes in files.items():
        for path, size in sizes.items():
            found[Facet(language_of(path), addon_of(path), quality_of(path))][platform][path] = size
    languages, qualities = ({getattr(f, w) for f in found if getattr(f, w)} for w in ("language", "quality"))
    out: dict[Facet, Held] = {}
    for facet, held in found.items():
        language = facet.language if len(languages) > 1 else ""
        quality = facet.quality if len(qualities) > 1 else ""
        for platform, sizes in held.items():
            out.setdefault(Facet(language, facet.addon, quality), {}).setdefault(platform, {}).update(sizes)
    return out


def language_of(path: str) -> str:
    """The language that a path names, as a tag, or nothing."""
    for pattern in (_FOLDERS, _ENDING):
        match = pattern.search(path)
        if match and match[1].replace("_", "-") in LANGUAGES:
            return match[1].replace("_", "-")
    return ""


def addon_of(path: str) -> str:
    match = _ADDON.match(path)
    return match[1] if match else ""


def quality_of(path: str) -> str:
    match = _QUALITY.match(path)
    return match["quality"] if match else ""


def _proposed(facet: Facet, name: str, groups: Mapping[Facet, Held], everything: tuple[str, ...]) -> Proposed:
    held = groups[facet]
    paths = {path for sizes in held.values() for path in sizes}
    others = {path for f, them in groups.items() if f != facet for sizes in them.values() for path in sizes}
    return Proposed(
        name,
        () if set(held) == set(everything) else tuple(sorted(held)),
        facet.language,
        facet.addon,
        facet.quality,
        len(paths),
        max(sum(sizes.values()) for sizes in held.values()),
        {} if facet == Facet() else {p: sum(sizes.values()) for p, sizes in sorted(held.items())},
        () if facet == Facet() else tuple(patterns_for(paths, others, facet)),
    )


def _names(facets: list[Facet]) -> dict[Facet, str]:
    """An addon and a language can be called the same."""
    out: dict[Facet, str] = {}
    for facet in facets:
        said = [facet.addon, facet.quality, facet.language]
        words = "-".join(re.sub(r"[^a-z0-9]+", "-", w.lower()).strip("-") for w in said if w)
        name = words.strip("-")[:46] or ("base" if facet == Facet() else "more")
        numbered = (f"{name}-{n}" if n > 1 else name for n in itertools.count(1))
        out[facet] = next(each for each in numbered if each not in out.values())
    return out


def _too_small(small: Mapping[Facet, Held]) -> list[TooSmall]:
    out = []
    for facet, held in small.items():
        size, platform = max((sum(sizes.values()), platform) for platform, sizes in held.items())
        what = ", ".join(w for w in (facet.language, facet.addon, facet.quality) if w)
        out.append(TooSmall(what, len({path for sizes in held.values() for path in sizes}), size, platform))
    return sorted(out, key=lambda t: (-t.saves, t.what))


def _savings(trees: Mapping[str, Tree], groups: Mapping[Facet, Held]) -> list[Saving]:
    languages = sorted({f.language for f in groups if f.language}) or [""]
    quality = next((f.quality for f in sorted(groups) if f.quality), "")
    out = []
    for platform in sorted(trees):
        for language in languages:
            then = sum(
                sum(held.get(platform, {}).values())
                for facet, held in groups.items()
                if facet.language in ("", language) and facet.quality in ("", quality) and not facet.addon
            )
            out.append(Saving(platform, language, trees[platform].size, then))
    return out


def _document(depots: tuple[Proposed, ...]) -> str:
    """The tables for a profile document."""
    lines = []
    words: list[tuple[str, object]]
    for d in depots:
        lines.append(f"[depots.{d.name}]")
        rest = [p for o in depots for p in o.only]
        words = [("only", d.only), ("not", () if d.only else rest), ("platforms", d.platforms)]
        words += [("language", d.language), ("quality", d.quality), ("addon", d.addon)]
        # What JSON writes for texts and lists of them, TOML reads.
        lines += [f"{word} = {json.dumps(value, ensure_ascii=False)}" for word, value in words if value]
        lines.append("")
    return "\n".join(lines)
