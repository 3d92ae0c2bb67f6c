"""Pieces that all wire types share."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Generic, TypeVar

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

T = TypeVar("T")

Slug = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,48}$")]
SlugOrNone = Annotated[str, StringConstraints(pattern=r"^([a-z0-9][a-z0-9-]{0,48})?$")]
"""A name, or empty for none."""
Id = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")]
"""A number of a row (RFC 9562)."""
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
Words = Annotated[str, StringConstraints(min_length=1, max_length=100, pattern=r"^[^\x00-\x1f\x7f]+$")]
Note = Annotated[str, StringConstraints(max_length=4000, pattern=r"^[^\x00]*$")]
Number = Annotated[int, Field(ge=1, le=2**31 - 1)]


class Role(StrEnum):
    """What a person or a token may do; see docs/http.md for the table."""

    OWNER = "owner"
    ENGINEER = "engineer"
    TESTER = "tester"
    REVIEWER = "reviewer"
    VIEWER = "viewer"
    AGENT = "agent"
    DEVICE = "device"


class Wire(BaseModel):
    """The base of all wire types: unknown fields are errors, so that a misspelt one is not lost in silence."""

    model_config = ConfigDict(extra="forbid", defer_build=True)


class Query(BaseModel):
    """The base of query and path models."""

    model_config = ConfigDict(extra="forbid", defer_build=True)


class ProblemItem(Wire):
    """One of several things that are wrong. `line` and `column` from 1 where the input is text."""

    where: str
    message: str
    hint: str = ""
    line: int | None = None
    column: int | None = None


class Problem(Wire):
    """RFC 9457 problem details. `type` is stable; `kind`, `where` and `hint` are ours.

    `kind` is a branch of `rampa.core.errors`: clients tell a rule's no from a conflict, and damage from wrong input, by it.
    """

    type: str
    title: str
    status: int
    detail: str
    code: str
    kind: str = ""
    where: str = ""
    hint: str = ""
    problems: list[ProblemItem] = []


class Action(Wire):
    """Something that can be done with what was answered, or why it cannot be done now."""

    name: str
    possible: bool
    reason: str = ""


class Page(Wire, Generic[T]):
    """A page of a list. `next` is the cursor of the page after it, null at the end."""

    items: list[T]
    next: str | None = None


class PageQuery(Query):
    """`cursor` as an earlier page's `next` said; `limit` rows at most."""

    cursor: Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z0-9_=-]*$")] | None = None
    limit: Annotated[int, Field(ge=1, le=200)] = 50
