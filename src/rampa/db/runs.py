"""Runs, their steps, their logs."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, Text, UniqueConstraint, select, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import Conflict, NotFound
from rampa.core.run.abilities import Isolation, WantedAbilities
from rampa.core.run.bisect import Measured, Trial
from rampa.core.run.causes import Cause
from rampa.core.run.life import HELD, RunState, StepState
from rampa.core.run.step import Step
from rampa.db.agents import AgentRow
from rampa.db.base import Base, Coded, Identified, Typed, first_of
from rampa.db.builds import BuildRow
from rampa.db.titles import TitleRow, find_title


class RunRow(Identified, Base):
    """One run: its life. What was asked, the attempt that works on it and its log stand in records of their own."""

    __tablename__ = "run"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    together: Mapped[str] = mapped_column(String(40))
    """The same for runs that were started by one act."""
    profile: Mapped[str] = mapped_column(String(60))
    platform: Mapped[str] = mapped_column(String(40))
    purpose: Mapped[str] = mapped_column(String(20))
    revision: Mapped[int]
    state: Mapped[RunState] = mapped_column(Coded(RunState))
    why: Mapped[str] = mapped_column(String(20))
    """manual, trigger, schedule, call, repeat or bisect."""
    trigger: Mapped[str] = mapped_column(String(60), default="")
    started_by: Mapped[str] = mapped_column(String(200))
    note: Mapped[str] = mapped_column(String(500), default="")
    ended_at: Mapped[dt.datetime | None]
    cause: Mapped[Cause | None] = mapped_column(Typed(Cause))
    """Why it failed."""
    measured: Mapped[Measured | None] = mapped_column(Typed(Measured))
    superseded_by: Mapped[int] = mapped_column(default=0)
    build_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("build.id"))
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    order: Mapped[RunOrderRow] = relationship(lazy="joined", innerjoin=True)
    attempt: Mapped[RunAttemptRow] = relationship(lazy="joined", innerjoin=True)
    log: Mapped[RunLogRow] = relationship(lazy="joined", innerjoin=True)
    build: Mapped[BuildRow | None] = relationship(lazy="joined")
    __table_args__ = (
        UniqueConstraint("title_id", "number"),
        # Of the few runs that are open among all that ever were: the queue asks for them all day.
        Index("ix_run_open", "state", postgresql_where=text("state in ('waiting', 'working', 'stopping')")),
        Index("ix_run_title_profile", "title_id", "profile", "number"),
    )

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"{self.title.slug} run {self.number}"

    @property
    def title_slug(self) -> str:
        return self.title.slug


class RunOrderRow(Base):
    """What a run is to build, fixed when it starts. `commit` is empty where `folder` says which uploaded folder it is."""

    __tablename__ = "run_order"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id"), primary_key=True)
    commit: Mapped[str] = mapped_column(String(64), default="")
    subject: Mapped[str] = mapped_column(String(300), default="")
    """The first line of the commit's message."""
    ref: Mapped[str] = mapped_column(String(250), default="")
    """The branch or tag that it was started for, as `branch/NAME` or `tag/NAME`."""
    folder: Mapped[int] = mapped_column(default=0)
    commits: Mapped[int] = mapped_column(default=0)
    """How many commits lead to the built one, where the version code is formed from that."""
    step_variables: Mapped[str] = mapped_column(String(60), default="")
    version_name: Mapped[str] = mapped_column(String(64), default="")
    identity: Mapped[str] = mapped_column(String(60), default="")
    """The signing identity that it needs; a locked one is waited for before anything is built."""
    reproduces: Mapped[int] = mapped_column(default=0)
    """The number of the build that it makes again, to compare; 0: it makes a build of its own."""
    trial: Mapped[Trial | None] = mapped_column(Typed(Trial))
    """What it tries a commit for."""
    native: Mapped[str] = mapped_column(String(64), default="")
    steps: Mapped[list[Step]] = mapped_column(Typed(list[Step]), default=list)
    wanted: Mapped[WantedAbilities] = mapped_column(Typed(WantedAbilities))
    expected: Mapped[dict[str, float]] = mapped_column(JSONB, default=dict)
    """Step -> seconds, from how long it took before."""

    @property
    def keeps(self) -> bool:
        """Whether it makes a build of its own, with a version code and a signature, that stays."""
        return not self.reproduces and (self.trial is None or self.trial.keeps)


class RunAttemptRow(Base):
    """The attempt that a run is at: who has it, since when, how far it is. `lease` names its holder."""

    __tablename__ = "run_attempt"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id"), primary_key=True)
    number: Mapped[int] = mapped_column(default=0)
    agent_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("agent.id"), index=True)
    agent_name: Mapped[str] = mapped_column(String(60), default="", index=True)
    lease: Mapped[str] = mapped_column(String(64), default="")
    taken_at: Mapped[dt.datetime | None]
    seen_at: Mapped[dt.datetime | None]
    spoke_at: Mapped[dt.datetime | None]
    step: Mapped[int] = mapped_column(default=-1)
    progress: Mapped[float | None]
    waits_for: Mapped[str] = mapped_column(String(1000), default="")
    nearest: Mapped[str] = mapped_column(String(60), default="")
    lost_agents: Mapped[list[str]] = mapped_column(JSONB, default=list)
    isolation: Mapped[Isolation] = mapped_column(Coded(Isolation), default=Isolation.NONE)
    """What the agent that has it keeps its programs apart by."""
    agent: Mapped[AgentRow | None] = relationship(lazy="joined")


class RunLogRow(Base):
    """How much of a log there is, and what it complains of; lines count from 1 over all attempts."""

    __tablename__ = "run_log"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id"), primary_key=True)
    lines: Mapped[int] = mapped_column(BigInteger, default=0)
    batch: Mapped[int] = mapped_column(default=0)
    """Batches of this attempt's log that arrived."""
    errors: Mapped[int] = mapped_column(default=0)
    warnings: Mapped[int] = mapped_column(default=0)
    first_error: Mapped[int] = mapped_column(BigInteger, default=0)


class RunStepRow(Base):
    """A step of one attempt, once it began."""

    __tablename__ = "run_step"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id"), primary_key=True)
    attempt: Mapped[int] = mapped_column(primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    state: Mapped[StepState] = mapped_column(Coded(StepState))
    tries: Mapped[int] = mapped_column(default=1)
    started_at: Mapped[dt.datetime]
    ended_at: Mapped[dt.datetime | None]
    said: Mapped[str] = mapped_column(String(500), default="")
    first_line: Mapped[int] = mapped_column(BigInteger, default=0)


class LogPartRow(Base):
    """Some lines of a run's log, compressed (zstd): `ms TAB step TAB level TAB text` each."""

    __tablename__ = "log_part"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id"), primary_key=True)
    first_line: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    lines: Mapped[int]
    attempt: Mapped[int]
    size: Mapped[int]
    data: Mapped[bytes] = mapped_column(LargeBinary)


class LogKindRow(Base):
    """Errors and warnings of a run, folded: lines that say the same but for names and numbers."""

    __tablename__ = "log_kind"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id"), primary_key=True)
    level: Mapped[str] = mapped_column(String(10), primary_key=True)
    digest: Mapped[str] = mapped_column(String(32), primary_key=True)
    example: Mapped[str] = mapped_column(Text)
    count: Mapped[int]
    first_line: Mapped[int] = mapped_column(BigInteger)
    lines: Mapped[list[int]] = mapped_column(JSONB, default=list)
    """The first thousand."""


def find_run(session: Session, slug: str, number: int, *, lock: bool = False) -> RunRow:
    title = find_title(session, slug)
    rows = select(RunRow).where(RunRow.title_id == title.id, RunRow.number == number)
    run = first_of(session, rows, lock=lock)
    if run is None:
        hint = f"The newest is {title.last_run}." if title.last_run else "There is none yet: `rampa run start`."
        raise NotFound("run.unknown", f"{slug} has no run {number}", where="run", hint=hint)
    return run


def held_run(session: Session, agent: str, lease: str, *, lock: bool = True) -> RunRow:
    """The run that this agent has under this lease. Raises `Conflict` when it has it no longer."""
    # By lease and name: a lease that was overheard is worth nothing to an agent of another name.
    rows = select(RunRow).join(RunAttemptRow).where(RunAttemptRow.lease == lease, RunAttemptRow.agent_name == agent)
    run = first_of(session, rows, lock=lock)
    if run is None or run.state not in HELD:
        hint = "Stop working on it: it was given to another agent, cancelled, or ended."
        raise Conflict("lease.lost", "this agent does not have that run any more", where="lease", hint=hint)
    return run


def run_that_made(session: Session, build: BuildRow) -> RunRow | None:
    """None for a build made by hand."""
    if not build.made.run:
        return None
    return session.scalar(select(RunRow).where(RunRow.title_id == build.title_id, RunRow.number == build.made.run))


def run_to_hand_on(session: Session, build: BuildRow) -> RunRow | None:
    """The run whose build may go on by itself; none for what was made by hand, again to compare, or to try a commit."""
    run = run_that_made(session, build)
    return None if run is None or run.order.reproduces or run.order.trial else run
