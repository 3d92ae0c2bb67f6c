"""Feedback: what testers say of a build, and what came of it."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.testers.feedback import FeedbackState
from rampa.core.testers.sign_off import MOST_PICTURES
from rampa.schema.common import Action, Id, Number, PageQuery, Query, Wire
from rampa.schema.testers import Search
from rampa.schema.titles.titles import TitlePath

FeedbackText = Annotated[str, StringConstraints(min_length=1, max_length=8000, pattern=r"^[^\x00]*$")]
Commit = Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{7,64})?$")]


class FeedbackPath(TitlePath):
    feedback: Number


class OwnFeedbackPath(Query):
    feedback_id: Id


class FeedbackIn(Wire):
    """`device_id`: one's own, whose facts go along; else `device` in words. `pictures` that were sent before."""

    text: FeedbackText
    device_id: Id | None = None
    device: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""
    pictures: Annotated[list[Id], Field(max_length=MOST_PICTURES)] = []


class WordIn(Wire):
    text: FeedbackText


class CloseIn(Wire):
    """`build` or `commit` that mends it, where there is one."""

    text: Annotated[str, StringConstraints(max_length=8000, pattern=r"^[^\x00]*$")] = ""
    build: Number | None = None
    commit: Commit = ""


class FeedbackWord(Wire):
    who: str
    by_studio: bool
    text: str
    at: dt.datetime


class Feedback(Wire):
    id: str
    number: int
    title: str
    title_name: str
    build: int
    version_name: str
    platform: str
    person: str
    state: FeedbackState
    text: str
    device: str
    pictures: list[str]
    words: list[FeedbackWord]
    mended_build: int | None
    mended_commit: str
    created_at: dt.datetime
    changed_at: dt.datetime
    allowed_actions: list[Action]


class FeedbackQuery(PageQuery):
    """`search` in what was said; `build`: only of this one."""

    state: Literal["", "open", "answered", "closed"] = ""
    build: Number | None = None
    search: Search = ""
