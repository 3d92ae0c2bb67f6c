"""A listing as a repository has it at a commit."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from rampa.core.errors import RampaError
from rampa.core.listing.edits import ListingFiles
from rampa.core.listing.layout import is_text, picture_place
from rampa.db import TitleRow, newest_listing
from rampa.operations.base import UnitOfWork
from rampa.operations.listings import states
from rampa.operations.listings.pictures import keep_picture

Read = Callable[[str, str], bytes]
"""(commit, path in the repository) -> a file's bytes."""


def follow(uow: UnitOfWork, title: TitleRow, commit: str, paths: Mapping[str, str], read: Read) -> str:
    """`paths`: path in the listing's folder -> path in the repository. Answers what is wrong as a sentence; then nothing changes.

    What is neither a text nor a picture of a listing is left alone: people keep notes beside them.
    """
    newest = newest_listing(uow.session, title.id)
    if newest is not None and newest.commit == commit:
        return ""
    texts: dict[str, str] = {}
    pictures: dict[str, str] = {}
    for path, at in sorted(paths.items()):
        try:
            if is_text(path):
                texts[path] = read(commit, at).decode("utf-8", "replace")
            elif picture_place(path) is not None:
                pictures[path] = keep_picture(uow, title, read(commit, at)).digest
        except RampaError as error:
            return f"the listing at {commit[:10]}: {path}: {error.message}"[:900]
    return states.follow(uow, title, ListingFiles(texts, pictures), commit)
