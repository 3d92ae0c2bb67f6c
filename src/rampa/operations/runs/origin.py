"""Where the files of a run come from: a commit of the repository, or an uploaded folder."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.errors import Invalid, NotFound
from rampa.db import (
    TitleRow,
    find_folder,
    has_source,
)
from rampa.operations.base import UnitOfWork
from rampa.operations.sources.commits import defaults_for
from rampa.operations.sources.folders import folder_files
from rampa.operations.sources.repository import mirror_of
from rampa.schema import runs as wire


@dataclass(frozen=True)
class RunOrigin:
    """Where the files of a run come from: a commit with the name that was asked for, or an uploaded folder."""

    commit: str
    subject: str
    ref: str
    folder: int
    files: tuple[tuple[str, str], ...]
    profiles: tuple[str, ...] = ()
    step_variables: str = ""
    commits: int = 0
    """How many lead to the commit, itself included."""


def find_origin(uow: UnitOfWork, title: TitleRow, asked: wire.NewRuns) -> RunOrigin:
    """Raises `NotFound` for what is not there, `Invalid` when it is not clear what is meant."""
    if asked.folder:
        if asked.of:
            raise Invalid("run.source", "give a branch, tag or commit, or a folder, not both", where="folder")
        find_folder(uow.session, title.slug, asked.folder)
        return RunOrigin("", "", "", asked.folder, tuple(folder_files(uow, title.slug, asked.folder)))
    row = has_source(uow.session, title)
    if row is None:
        hint = "Connect a repository: `rampa source connect ADDRESS`; or upload a folder: `rampa source upload FOLDER`."
        raise NotFound("source.none", f"{title.slug} has no repository to build from", where="source", hint=hint)
    mirror = mirror_of(uow.services, row)
    commit, ref = mirror.resolve(asked.of or mirror.branch())
    # Defaults belong to branches: a tag or a commit is built as it is asked for.
    profiles, step_variables = defaults_for(row, ref.removeprefix("branch/")) if ref.startswith("branch/") else ([], "")
    subject = next((c.subject for c in mirror.log(commit, 0, 1)), "")[:300]
    files = tuple((path, blob) for path, blob, _, _ in mirror.files(commit))
    return RunOrigin(commit, subject, ref, 0, files, tuple(profiles), step_variables, mirror.count(commit))
