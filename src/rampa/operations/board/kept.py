"""The board as it is now, for everybody who has it open: worked out once, and again when something on it changed."""

from __future__ import annotations

import datetime as dt
import gzip
from dataclasses import dataclass

from rampa.db import board_changed, board_snapshot, forget_board_changes
from rampa.operations.base import Actor, Services, begin
from rampa.operations.base.together import Together
from rampa.operations.board.board import get_board
from rampa.schema.board import BoardQuery

LONGEST = dt.timedelta(minutes=1)
"""What is listed for a while only goes by the clock: for no longer is an answer kept, whatever the database says."""


@dataclass(frozen=True)
class _Kept:
    """`rest` of the answer without its moment; it was true of this snapshot."""

    snapshot: str
    made_at: dt.datetime
    rest: str


@dataclass(frozen=True)
class Told:
    """The board's JSON, as `rampa.schema.board.Board` reads it; plain, and for who takes gzip."""

    plain: bytes
    packed: bytes


class KeptBoard:
    """Never older than the question: an answer is given again only after the database said that nothing changed since."""

    def __init__(self) -> None:
        self._together: Together[Told] = Together()
        self._kept: _Kept | None = None

    def get(self, services: Services, actor: Actor) -> Told:
        """Those who ask at once share the look, too."""
        return self._together.get(lambda: self._look(services, actor))

    def _look(self, services: Services, actor: Actor) -> Told:
        kept = self._kept
        with begin(services, actor) as uow:
            now = uow.now
            fresh = kept and now - kept.made_at < LONGEST and not board_changed(uow.session, kept.snapshot)
        if kept is None or not fresh:
            kept = self._kept = _make(services, actor)
            now = kept.made_at
        plain = f'{{"at":"{now.isoformat()}",{kept.rest}'.encode()
        # A tenth of it travels; the fastest level, as it is for this look alone.
        return Told(plain, gzip.compress(plain, 1))


def forget(services: Services) -> None:
    """Notes of changes that no answer is old enough to ask for."""
    with begin(services) as uow:
        forget_board_changes(uow.session, uow.now)


def _make(services: Services, actor: Actor) -> _Kept:
    with begin(services, actor) as uow:
        seen = board_snapshot(uow.session)
    made = get_board(services, actor, BoardQuery())
    return _Kept(seen, made.at, made.model_dump_json(exclude={"at"}).removeprefix("{"))
