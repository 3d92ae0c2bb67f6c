"""Agents on the wire: what they can do, what they ask for, what they report of a run."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.agent.life import AgentState
from rampa.core.run.abilities import Isolation
from rampa.core.run.bisect import Measured, Trial
from rampa.core.run.life import AttemptResult, StepState
from rampa.core.run.step import Step
from rampa.schema.common import Action, Number, PageQuery, Query, Slug, Wire

Hex32 = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{32}$")]
Short = Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")]
Text = Annotated[str, StringConstraints(max_length=4100, pattern=r"^[^\x00\r\n]*$")]
"""One line."""
Level = Literal["", "warning", "error", "rampa"]
LogLine = tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(ge=-1, le=200)], Level, Text]
"""Milliseconds since the attempt began, the step's position, level, text."""
BATCH_LINES = 20_000


class AgentPath(Query):
    agent: Slug


class LeasePath(AgentPath):
    lease: Hex32


class ToolchainWire(Wire):
    name: Short
    version: Short
    licences: Annotated[list[Short], Field(max_length=50)] = []
    platforms: Annotated[list[Slug], Field(max_length=50)] = []


class AbilitiesWire(Wire):
    """`platforms` that the agent is there for, empty: all. Memory and free disk in bytes."""

    platforms: Annotated[list[Slug], Field(max_length=50)] = []
    toolchains: Annotated[list[ToolchainWire], Field(max_length=100)] = []
    cores: Annotated[int, Field(ge=1, le=100_000)]
    memory: Annotated[int, Field(ge=0, le=2**60)]
    disk: Annotated[int, Field(ge=0, le=2**60)]
    system: Short = ""
    isolation: Isolation = Isolation.NONE
    """What it puts between its machine and the programs of a run."""
    kernel_limits: bool = False
    """The kernel holds a step's memory and number of processes; else the agent looks, some times a second."""


class EnrolmentCode(Wire):
    """`code` enrols one agent of this name, once; it is shown this once."""

    agent: str
    code: str
    expires_at: dt.datetime


class EnrolIn(Wire):
    """`public_key`: Ed25519, raw, in hexadecimal. Its private half never leaves the agent's machine."""

    code: Annotated[str, StringConstraints(max_length=60, pattern=r"^[A-Za-z2-7 -]+$")]
    public_key: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


class ProofIn(Wire):
    """`proof`: a DSSE envelope (rampa.core.agent.proof), in base64."""

    proof: Annotated[str, StringConstraints(max_length=8000)]


class AgentToken(Wire):
    """A bearer token; it lives for so many seconds."""

    token: str
    seconds: float


class RegisterIn(Wire):
    """`instance` is new with every start of the agent; `at_once` runs are done side by side."""

    instance: Hex32
    abilities: AbilitiesWire
    at_once: Annotated[int, Field(ge=1, le=64)] = 1


class AskIn(Wire):
    """`holds` are the leases of runs that the agent works on; `wait` seconds at most for an answer."""

    instance: Hex32
    abilities: AbilitiesWire
    holds: Annotated[list[Hex32], Field(max_length=64)] = []
    wait: Annotated[float, Field(ge=0, le=30)] = 20


class Work(Wire):
    """A run for an agent: everything that it needs. Secrets travel only here."""

    lease: str
    title: str
    run: int
    attempt: int
    profile: str
    revision: int
    document: str
    commit: str
    folder: int
    ref: str
    submodules: bool
    step_variables: str
    variables: dict[str, str]
    secrets: dict[str, str]
    version_name: str
    notes: str
    started_by: str
    native: str
    reproduces: int = 0
    """The build that is made again, to compare; 0: a build of its own."""
    expected_bare: str = ""
    """The SHA-256 of that build's bundle before its signature."""
    trial: Trial | None = None
    """What it tries a commit for."""
    steps: list[Step]


class WorkOut(Wire):
    """What there is to do: a run, or nothing. `stop` are leases whose runs were cancelled, `lost` those that others have now."""

    work: Work | None = None
    stop: list[str] = []
    lost: list[str] = []


class GoodbyeIn(Wire):
    instance: Hex32


class BeatIn(Wire):
    """`progress` of the step as a share of one, where it is known."""

    progress: Annotated[float, Field(ge=0, le=1)] | None = None


class BeatOut(Wire):
    stop: bool


class StepIn(Wire):
    """A step began (`working`) or came to an end."""

    position: Annotated[int, Field(ge=0, le=200)]
    state: Literal[StepState.WORKING, StepState.DONE, StepState.FAILED, StepState.LEFT_OUT, StepState.STOPPED]
    tries: Annotated[int, Field(ge=1, le=20)] = 1
    said: Annotated[str, StringConstraints(max_length=500, pattern=r"^[^\x00]*$")] = ""
    line: Annotated[int, Field(ge=0)] = 0
    """Lines that the agent had sent or was about to send when the step began."""


class LogIn(Wire):
    """Batch `batch` of an attempt's log, counted from 1. A batch that was taken already is no error."""

    batch: Number
    lines: Annotated[list[LogLine], Field(max_length=BATCH_LINES)]


class LogTaken(Wire):
    batch: int
    lines: int


class EndIn(Wire):
    """How an attempt ended. For a failure: a cause's code, the step, and what there is to say of it."""

    result: AttemptResult
    code: Annotated[str, StringConstraints(max_length=60, pattern=r"^[a-z.-]*$")] = ""
    step: Annotated[str, StringConstraints(max_length=60)] = ""
    detail: Annotated[str, StringConstraints(max_length=800, pattern=r"^[^\x00]*$")] = ""
    build: Number | None = None
    measured: Measured | None = None


class AgentRun(Wire):
    """A run that an agent has."""

    title: str
    run: int
    profile: str
    step: str
    seconds: float


class Agent(Wire):
    """`state` is idle, working, paused, stopped (it said so) or lost (it no longer answers)."""

    name: str
    state: AgentState
    abilities: AbilitiesWire
    at_once: int
    paused: bool
    runs: list[AgentRun]
    done: int
    seen_at: dt.datetime
    started_at: dt.datetime
    enrolled_by: str
    allowed_actions: list[Action]


class AgentQuery(PageQuery):
    pass


class AgentChange(Wire):
    """A paused agent ends what it has and takes nothing new."""

    paused: bool
