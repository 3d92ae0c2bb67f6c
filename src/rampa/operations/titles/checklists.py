"""A title's checklists: a file of its own beside the profile document, kept in numbered states."""

from __future__ import annotations

from rampa.core.errors import RampaError
from rampa.core.testers.checklist import ANY, Checklist, Point, read_checklists
from rampa.db import ChecklistsRow, TitleRow, find_title, newest_checklists
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.schema import sign_offs as wire
from rampa.schema.testers import TesterNote


def get_checklists(services: Services, slug: str) -> wire.Checklists:
    with begin(services) as uow:
        return _out(newest_checklists(uow.session, find_title(uow.session, slug).id))


def set_checklists(services: Services, actor: Actor, slug: str, text: str) -> wire.Checklists:
    """In place of the ones before; what was ticked by them stays. Raises `Invalid` with the place of what is wrong."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        store(uow, title, text, "")
        return _out(newest_checklists(uow.session, title.id))


def store(uow: UnitOfWork, title: TitleRow, text: str, commit: str) -> None:
    """The same text again makes no new state. The title is locked."""
    read = read_checklists(text)
    before = newest_checklists(uow.session, title.id)
    if before is not None and before.text == text:
        return
    number = before.number + 1 if before is not None else 1
    uow.session.add(
        ChecklistsRow(
            title_id=title.id, number=number, text=text, commit=commit, created_by=uow.actor.name, created_at=uow.now
        )
    )
    uow.session.flush()
    audit.record(uow, "checklists.set", title.slug, title.slug, count=len(read), commit=commit[:10])


def follow(uow: UnitOfWork, title: TitleRow, text: str, commit: str) -> str:
    """What a repository has of them becomes a state; what is wrong with it is answered as a sentence, and changes nothing."""
    try:
        store(uow, title, text, commit)
    except RampaError as error:
        return f"the checklists at {commit[:10]}: {error.message}"[:900]
    return ""


def describe(checklist: Checklist, points: list[Point], failed: frozenset[str] = frozenset()) -> wire.ChecklistOut:
    return wire.ChecklistOut(
        name=checklist.name,
        title=checklist.title,
        platforms=list(checklist.platforms),
        purposes=list(checklist.purposes),
        points=[
            wire.ChecklistPoint(name=p.name, text=texts(p), picture=p.picture, failed_before=p.name in failed)
            for p in points
        ],
    )


def texts(point: Point) -> list[TesterNote]:
    return [TesterNote(language="" if lang == ANY else lang, text=said) for lang, said in point.text.items()]


def _out(row: ChecklistsRow | None) -> wire.Checklists:
    if row is None:
        return wire.Checklists(number=0, text="", items=[], created_by="", created_at=None, commit="")
    return wire.Checklists(
        number=row.number,
        text=row.text,
        items=[describe(c, list(c.points)) for c in read_checklists(row.text)],
        created_by=row.created_by,
        created_at=row.created_at,
        commit=row.commit,
    )
