"""Profile documents of titles: finding a revision, reading it once."""

from __future__ import annotations

from functools import lru_cache

from blake3 import blake3
from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.errors import NotFound
from rampa.core.profile.document import Document, read_document
from rampa.core.profile.problems import DocumentInvalid
from rampa.db.titles import RevisionRow, TitleRow
from rampa.operations.base.context import Actor, Services
from rampa.schema.profiles.of_core import problem_out
from rampa.schema.profiles.profiles import ProblemOut

PROBLEMS = 200
"""Problems of one text that are answered."""


@lru_cache(maxsize=32)
def read(text: str) -> Document:
    """Documents are values: the same text is read once."""
    return read_document(text.encode())


def read_or_problems(text: str) -> tuple[Document | None, list[ProblemOut]]:
    """A text that may be no document yet: the document, or why it is none."""
    try:
        return read_document(text.encode("utf-8", "replace")), []
    except DocumentInvalid as error:
        return None, [problem_out(p) for p in error.problems[:PROBLEMS]]


def find_revision(session: Session, title: TitleRow, number: int | None = None) -> RevisionRow:
    """The revision with that number, or the newest."""
    wanted = title.revision if number is None else number
    row = session.scalar(select(RevisionRow).where(RevisionRow.title_id == title.id, RevisionRow.number == wanted))
    if row is None:
        raise NotFound(
            "revision.unknown", f"{title.slug} has no revision {wanted}", hint=f"The newest is {title.revision}."
        )
    return row


def store_revision(
    session: Session, services: Services, actor: Actor, title: TitleRow, text: str, message: str, commit: str
) -> None:
    """The next revision; the title's row must be locked."""
    title.revision += 1
    session.add(
        RevisionRow(
            title_id=title.id,
            number=title.revision,
            text=text,
            digest=blake3(text.encode()).digest(),
            message=message,
            commit=commit,
            created_by=actor.name,
            created_at=services.now(),
        )
    )
    session.flush()


def load_document(session: Session, title: TitleRow, number: int | None = None) -> Document:
    return read(find_revision(session, title, number).text)
