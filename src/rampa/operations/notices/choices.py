"""What a person wants to be told of by letter: by kind, for all titles or one, at once or once a day."""

from __future__ import annotations

from sqlalchemy import delete, select

from rampa.core.errors import Invalid
from rampa.core.notices.kinds import KINDS, NoticeKind, NoticeTime
from rampa.db import NoticeChoiceRow, NoticeReaderRow, NoticeRow, find_title
from rampa.operations.base import Act, Actor, Services, UnitOfWork, begin, must
from rampa.schema import letters as wire


def get_choices(services: Services, actor: Actor) -> wire.NoticeChoices:
    must(actor, Act.READ)
    with begin(services, actor) as uow:
        return _answer(uow)


def choose(services: Services, actor: Actor, asked: wire.NoticeChoiceIn) -> wire.NoticeChoices:
    """From now on; what already waits for the digest is told as it was chosen. Raises `Invalid` for a kind that has no titles."""
    must(actor, Act.READ)
    with begin(services, actor) as uow:
        title = find_title(uow.session, asked.title) if asked.title else None
        if title is not None and not KINDS[asked.kind].of_titles:
            raise Invalid("notice.studio", f"{asked.kind} are the studio's, and no title's", where="title")
        of = (NoticeChoiceRow.person_id == actor.principal, NoticeChoiceRow.kind == asked.kind)
        rows = select(NoticeChoiceRow).where(*of, NoticeChoiceRow.title_id == (title.id if title else None))
        row = uow.session.scalar(rows.with_for_update(of=NoticeChoiceRow))
        if asked.time is None:
            if row is not None:
                uow.session.delete(row)
        elif row is None:
            made = NoticeChoiceRow(
                person_id=actor.principal, kind=asked.kind, title_id=title.id if title else None, time=asked.time,
                acts=list(KINDS[asked.kind].acts), created_at=uow.now,
            )  # fmt: skip
            uow.session.add(made)
        else:
            row.time = asked.time
        if uow.session.get(NoticeReaderRow, actor.principal) is None:
            uow.session.add(NoticeReaderRow(person_id=actor.principal, daily_at=uow.now))
        uow.session.flush()
        _drop_unwanted(uow)
        return _answer(uow)


def _drop_unwanted(uow: UnitOfWork) -> None:
    """Who wants nothing any more is told nothing of what waited."""
    mine = NoticeChoiceRow.person_id == uow.actor.principal
    wanted = select(NoticeChoiceRow.id).where(mine, NoticeChoiceRow.time != NoticeTime.NEVER)
    if uow.session.scalar(wanted.limit(1)) is None:
        uow.session.execute(delete(NoticeRow).where(NoticeRow.person_id == uow.actor.principal))


def _answer(uow: UnitOfWork) -> wire.NoticeChoices:
    rows = uow.session.scalars(select(NoticeChoiceRow).where(NoticeChoiceRow.person_id == uow.actor.principal)).all()
    found: dict[NoticeKind, list[wire.TitleChoice]] = {kind: [] for kind in KINDS}
    every = dict.fromkeys(KINDS, NoticeTime.NEVER)
    for row in rows:
        if row.title is None:
            every[row.kind] = row.time
        else:
            found[row.kind].append(wire.TitleChoice(title=row.title.slug, time=row.time))
    items = [
        wire.NoticeChoice(
            kind=kind,
            words=of.words,
            of_titles=of.of_titles,
            time=every[kind],
            titles=sorted(found[kind], key=lambda t: t.title),
        )
        for kind, of in KINDS.items()
    ]
    return wire.NoticeChoices(items=items)


def settle(uow: UnitOfWork) -> None:
    """Choices of an earlier version stand for what their kind stands for now."""
    for row in uow.session.scalars(select(NoticeChoiceRow)):
        acts = list(KINDS[row.kind].acts)
        if row.acts != acts:
            row.acts = acts
