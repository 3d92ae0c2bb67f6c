"""Profile documents of titles: finding a revision, reading it once."""

from __future__ import annotations

from blake3 import blake3

from rampa.core.profile.document import Document, read_document
from rampa.core.profile.problems import DocumentInvalid, DocumentProblem
from rampa.db import RevisionRow, TitleRow
from rampa.operations.base import UnitOfWork

PROBLEMS = 200
"""Problems of one text that are answered."""


def read_or_problems(text: str) -> tuple[Document | None, list[DocumentProblem]]:
    """A text that may be no document yet: the document, or why it is none."""
    try:
        return read_document(text.encode("utf-8", "replace")), []
    except DocumentInvalid as error:
        return None, list(error.problems[:PROBLEMS])


def store_revision(uow: UnitOfWork, title: TitleRow, text: str, message: str, commit: str) -> None:
    """The next revision; the title's row must be locked."""
    title.revision += 1
    uow.session.add(
        RevisionRow(
            title_id=title.id,
            number=title.revision,
            text=text,
            digest=blake3(text.encode()).digest(),
            message=message,
            commit=commit,
            created_by=uow.actor.name,
            created_at=uow.now,
        )
    )
    uow.session.flush()
