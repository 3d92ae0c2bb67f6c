"""Reading a profile document (`rampa.toml`): every problem with line and column, all at once; then each profile resolved."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from typing import Any

from rampa.core.errors import NotFound
from rampa.core.profile.facets import UNSOUND, check_uses, order
from rampa.core.profile.identifiers import proposed_identifier
from rampa.core.profile.layers import Layer, LayerReader
from rampa.core.profile.positions import Positions, positions
from rampa.core.profile.problems import DocumentInvalid, DocumentProblem
from rampa.core.profile.resolution import Resolved, missing, resolve_layers, too_long
from rampa.core.profile.secrets import find_secrets
from rampa.core.profile.settings.table import SETTINGS, TABLES, name_problem
from rampa.core.profile.tables import DepotRules, OwnStep, read_depot, read_step
from rampa.core.profile.toml_text import MAX_BYTES, checked_text, syntax_problems
from rampa.core.profile.values import FILE_NAME, MAX_ITEMS

__all__ = ["FILE_NAME", "MAX_BYTES", "DepotRules", "Document", "OwnStep", "read_document"]
NAMED = {"facets": "facet", "profiles": "profile", "depots": "depot", "steps": "step"}
MOST = {"facets": 300, "profiles": 100, "depots": 300, "steps": 100}
MAY_LACK = ("facets", "steps")

MAX_APPLIED = 50
"""Facets that apply to one profile."""
NEEDED = {"title": ("name", "identifier", "studio"), "version": ("name",)}


@dataclass(frozen=True)
class Document:
    """A valid document: its text, its base layer, its facets, its depots and steps, its resolved profiles, all in their order."""

    text: str
    base: Layer
    facets: dict[str, Layer]
    layers: dict[str, Layer]
    profiles: dict[str, Resolved]
    depots: tuple[DepotRules, ...]
    steps: dict[str, OwnStep]
    at: Positions

    def title(self, key: str) -> str:
        """One of the title's own values: `title.name`, `title.identifier`, `title.studio`, `version.name`."""
        value: str = self.base.values[key].value
        return value

    def profile(self, name: str) -> Resolved:
        """Raises `NotFound` with the profiles that there are."""
        if name not in self.profiles:
            raise NotFound(
                "profile.unknown",
                f"the profile document has no profile {name!r}",
                hint=f"It has: {', '.join(sorted(self.profiles))}.",
            )
        return self.profiles[name]


def read_document(data: bytes) -> Document:
    """Raises `DocumentInvalid` with every problem."""
    text = checked_text(data)
    at = positions(text)
    # Before the text is parsed: a document that cannot be read may hold a secret as well.
    secrets = find_secrets(text)
    try:
        values = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise DocumentInvalid([*syntax_problems(error, at), *secrets]) from error
    reading = _DocumentReading(at)
    document = reading.document(text, values)
    # Other problems of a line with a secret would say its value again.
    seen = {p.line for p in secrets}
    problems = [*(p for p in reading.problems if p.line not in seen), *secrets]
    if problems or document is None:
        raise DocumentInvalid(problems)
    return document


class _DocumentReading:
    """One document's reading: layers first, then how they fit together."""

    def __init__(self, at: Positions) -> None:
        self._at = at
        self._reader = LayerReader(at)

    @property
    def problems(self) -> list[DocumentProblem]:
        return self._reader.problems

    def document(self, text: str, values: dict[str, Any]) -> Document | None:
        self._top(values)
        base = self._reader.layer("document", (), values)
        facets = self._layers("facets", values)
        profiles = self._layers("profiles", values)
        depots = tuple(read_depot(self._reader, self._at, *d) for d in self._named("depots", values))
        steps = {name: read_step(self._reader, self._at, name, table) for name, table in self._named("steps", values)}
        if not self._whole(facets, values.get("facets", {})):
            return None  # without its facets nothing can be said of what a profile lacks
        check_uses([*facets.values(), *profiles.values()], facets, self._reader.say)
        if any(p.code == UNSOUND for p in self.problems):
            return None
        resolved = {}
        for name, layer in profiles.items():
            applied = len(order(layer, facets))
            if applied > MAX_APPLIED:
                self._reader.say(("profiles", name), f"{applied} facets apply to it, and at most {MAX_APPLIED} may")
            else:
                resolved[name] = resolve_layers(base, layer, facets)
        layers = [base, *facets.values(), *profiles.values()]
        self._missing(resolved, {key for layer in layers for key in layer.spoiled})
        if self.problems:
            return None
        return Document(text, base, facets, profiles, resolved, depots, steps, self._at)

    @staticmethod
    def _whole(read: dict[str, Layer], asked: object) -> bool:
        """Every facet of the document could be read as a table; if not, its problem was said."""
        return isinstance(asked, dict) and len(read) == len(asked)

    def _top(self, values: dict[str, Any]) -> None:
        """The title's own tables, and what may stand beside them."""
        known = (*TABLES, *NAMED)
        for word in values:
            if word not in known:
                self._reader.unknown((word,), known)
        for table, keys in NEEDED.items():
            said = values.get(table)
            if said is None:
                self._reader.say((), f"the table [{table}] is missing", f"It holds: {', '.join(keys)}.")
            for key in keys:
                if isinstance(said, dict) and key not in said:
                    example = f"{key} = {SETTINGS[f'{table}.{key}'].example}"
                    if (table, key) == ("title", "identifier"):
                        example = f'identifier = "{proposed_identifier(str(said.get("studio", "")), str(said.get("name", "")))}"'
                    self._reader.say((table,), f"the key {key!r} is missing", f"For example: {example}.")

    def _named(self, section: str, values: dict[str, Any]) -> list[tuple[str, dict[str, Any]]]:
        tables, one = values.get(section), NAMED[section]
        if tables is None or tables == {}:
            if section not in MAY_LACK:
                self._reader.say((section,), f"there is no {one}", f"Add a table [{section}.NAME].")
            return []
        if not self._reader.is_table((section,), tables):
            return []
        if len(tables) > MOST[section]:
            said = f"there are {len(tables)} {section}, and at most {MOST[section]} are read"
            self._reader.say((section,), said, code=UNSOUND)
            return []
        for name in tables:
            problem = name_problem(name)
            if problem:
                self._reader.say((section, name), f"{name[:60]!r} cannot name a {one}: {problem}")
        return [(n, t) for n, t in tables.items() if self._reader.is_table((section, n), t)]

    def _layers(self, section: str, values: dict[str, Any]) -> dict[str, Layer]:
        one = NAMED[section]
        return {n: self._reader.layer(f"{one} {n}", (section, n), t) for n, t in self._named(section, values)}

    def _missing(self, resolved: dict[str, Resolved], spoiled: set[str]) -> None:
        """`spoiled` keys are said somewhere, wrongly: that was told, and they are not missing."""
        for name, profile in resolved.items():
            for key in too_long(profile):
                self._reader.say(
                    ("profiles", name), f"{key} has more than {MAX_ITEMS} items when its facets are applied"
                )
            for key in missing(profile):
                if key in spoiled:
                    continue
                group = key.partition(".")[0]
                where = "it, or in a facet that it uses" + (f", or in [{group}]" if "." in key else "")
                hint = f"Say it in {where}. For example: {key} = {SETTINGS[key].example}."
                self._reader.say(("profiles", name), f"the profile has no {key}", hint)
