"""What a run would do, before it is started: source, steps, names of variables, agents, what stops it, what is native."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select

from rampa.core.check.findings import Finding
from rampa.core.check.profile import check_profile, stops_a_build
from rampa.core.check.profile_findings import ProfileFinding
from rampa.core.errors import Invalid, NotFound, Refused
from rampa.core.platform.table import platform_title
from rampa.core.profile.document import Document
from rampa.core.profile.resolution import Resolved
from rampa.core.profile.resolved import ResolvedProfile, resolve
from rampa.core.run.abilities import choose, lacks, wanted_of
from rampa.core.run.expectation import ExpectedTimes
from rampa.core.run.native import native_digest
from rampa.core.run.step import Step
from rampa.core.run.steps import steps_of
from rampa.db import (
    AgentRow,
    TitleRow,
    VariablesRow,
    find_folder,
    find_title,
    has_source,
    identity_names,
    load_document,
)
from rampa.operations.agents.agents import agent_state
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.runs.history import expected_of
from rampa.operations.runs.native import native_plan
from rampa.operations.signing.continuity import check_backup, profile_continues
from rampa.operations.sources.commits import defaults_for
from rampa.operations.sources.folders import folder_files
from rampa.operations.sources.repository import mirror_of
from rampa.operations.versions.versions import WantedCode, next_for
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


@dataclass(frozen=True)
class Prepared:
    """Everything about one profile's run that its plan and its row have in common. `stops`: why it cannot start."""

    title: TitleRow
    profile: Resolved
    document: Document
    origin: RunOrigin
    step_variables: str
    steps: list[Step]
    findings: list[ProfileFinding]
    stops: list[str]
    native: str
    expected: ExpectedTimes
    version_name: str
    code: int
    """The version code that it would get now; 0 where it would get none."""
    identity: str


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


def prepare(uow: UnitOfWork, title: TitleRow, asked: wire.NewRuns) -> list[Prepared]:
    """One for each profile asked for; none named: the branch's defaults."""
    document = load_document(uow.session, title)
    origin = find_origin(uow, title, asked)
    names = list(dict.fromkeys(asked.profiles or origin.profiles))
    if not names:
        hint = f"There is: {', '.join(document.profiles)}. Or give the branch default profiles."
        raise Invalid("run.profiles", "no profile is named", where="profiles", hint=hint)
    version = asked.version_name or document.title("version.name")
    for name in names:
        problem = resolve(document, name).version_problem(version)
        if problem:
            raise Invalid("version.name", f"{version!r} cannot be used: {problem}", where="version_name")
    return [_prepare(uow, title, document, name, origin, asked) for name in names]


def _prepare(
    uow: UnitOfWork,
    title: TitleRow,
    document: Document,
    name: str,
    origin: RunOrigin,
    asked: wire.NewRuns,
) -> Prepared:
    profile = document.profile(name)
    # What is asked for first, then what the branch says, then the profile.
    step_variables = asked.step_variables or origin.step_variables or profile.settings.toolchain.variables
    findings = check_profile(document, profile, identity_names(uow.session))
    stops = [f.message for f in stops_a_build(findings)]
    if step_variables and not uow.session.scalar(select(VariablesRow.id).where(VariablesRow.name == step_variables)):
        stops.append(f"there are no step variables {step_variables}; make it: rampa variables set {step_variables}")
    typed = resolve(document, name)
    wanted = WantedCode(asked.version_name or typed.settings.version.name, origin.commits)
    code = 0
    # Last: what cannot be built gets no code, and none is shown for it.
    if not stops and not asked.reproduces:
        stops, code = _version_stops(uow, typed, wanted)
    return Prepared(
        code=code,
        identity=typed.settings.signing.identity,
        title=title,
        profile=profile,
        document=document,
        origin=origin,
        step_variables=step_variables,
        steps=steps_of(document, profile),
        findings=findings,
        stops=stops,
        native=native_digest(profile, origin.files),
        expected=expected_of(uow, title, name),
        version_name=asked.version_name or profile.settings.version.name,
    )


def plan_runs(services: Services, slug: str, asked: wire.NewRuns) -> wire.PlanList:
    """Changes nothing."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        prepared = prepare(uow, title, asked)
        agents = list(uow.session.scalars(select(AgentRow).order_by(AgentRow.name)))
        return wire.PlanList(plans=[_plan(uow, p, agents) for p in prepared])


def _plan(uow: UnitOfWork, p: Prepared, agents: Sequence[AgentRow]) -> wire.Plan:
    row = (
        uow.session.scalar(select(VariablesRow).where(VariablesRow.name == p.step_variables))
        if p.step_variables
        else None
    )
    wanted = wanted_of(p.profile)
    toolchain = " ".join(x for x in (wanted.toolchain, wanted.versions) if x)
    return wire.Plan(
        profile=p.profile.name,
        platform=wanted.platform,
        platform_title=platform_title(wanted.platform),
        purpose=p.profile.settings.purpose,
        revision=p.title.revision,
        commit=p.origin.commit,
        subject=p.origin.subject,
        ref=p.origin.ref,
        folder=p.origin.folder,
        step_variables=p.step_variables,
        variables=sorted(row.variables) if row else [],
        secrets=list(row.secrets) if row else [],
        steps=list(p.steps),
        toolchain=toolchain + (f", licence “{wanted.licence}”" if wanted.licence else ""),
        agents=[_agent(uow.services, a, p) for a in agents],
        findings=[*(f.plain() for f in p.findings), *_backup(uow, p)],
        stops=p.stops,
        native=native_plan(uow, p.title, p.document, p.profile, p.native, p.origin.files),
        expected=p.expected.total([s.name for s in p.steps]),
        version_name=p.version_name,
        next_code=p.code,
    )


def _agent(services: Services, agent: AgentRow, p: Prepared) -> wire.PlanAgent:
    wanted, abilities = wanted_of(p.profile), agent.abilities
    found, state = choose(wanted, abilities.toolchains), agent_state(services, agent, 0)
    gone = {"lost": ["is lost"], "stopped": ["was stopped"]}.get(state, [])
    return wire.PlanAgent(
        name=agent.name,
        state=state,
        lacks=gone + lacks(wanted, abilities),
        toolchain=f"{found.name} {found.version}" if found else "",
    )


def _backup(uow: UnitOfWork, p: Prepared) -> list[Finding]:
    # Only a release is lost with its identity: test builds may be signed by anything.
    if not p.identity or p.profile.settings.purpose != "release":
        return []
    return check_backup(uow, p.identity)


def _version_stops(uow: UnitOfWork, profile: ResolvedProfile, wanted: WantedCode) -> tuple[list[str], int]:
    """(why no version code can be had or its bundle would be refused, the code)."""
    stops: list[str] = []
    code = 0
    try:
        code = next_for(uow, profile, wanted)
    except (Refused, Invalid) as error:
        stops.append(error.sentence())
    stops += [f"{f.message}. {f.hint}" for f in profile_continues(uow, profile)]
    return stops, code
