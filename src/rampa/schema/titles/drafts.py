"""Drafts of profile documents, what they would change, who owns a document."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import StringConstraints

from rampa.core.profile.problems import DocumentProblem
from rampa.core.profile.text_changes import Clash
from rampa.schema.common import Number, Wire
from rampa.schema.profiles.profiles import DifferenceOut, ProfileFindingOut
from rampa.schema.titles.titles import DocumentText


class DraftIn(Wire):
    """A draft's text, and the revision from which it was made."""

    document: DocumentText
    base: Number


class DraftOut(Wire):
    """A person's draft of a title's document. `moved`: a newer revision exists than the one it was made from."""

    base: int
    document: str
    version: int
    saved_at: dt.datetime
    moved: bool


class OtherDraft(Wire):
    """Somebody else's draft of the same document."""

    person: str
    base: int
    saved_at: dt.datetime


class DraftsOut(Wire):
    """What the document's editor needs: the newest revision, one's own draft, and who else has one."""

    title: str
    revision: int
    document: str
    draft: DraftOut | None
    others: list[OtherDraft]
    source: str
    source_path: str


class AffectedBuild(Wire):
    number: int
    name: str
    version_name: str
    revision: int
    live_on: list[str]


class ChangedProfile(Wire):
    """A profile that a change touches: `state` is `changed`, `new` or `gone`; its newest builds, and where they are live."""

    name: str
    state: str
    differences: list[DifferenceOut]
    builds: list[AffectedBuild]


class MergedOut(Wire):
    """What happened meanwhile: `theirs` and `mine` are both differences since `base`, `document` both changes together."""

    base: int
    revision: int
    by: str
    message: str
    theirs: str
    mine: str
    document: str
    clashes: list[Clash]


class ReviewOut(Wire):
    """What a draft would change, before it becomes a revision. `difference` is a unified diff of the texts."""

    base: int
    revision: int
    same: bool
    difference: str
    problems: list[DocumentProblem]
    profiles: list[ChangedProfile]
    findings_added: list[ProfileFindingOut]
    findings_removed: list[ProfileFindingOut]
    meanwhile: MergedOut | None


class RevisionChange(Wire):
    """What a revision changed against the one before; `before` 0 for the first."""

    number: int
    before: int
    difference: str
    profiles: list[ChangedProfile]


class OwnerIn(Wire):
    """Who owns the document: a source repository (its address, the document's path in it); with none, the service."""

    source: Annotated[str, StringConstraints(max_length=300, pattern=r"^[^\x00-\x20\x7f]*$")]
    path: Annotated[str, StringConstraints(max_length=300, pattern=r"^[^\x00]*$")] = "rampa.toml"
