"""What changed since the submission that a new one mends: told to the reviewers, and shown before it is sent."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from rampa.core.quantity import counted

Texts = Mapping[str, Mapping[str, str]]
"""Language -> field -> text."""


@dataclass(frozen=True)
class Put:
    """What was put before reviewers. `pictures`: form of device -> digests; sizes are bytes."""

    version_name: str
    version_code: int
    sha256: str
    size: int
    rating: str
    permissions: Mapping[str, str] = field(default_factory=dict)
    texts: Texts = field(default_factory=dict)
    pictures: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    links: Mapping[str, str] = field(default_factory=dict)


def changed(old: Put, new: Put) -> list[str]:
    """In sentences, the gravest first; empty where it is the same."""
    return [*_build(old, new), *_permissions(old.permissions, new.permissions), *_listing(old, new)]


def _build(old: Put, new: Put) -> Iterator[str]:
    if old.sha256 != new.sha256:
        by = new.size - old.size
        size = (
            f"{abs(by) / 1e6:,.1f} MB {'larger' if by > 0 else 'smaller'}"
            if abs(by) >= 50_000
            else "of about the same size"
        )
        yield (
            f"A new build: {new.version_name} ({new.version_code}) in place of {old.version_name} ({old.version_code}), "
            f"its bundle {size}."
        )


def _permissions(old: Mapping[str, str], new: Mapping[str, str]) -> Iterator[str]:
    for name in sorted(old.keys() - new.keys()):
        yield f"It does not ask for {name} any more."
    for name in sorted(new.keys() - old.keys()):
        yield f"It asks for {name}: {new[name]}"
    for name in sorted(old.keys() & new.keys()):
        if old[name] != new[name]:
            yield f"The reason for {name} is now: {new[name]}"


def _listing(old: Put, new: Put) -> Iterator[str]:
    for language in sorted(new.texts.keys() - old.texts.keys()):
        yield f"The listing is there in {language}, too."
    for language in sorted(old.texts.keys() - new.texts.keys()):
        yield f"The listing is not there in {language} any more."
    for language in sorted(old.texts.keys() & new.texts.keys()):
        fields = [f for f, text in new.texts[language].items() if text != old.texts[language].get(f)]
        if fields:
            yield f"Other texts in {language}: {', '.join(fields)}."
    for form in sorted(old.pictures.keys() | new.pictures.keys()):
        before, after = set(old.pictures.get(form, ())), set(new.pictures.get(form, ()))
        if before != after:
            added, gone = len(after - before), len(before - after)
            yield f"Pictures of {form}: {counted(added, 'new one')}, {gone:,} taken out."
    for link in sorted(new.links.keys() | old.links.keys()):
        if old.links.get(link) != new.links.get(link):
            yield f"Another {link} link: {new.links.get(link) or 'none'}."
    if old.rating != new.rating:
        yield f"The age rating is {new.rating or 'not given'}; it was {old.rating or 'not given'}."
