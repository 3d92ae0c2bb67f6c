"""Profiles as they are resolved, compared and checked; settings; texts that are no revision yet."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.profile.problems import DocumentProblem
from rampa.schema.common import Number, Query, Slug, Wire
from rampa.schema.titles.titles import DocumentText, TitlePath

Json = str | int | bool | list[str] | dict[str, str] | None
"""A setting's value: text, number, flag, list of texts, table of text to text; null where it is not set."""
Part = Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^\x00]*$")]
Side = Annotated[str, StringConstraints(pattern=r"^(#\d{1,9}|[a-z0-9][a-z0-9-]{0,48}(@\d{1,9})?)$")]


class SettingOut(Wire):
    """A row of the settings' table: what the document can say. See docs/profile-document.md."""

    key: str
    group: str
    label: str
    help: str
    kind: str
    required: bool
    allowed: list[str]
    least: int
    most: int
    unit: str
    example: str
    platforms: list[str]
    used: str
    everywhere: bool


class GroupOut(Wire):
    name: str
    label: str


class PlatformOut(Wire):
    """What a platform allows, for those who edit: key -> the choices that hold there."""

    name: str
    title: str
    levels: str
    lowest: str
    allowed: dict[str, list[str]]


class SettingsOut(Wire):
    groups: list[GroupOut]
    settings: list[SettingOut]
    platforms: list[PlatformOut]
    storefronts: dict[str, str]


class OriginOut(Wire):
    """Where a value was said: `document`, `facet NAME`, `profile NAME` or `default`; line and column from 1, 0 for a default."""

    layer: str
    line: int
    column: int


class EditWire(Wire):
    """Sets the key at `path` to `value`; null takes it out. `says` puts it in words and may be left out when asking."""

    path: Annotated[list[Part], Field(min_length=1, max_length=8)]
    value: str | int | bool | list[str] | dict[str, str | bool | list[str]] | None
    says: str = ""


class ProfileFindingOut(Wire):
    """What a check found in a profile. `name` names it in its document; `fix` is empty where a person must say."""

    name: str
    severity: str
    code: str
    profile: str
    key: str
    label: str
    origin: OriginOut
    value: str
    allowed: str
    message: str
    hint: str
    fix: list[EditWire]


class ValueOut(Wire):
    """A resolved value: `text` for people; `parts` the origin of each list item or table entry."""

    value: Json
    text: str
    origin: OriginOut
    parts: dict[str, OriginOut]


class ResolvedSetting(Wire):
    key: str
    label: str
    group: str
    value: ValueOut | None


class ResolvedOut(Wire):
    """One profile: every setting with its value and origin."""

    title: str
    revision: int
    name: str
    platform: str
    platform_title: str
    purpose: str
    storefront: str
    facets: list[str]
    settings: list[ResolvedSetting]
    findings: list[ProfileFindingOut]


class ColumnOut(Wire):
    """A profile in the matrix."""

    name: str
    platform: str
    platform_title: str
    purpose: str
    storefront: str
    facets: list[str]
    blockers: int
    warnings: int
    notes: int


class RowOut(Wire):
    """A setting over all profiles: `cells` in the columns' order; `odd` are places of the odd ones out."""

    key: str
    label: str
    group: str
    differs: bool
    odd: list[int]
    cells: list[ValueOut | None]


class MatrixOut(Wire):
    """Settings x profiles, with all findings. `revision` 0: of a text that is no revision."""

    title: str
    revision: int
    columns: list[ColumnOut]
    groups: list[GroupOut]
    rows: list[RowOut]
    findings: list[ProfileFindingOut]
    facets: list[str]


class SideOut(Wire):
    """One side of a comparison. `build` 0 when it is not a build's."""

    says: str
    profile: str
    revision: int
    build: int


class DifferenceOut(Wire):
    """A setting that differs. `added` and `taken`: what the right side has more and less; `moved`: another order only."""

    key: str
    label: str
    group: str
    left: ValueOut | None
    right: ValueOut | None
    added: list[str]
    taken: list[str]
    moved: bool


class ComparisonOut(Wire):
    left: SideOut
    right: SideOut
    groups: list[GroupOut]
    differences: list[DifferenceOut]


class CompareQuery(Query):
    """`profile`, `profile@revision` or `#build`."""

    left: Side
    right: Side


class ProfilePath(TitlePath):
    profile: Slug


class AtRevision(Query):
    """Which revision; the newest without it."""

    revision: Number | None = None


class CheckOut(Wire):
    """All findings of all profiles of a revision, blockers first."""

    title: str
    revision: int
    profiles: int
    findings: list[ProfileFindingOut]


class TextIn(Wire):
    """A text that may or may not be a profile document, with edits to make first."""

    document: DocumentText
    edits: Annotated[list[EditWire], Field(max_length=200)] = []


class ListChangeOut(Wire):
    """What a layer adds to a list and takes from it."""

    add: list[str]
    take: list[str]


class LayerOut(Wire):
    """What the document's own tables, a facet or a profile say themselves: key -> value, or a list's change."""

    name: str
    path: list[str]
    facets: list[str]
    values: dict[str, Json]
    changes: dict[str, ListChangeOut]


class TextOut(Wire):
    """The text after the edits; the problems that keep it from being a document, or its matrix and layers."""

    document: str
    problems: list[DocumentProblem]
    matrix: MatrixOut | None
    layers: list[LayerOut]
