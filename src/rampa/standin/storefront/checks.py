"""The storefront's own checks of a bundle and what came with it. Its code, not Rampa's: they may disagree, as in life."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from rampa.core.listing.length import Length
from rampa.core.listing.table import LISTING_RULES
from rampa.standin.storefront.character import Character

MOST_NAMES = 200_000
NEEDS_A_REASON = ("camera", "microphone", "location", "contacts")
UNFINISHED = re.compile(r"(?i)(^|/|[._-])(todo|wip|untitled|copy of|new folder)")
PRIVATE = re.compile(rb"(?i)\b(confidential|do not ship|internal only)\b")
HEAD = 64 * 1024
LARGEST = 4 << 30


@dataclass(frozen=True, slots=True)
class StoreFinding:
    severity: str
    code: str
    message: str
    where: str

    def plain(self) -> dict[str, str]:
        return {"severity": self.severity, "code": self.code, "message": self.message, "where": self.where}


def check(character: Character, rules: dict[str, Any], asked: dict[str, Any], bundle: Path) -> list[StoreFinding]:
    """`rules` are what the operator changed since."""
    found = [*_permissions(asked, rules), *_listing(character, asked), *_size(bundle, rules)]
    names = _names(bundle)
    if names is None:
        return [
            *found,
            StoreFinding("blocker", "unreadable", "the bundle is no archive that this storefront can open", "bundle"),
        ]
    for surprise in character.surprises:
        found += SURPRISES[surprise](bundle, names)
    return found


def _permissions(asked: dict[str, Any], rules: dict[str, Any]) -> Iterator[StoreFinding]:
    least = int(rules.get("reason_length", 12))
    for name, reason in asked.get("permissions", {}).items():
        sensitive = any(word in name.lower() for word in NEEDS_A_REASON)
        if sensitive and len(reason.strip()) < least:
            message = f"players are told no reason why it asks for {name}"
            yield StoreFinding("blocker", "permission-reason", message, f"permission {name}")


def _listing(character: Character, asked: dict[str, Any]) -> Iterator[StoreFinding]:
    rules, listing = LISTING_RULES[character.name], asked["listing"]
    for language, texts in listing["texts"].items():
        for field, text in texts.items():
            length: Length = rules.texts[field]
            if not text.strip() or length.of(text) > length.most:
                message = f"the {field} text in {language} is empty or too long"
                yield StoreFinding("blocker", "listing-text", message, f"listing {language} {field}")
    for form, rule in rules.pictures.items():
        count = len(listing["pictures"].get(form, []))
        if count < rule.fewest:
            message = f"{count} of {rule.fewest} pictures of a {form}"
            yield StoreFinding("blocker", "listing-pictures", message, f"listing {form}")
    if not listing["rated_by"]:
        yield StoreFinding("blocker", "rating-nobody", "nobody stands for the answers of the rating", "listing rating")


def _size(bundle: Path, rules: dict[str, Any]) -> Iterator[StoreFinding]:
    most = int(rules.get("largest", LARGEST))
    if bundle.stat().st_size > most:
        yield StoreFinding("blocker", "too-large", f"the bundle has more than {most / 1e6:,.0f} MB", "bundle")


def _names(bundle: Path) -> list[str] | None:
    """Of an archive in ZIP; of any other the list is empty: this storefront does not look into those. None: it is broken."""
    with bundle.open("rb") as file:
        if file.read(4) != b"PK\x03\x04":
            return []
    try:
        with zipfile.ZipFile(bundle) as archive:
            names = archive.namelist()
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError):
        return None
    return names if len(names) <= MOST_NAMES else None


def _unfinished_names(bundle: Path, names: list[str]) -> Iterator[StoreFinding]:
    for name in [n for n in names if UNFINISHED.search(n)][:3]:
        yield StoreFinding("warning", "unfinished-name", "the name says that it is not finished", name[:200])


def _private_words(bundle: Path, names: list[str]) -> Iterator[StoreFinding]:
    texts = [n for n in names if n.lower().endswith((".txt", ".md", ".json"))][:200]
    if not texts:
        return
    with zipfile.ZipFile(bundle) as archive:
        for name in texts:
            with archive.open(name) as file:
                if PRIVATE.search(file.read(HEAD)):
                    yield StoreFinding(
                        "blocker", "private-words", "a text inside says that it must not ship", name[:200]
                    )


def _old_frames(bundle: Path, names: list[str]) -> Iterator[StoreFinding]:
    for name in [n for n in names if "frames-1." in n][:3]:
        yield StoreFinding(
            "blocker", "old-frames", "frames are drawn by a library that headsets run no more", name[:200]
        )


SURPRISES: dict[str, Callable[[Path, list[str]], Iterator[StoreFinding]]] = {
    "unfinished-names": _unfinished_names,
    "private-words": _private_words,
    "old-frames": _old_frames,
}
