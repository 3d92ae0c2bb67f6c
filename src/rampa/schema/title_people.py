"""Roles of people at one title."""

from __future__ import annotations

import datetime as dt

from rampa.schema.common import Action, Id, Query, Role, Slug, Wire


class PersonAtTitle(Wire):
    """`here` is what counts at the title, `in_studio` elsewhere; `own`: the title has a role of its own for them, given by
    somebody. `everywhere`: no title changes it."""

    id: str
    name: str
    email: str
    in_studio: Role
    here: Role
    own: bool
    given_by: str
    given_at: dt.datetime | None
    everywhere: bool


class TitlePeople(Wire):
    items: list[PersonAtTitle]
    allowed_actions: list[Action]


class TitleRoleIn(Wire):
    role: Role


class TitlePersonPath(Query):
    title: Slug
    person: Id
