"""Proposing depots: what players of one platform or language need not download, out of exported folders."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass

from rampa.core.content.tree.tree import FileEntry, Tree

LEAST_SHARE = 0.001
"""A depot smaller than this share of the content is not worth its request: its files go with everybody's."""
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
class Proposed:
    """A depot: for whom, what it holds. Bytes."""

    name: str
    platforms: tuple[str, ...]
    language: str
    addon: str
    quality: str
    files: int
    size: int
    only: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Saving:
    """What a player of `platform` with one language, no addon and one quality installs; bytes. `now`: one depot a platform."""

    platform: str
    language: str
    now: int
    then: int


@dataclass(frozen=True)
class DepotProposal:
    """`text`: the depots as tables of a profile document."""

    depots: tuple[Proposed, ...]
    savings: tuple[Saving, ...]
    text: str


@dataclass(frozen=True, slots=True, order=True)
class _Key:
    platforms: tuple[str, ...]
    language: str
    addon: str
    quality: str


def propose(trees: Mapping[str, Tree]) -> DepotProposal:
    """`trees`: what was exported, by platform."""
    groups: dict[_Key, dict[str, FileEntry]] = defaultdict(dict)
    for key, path, file in _sorted_out(trees):
        groups[key][path] = file
    groups = _merged(groups, sum(t.size for t in trees.values()))
    everything = tuple(sorted(trees))
    depots = tuple(
        Proposed(
            _name(key, everything),
            () if key.platforms == everything else key.platforms,
            key.language,
            key.addon,
            key.quality,
            len(files),
            sum(f.size for f in files.values()),
            tuple(_patterns(files, groups, key)),
        )
        for key, files in sorted(groups.items())
    )
    return DepotProposal(depots, tuple(_savings(trees, groups)), _document(depots))


def _sorted_out(trees: Mapping[str, Tree]) -> list[tuple[_Key, str, FileEntry]]:
    """The same path with the same content on several platforms is one file of a shared depot."""
    # By path and content: the same name with other bytes is a platform's own file.
    has: dict[tuple[str, bytes], list[str]] = defaultdict(list)
    first: dict[tuple[str, bytes], FileEntry] = {}
    for platform in sorted(trees):
        for file in trees[platform].files:
            has[file.path, file.digest].append(platform)
            first.setdefault((file.path, file.digest), file)
    return [
        (_Key(tuple(platforms), language_of(path), addon_of(path), quality_of(path)), path, first[path, digest])
        for (path, digest), platforms in has.items()
    ]


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


def _merged(groups: dict[_Key, dict[str, FileEntry]], whole: int) -> dict[_Key, dict[str, FileEntry]]:
    """Qualities and languages that there is only one of are no choice; a tiny language goes with everybody's files."""
    out: dict[_Key, dict[str, FileEntry]] = defaultdict(dict)
    many = {w: {getattr(k, w) for k in groups if getattr(k, w)} for w in ("language", "quality")}
    languages = sum(f.size for k, files in groups.items() if k.language for f in files.values())
    for key, files in groups.items():
        language = key.language if len(many["language"]) > 1 and languages > LEAST_SHARE * whole else ""
        quality = key.quality if len(many["quality"]) > 1 else ""
        out[_Key(key.platforms, language, key.addon, quality)].update(files)
    return out


def _name(key: _Key, everything: tuple[str, ...]) -> str:
    said = [key.addon, key.quality, key.language]
    if key.platforms != everything:
        said.append("-".join(key.platforms))
    words = "-".join(re.sub(r"[^a-z0-9]+", "-", w.lower()).strip("-") for w in said if w)
    return words[:49] or "base"


def _patterns(files: Mapping[str, FileEntry], groups: Mapping[_Key, Mapping[str, FileEntry]], depot: _Key) -> list[str]:
    """The highest folders that hold nothing of another depot, and single files where there is no such folder."""
    others = {path for key, them in groups.items() if key != depot for path in them}
    # Every folder above a file of another depot holds something of it, up to the top.
    taken = {path[: i + 1] for path in others for i, c in enumerate(path) if c == "/"}
    out: dict[str, None] = {}
    for path in sorted(files):
        folders = [path[: i + 1] for i, c in enumerate(path) if c == "/"]
        free = next((f for f in folders if f not in taken), None)
        out["/" + (free or path)] = None
    return list(out)


def _savings(trees: Mapping[str, Tree], groups: Mapping[_Key, Mapping[str, FileEntry]]) -> list[Saving]:
    languages = sorted({k.language for k in groups if k.language}) or [""]
    quality = next((k.quality for k in sorted(groups) if k.quality), "")
    out = []
    for platform in sorted(trees):
        for language in languages:
            then = sum(
                f.size
                for key, files in groups.items()
                if platform in key.platforms
                and key.language in ("", language)
                and key.quality in ("", quality)
                and not key.addon
                for f in files.values()
            )
            out.append(Saving(platform, language, trees[platform].size, then))
    return out


def _document(depots: tuple[Proposed, ...]) -> str:
    """The tables for a profile document."""
    lines = []
    for d in depots:
        lines.append(f"[depots.{d.name}]")
        if d.name != "base":
            lines.append("only = [" + ", ".join(f'"{_quoted(p)}"' for p in d.only) + "]")
        else:
            rest = [p for o in depots if o is not d for p in o.only]
            if rest:
                lines.append("not = [" + ", ".join(f'"{_quoted(p)}"' for p in rest) + "]")
        if d.platforms:
            lines.append("platforms = [" + ", ".join(f'"{p}"' for p in d.platforms) + "]")
        lines += [
            f'{word} = "{_quoted(value)}"'
            for word, value in (("language", d.language), ("quality", d.quality))
            if value
        ]
        if d.addon:
            lines.append(f'addon = "{_quoted(d.addon)}"')
        lines.append("")
    return "\n".join(lines)


def _quoted(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', '\\"')
