"""What one profile's run would be, for its plan and for the run itself: steps, findings, version code, what stops it."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from rampa.core.check.profile import check_profile, stops_a_build
from rampa.core.check.profile_findings import ProfileFinding
from rampa.core.errors import Invalid, Refused
from rampa.core.profile.document import Document
from rampa.core.profile.resolution import Resolved
from rampa.core.profile.resolved import ResolvedProfile, resolve
from rampa.core.run.expectation import ExpectedTimes
from rampa.core.run.native import native_digest
from rampa.core.run.step import Step
from rampa.core.run.steps import steps_of
from rampa.core.signing.key_policy import KeyUse
from rampa.db import (
    TitleRow,
    VariablesRow,
    identity_names,
    load_document,
)
from rampa.operations.base import UnitOfWork
from rampa.operations.runs.history import expected_of
from rampa.operations.runs.origin import RunOrigin, find_origin
from rampa.operations.signing.continuity import profile_continues
from rampa.operations.signing.policy import stops_of
from rampa.operations.versions.versions import WantedCode, next_for
from rampa.schema import runs as wire


@dataclass(frozen=True)
class Prepared:
    """Everything about one profile's run that its plan and its row have in common. `stops`: why it cannot start."""

    title: TitleRow
    profile: Resolved
    document: Document
    origin: RunOrigin
    step_variables: str
    """The group's name."""
    steps: list[Step]
    findings: list[ProfileFinding]
    stops: list[str]
    native: str
    expected: ExpectedTimes
    version_name: str
    code: int
    """The version code that it would get now; 0 where it would get none."""
    identity: str
    keeps: bool
    """Whether it makes a build of its own."""

    @property
    def secrets(self) -> set[str]:
        """Names of those that steps get."""
        return {name for step in self.steps for name in step.secrets}


def prepare(uow: UnitOfWork, title: TitleRow, asked: wire.NewRuns, *, keeps: bool = True) -> list[Prepared]:
    """One for each profile asked for; none named: the branch's defaults. Without `keeps` it takes no version code."""
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
    return [_prepare(uow, title, document, name, origin, asked, keeps and not asked.reproduces) for name in names]


def _prepare(
    uow: UnitOfWork,
    title: TitleRow,
    document: Document,
    name: str,
    origin: RunOrigin,
    asked: wire.NewRuns,
    keeps: bool,
) -> Prepared:
    profile = document.profile(name)
    # What is asked for first, then what the branch says, then the profile.
    step_variables = asked.step_variables or origin.step_variables or profile.settings.toolchain.variables
    steps = steps_of(document, profile)
    findings = check_profile(document, profile, identity_names(uow.session))
    stops = [f.message for f in stops_a_build(findings)]
    stops += _secret_stops(uow, step_variables, steps)
    typed = resolve(document, name)
    if typed.settings.signing.identity and keeps:
        use = KeyUse(title.slug, typed.settings.title.identifier, typed.settings.purpose, origin.ref)
        stops += stops_of(uow, typed.settings.signing.identity, use)
    wanted = WantedCode(asked.version_name or typed.settings.version.name, origin.commits)
    code = 0
    # Last: what cannot be built gets no code, and none is shown for it.
    if not stops and keeps:
        stops, code = _version_stops(uow, typed, wanted)
    return Prepared(
        code=code,
        keeps=keeps,
        identity=typed.settings.signing.identity,
        title=title,
        profile=profile,
        document=document,
        origin=origin,
        step_variables=step_variables,
        steps=steps,
        findings=findings,
        stops=stops,
        native=native_digest(profile, origin.files),
        expected=expected_of(uow, title, name),
        version_name=asked.version_name or profile.settings.version.name,
    )


def _secret_stops(uow: UnitOfWork, step_variables: str, steps: list[Step]) -> list[str]:
    """A secret that a step names and nobody has set would show hours later, as a program's failure."""
    row = uow.session.scalar(select(VariablesRow).where(VariablesRow.name == step_variables))
    if step_variables and row is None:
        return [f"there are no step variables {step_variables}; make them: rampa variables set {step_variables}"]
    there = set(row.secrets) if row else set()
    group = step_variables or "NAME"
    return [
        f"the step {step.name} wants the secret {name}, and it is not there; set it: rampa variables set {group} --secret {name}"
        for step in steps
        for name in step.secrets
        if name not in there
    ]


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
