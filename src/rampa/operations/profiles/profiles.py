"""Profiles of a title: resolved, compared, as a matrix, checked; and the same for a text that is no revision yet."""

from __future__ import annotations

from rampa.core.check.profile import check_document
from rampa.core.errors import Refused
from rampa.core.profile.comparison import compare
from rampa.core.profile.document import MAX_BYTES
from rampa.core.profile.edits import apply_edits
from rampa.core.profile.resolution import Resolved
from rampa.db import TitleRow, find_build, find_title, identity_names, load_document
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.titles.documents import read_or_problems
from rampa.schema.profiles import profiles as wire
from rampa.schema.profiles.of_core import check_out, comparison_out, edit_in, layers_out, matrix_out, resolved_out


def get_resolved(services: Services, slug: str, name: str, revision: int | None) -> wire.ResolvedOut:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        document = load_document(uow.session, title, revision)
        number, identities = revision or title.revision, identity_names(uow.session)
    profile = document.profile(name)
    found = [f for f in check_document(document, identities) if f.profile == name]
    return resolved_out(slug, number, profile, found)


def get_matrix(services: Services, slug: str, revision: int | None) -> wire.MatrixOut:
    """Everything that the matrix page shows, in one answer."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        document = load_document(uow.session, title, revision)
        number, identities = revision or title.revision, identity_names(uow.session)
    return matrix_out(slug, number, document, check_document(document, identities))


def get_check(services: Services, slug: str, revision: int | None) -> wire.CheckOut:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        document = load_document(uow.session, title, revision)
        number, identities = revision or title.revision, identity_names(uow.session)
    return check_out(slug, number, document, check_document(document, identities))


def get_comparison(services: Services, slug: str, left: str, right: str) -> wire.ComparisonOut:
    """Raises `NotFound` for a side that does not exist."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        old, says_old = _side(uow, title, left)
        new, says_new = _side(uow, title, right)
    return comparison_out(says_old, says_new, compare(old, new))


def _side(uow: UnitOfWork, title: TitleRow, spoken: str) -> tuple[Resolved, wire.SideOut]:
    """`#12` is the profile that made build 12, as its revision said it; `NAME@3` a profile as of revision 3."""
    number = 0
    if spoken.startswith("#"):
        build = find_build(uow.session, title.slug, int(spoken[1:]))
        name, revision, number = build.profile, build.revision, build.number
    else:
        name, _, at = spoken.partition("@")
        revision = int(at) if at else title.revision
    document = load_document(uow.session, title, revision)
    says = f"{name} of build {title.slug}#{number}" if number else name
    side = wire.SideOut(says=f"{says}, revision {revision}", profile=name, revision=revision, build=number)
    return document.profile(name), side


def read_text(services: Services, asked: wire.TextIn) -> wire.TextOut:
    """A text with edits made: its problems, or its matrix. Nothing is stored."""
    text = asked.document
    if asked.edits and len(text) <= MAX_BYTES:
        try:
            text = apply_edits(text, [edit_in(e) for e in asked.edits])
        except ValueError as error:
            hint = "Correct the text first."
            raise Refused("edit.no-toml", "the text is not TOML, and cannot be edited key by key", hint=hint) from error
    document, problems = read_or_problems(text)
    if document is None:
        return wire.TextOut(document=text, problems=problems, matrix=None, layers=[])
    with begin(services) as uow:
        found = check_document(document, identity_names(uow.session))
    return wire.TextOut(
        document=text, problems=[], matrix=matrix_out("", 0, document, found), layers=layers_out(document)
    )
