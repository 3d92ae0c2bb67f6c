"""One attempt: its steps in order, each under its limits, reported as they go; whatever happens, an end is reported."""

from __future__ import annotations

import errno
import traceback
from collections.abc import Callable

import psutil

from rampa.agent.context import AttemptContext, StepFailed, Stopped
from rampa.agent.reporter import Reporter
from rampa.agent.settings import AgentSettings
from rampa.agent.steps import bundle, collect, commands, fetch
from rampa.agent.work_folder import FAILED, finish_folder, make_folder
from rampa.client import Client
from rampa.core.build.life import BuildState
from rampa.core.errors import RampaError
from rampa.core.run.step import Step
from rampa.core.run.step import Step as StepWire
from rampa.schema.agents import EndIn, Work

Function = Callable[[AttemptContext, StepWire], None]
STEPS: dict[str, Function] = {
    "fetch": fetch.fetch,
    "toolchain": commands.check_toolchain,
    "export": commands.export,
    "collect": collect.collect,
    "check": collect.check,
    "bundle": bundle.bundle,
    "sign": bundle.sign,
    "depots": bundle.depots,
    "complete": bundle.complete,
    "notify": bundle.notify,
    "command": commands.run_command,
}
CODES = {"disk.full": "disk.full", "store.full": "store.full", "key.locked": "key.locked"}
"""Codes of errors of the service or the disk -> causes."""
LOST = {"lease.lost", "token.expired", "agent.proof"}
"""The run is another's, or this agent was removed."""


def work_on(client: Client, reporting: Client, settings: AgentSettings, work: Work, slot: int) -> str:
    """Carries out an attempt. Returns how it ended: done, failed, stopped or lost."""
    report = Reporter(reporting, settings.name, work)
    # Should the attempt end by a defect of ours, this is what is reported: a run must never stay open.
    result, end = "failed", EndIn(result="failed", code="rampa.defect", detail="it did not begin")
    try:
        folder = make_folder(settings, work, slot)
    except OSError as error:
        report.say(f"error: the work folder cannot be made: {error}", "error")
        report.end(EndIn(result="failed", code=_os_code(error), detail=str(error)[:300]))
        return "failed"
    try:
        attempt = AttemptContext(client, settings, work, folder, report, settings.find())
        end = _all_steps(attempt)
        result = end.result
    finally:
        if report.lost.is_set():
            result = "lost"
            report.give_up()
        else:
            report.end(end)
        finish_folder(settings, folder, FAILED if result == "failed" else result)
    return result


def _all_steps(a: AttemptContext) -> EndIn:
    """The first failure decides; steps for failures and for always still run after it."""
    failure: EndIn | None = None
    for position, step in enumerate(a.work.steps):
        planned = Step(step.name, step.kind, when=step.when)
        if not planned.wanted(a.profile.settings.purpose, failure is not None):
            if failure is None:
                a.report.step(position, "left-out", said=f"only {_when(step.when)}")
            continue
        try:
            _one_step(a, position, step)
        except Stopped:
            a.report.step(position, "stopped")
            return EndIn(result="stopped")
        except StepFailed as error:
            a.report.step(position, "failed", said=error.detail[:500])
            if failure is None:
                failure = EndIn(result="failed", code=error.code, step=step.name, detail=error.detail[:800])
    if failure is not None:
        return failure.model_copy(update={"measured": a.measured})
    build = a.build.number if a.build and a.build.state == BuildState.READY else None
    return EndIn(result="done", build=build, measured=a.measured)


def _when(when: str) -> str:
    return "after a failure" if when == "failure" else f"for {when}"


def _one_step(a: AttemptContext, position: int, step: StepWire) -> None:
    for tries in range(1, step.retries + 2):
        if a.report.halt.is_set():
            raise Stopped
        a.report.step(position, "working", tries)
        try:
            _guarded(a, step)
        except StepFailed as error:
            if tries > step.retries or a.report.halt.is_set():
                raise
            a.report.say(f"warning: try {tries} of {step.retries + 1} failed: {error.detail}", "warning")
        else:
            a.report.step(position, "done", tries)
            return


def _guarded(a: AttemptContext, step: StepWire) -> None:
    """Every error becomes a cause; one of ours that nobody foresaw is called what it is."""
    # Before each step: a full disk makes tools fail with messages that name anything but the disk.
    if psutil.disk_usage(str(a.settings.folder)).free < a.settings.least_free:
        raise StepFailed("disk.full", f"less than {a.settings.least_free // 10**6:,} MB are free")
    try:
        STEPS[step.kind](a, step)
    except (StepFailed, Stopped):
        raise
    except RampaError as error:
        if error.code in LOST:
            a.report.lost.set()
            raise Stopped from error
        a.report.say(f"error: {error.sentence()}", "error")
        raise StepFailed(_code(error), error.sentence()) from error
    except OSError as error:
        a.report.say(f"error: {error}", "error")
        raise StepFailed(_os_code(error), str(error)[:300]) from error
    except MemoryError as error:
        raise StepFailed("memory.out", "the agent had no memory left") from error
    except Exception as error:
        a.report.say(traceback.format_exc(), "error")
        raise StepFailed("rampa.defect", f"{type(error).__name__}: {error}"[:300]) from error


def _code(error: RampaError) -> str:
    if error.code in CODES:
        return CODES[error.code]
    if error.code.startswith("key."):
        return "key.locked"
    if error.code.startswith("bundle."):
        return "bundle.blocked"
    if error.code.startswith("version."):
        return "version.taken"
    return "step.failed"


def _os_code(error: OSError) -> str:
    return "disk.full" if error.errno in (errno.ENOSPC, errno.EDQUOT) else "step.failed"
