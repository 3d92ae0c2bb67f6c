"""Runs, their steps, their logs."""

from __future__ import annotations

import datetime as dt
import uuid
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, Text, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from rampa.db.agents import AgentRow
from rampa.db.base import Base, Identified
from rampa.db.builds import BuildRow
from rampa.db.titles import TitleRow


class RunRow(Identified, Base):
    """`commit` is a git commit, or empty where `folder` says which uploaded folder it is. `lease` names the attempt's holder."""

    __tablename__ = "run"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    together: Mapped[str] = mapped_column(String(40))
    """The same for runs that were started by one act."""
    profile: Mapped[str] = mapped_column(String(60))
    platform: Mapped[str] = mapped_column(String(40))
    purpose: Mapped[str] = mapped_column(String(20))
    revision: Mapped[int]
    commit: Mapped[str] = mapped_column(String(64), default="")
    subject: Mapped[str] = mapped_column(String(300), default="")
    """The first line of the commit's message."""
    ref: Mapped[str] = mapped_column(String(250), default="")
    """The branch or tag that it was started for, as `branch/NAME` or `tag/NAME`."""
    folder: Mapped[int] = mapped_column(default=0)
    step_variables: Mapped[str] = mapped_column(String(60), default="")
    version_name: Mapped[str] = mapped_column(String(64), default="")
    note: Mapped[str] = mapped_column(String(500), default="")
    identity: Mapped[str] = mapped_column(String(60), default="")
    """The signing identity that it needs; a locked one is waited for before anything is built."""
    commits: Mapped[int] = mapped_column(default=0)
    """How many commits lead to the built one, where the version code is formed from that."""
    reproduces: Mapped[int] = mapped_column(default=0)
    """The number of the build that it makes again, to compare; 0: it makes a build of its own."""
    state: Mapped[str] = mapped_column(String(20))
    why: Mapped[str] = mapped_column(String(20))
    """manual, trigger, schedule, call or repeat."""
    trigger: Mapped[str] = mapped_column(String(60), default="")
    started_by: Mapped[str] = mapped_column(String(200))
    attempt: Mapped[int] = mapped_column(default=0)
    agent_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("agent.id"))
    agent_name: Mapped[str] = mapped_column(String(60), default="")
    lease: Mapped[str] = mapped_column(String(64), default="")
    seen_at: Mapped[dt.datetime | None]
    taken_at: Mapped[dt.datetime | None]
    ended_at: Mapped[dt.datetime | None]
    step: Mapped[int] = mapped_column(default=-1)
    spoke_at: Mapped[dt.datetime | None]
    progress: Mapped[float | None]
    steps: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    """The plan: steps as in `rampa.core.run.steps.Step`."""
    wanted: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    waits_for: Mapped[str] = mapped_column(String(1000), default="")
    nearest: Mapped[str] = mapped_column(String(60), default="")
    cause: Mapped[dict[str, str]] = mapped_column(JSONB, default=dict)
    superseded_by: Mapped[int] = mapped_column(default=0)
    lost_agents: Mapped[list[str]] = mapped_column(JSONB, default=list)
    native: Mapped[str] = mapped_column(String(64), default="")
    expected: Mapped[dict[str, float]] = mapped_column(JSONB, default=dict)
    log_lines: Mapped[int] = mapped_column(BigInteger, default=0)
    log_batch: Mapped[int] = mapped_column(default=0)
    """Batches of this attempt's log that arrived."""
    errors: Mapped[int] = mapped_column(default=0)
    warnings: Mapped[int] = mapped_column(default=0)
    first_error: Mapped[int] = mapped_column(BigInteger, default=0)
    build_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("build.id"))
    title: Mapped[TitleRow] = relationship(lazy="joined")
    agent: Mapped[AgentRow | None] = relationship(lazy="joined")
    build: Mapped[BuildRow | None] = relationship(lazy="joined")
    __table_args__ = (
        UniqueConstraint("title_id", "number"),
        Index("ix_run_open", "state", postgresql_where=text("state in ('waiting', 'working', 'stopping')")),
        Index("ix_run_title_profile", "title_id", "profile", "number"),
    )

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"{self.title.slug} run {self.number}"


class RunStepRow(Base):
    """A step of one attempt, once it began."""

    __tablename__ = "run_step"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id"), primary_key=True)
    attempt: Mapped[int] = mapped_column(primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    state: Mapped[str] = mapped_column(String(20))
    """working, done, failed, left-out or stopped."""
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
