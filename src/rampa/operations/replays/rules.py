"""The rules that a replay tries, read out of what was given."""

from __future__ import annotations

from rampa.core.errors import Invalid
from rampa.core.profile.document import Document
from rampa.core.profile.pasted import with_rules
from rampa.core.profile.problems import DocumentInvalid
from rampa.core.profile.resolved import ResolvedProfile, resolve
from rampa.db import BuildRow, load_document, parsed_document
from rampa.operations.base import UnitOfWork


def profile_under(uow: UnitOfWork, text: str, build: BuildRow) -> ResolvedProfile:
    """The profile of the build's name, else the only one for its platform. Raises `Invalid`."""
    document = _document(text, load_document(uow.session, build.title).text)
    return resolve(document, _name(document, build))


def _document(text: str, newest: str) -> Document:
    whole = with_rules(text, newest)
    try:
        return parsed_document(whole)
    except DocumentInvalid as error:
        if whole == text:
            raise
        # Lines are those of a document that nobody has before their eyes.
        said = "; ".join(f"{p.key}: {p.message}" for p in error.problems)
        raise Invalid("rules.invalid", f"these rules of packing cannot be used: {said}", where="rules") from error


def _name(document: Document, build: BuildRow) -> str:
    if build.profile in document.profiles:
        return build.profile
    found = [name for name, profile in document.profiles.items() if profile.settings.platform == build.platform]
    if len(found) == 1:
        return found[0]
    there = ", ".join(sorted(document.profiles))
    raise Invalid(
        "rules.profile",
        f"the rules have no profile {build.profile}, as {build.name} has, and not just one for {build.platform}",
        where="rules",
        hint=f"Name one of theirs {build.profile}; they have: {there}.",
    )


def own_profile(uow: UnitOfWork, build: BuildRow) -> ResolvedProfile:
    """As it was when the build was made."""
    return resolve(load_document(uow.session, build.title, build.revision), build.profile)
