"""The steps that run programs: `toolchain` looks for one, `export` runs its command, and a title's own commands."""

from __future__ import annotations

from rampa.agent.context import AttemptContext, StepFailed, Stopped
from rampa.agent.process import Ended, Limits, run_program
from rampa.agent.toolchains import Found
from rampa.core.run.abilities import choose, toolchain_lacks, wanted_of
from rampa.core.run.causes import seen_in
from rampa.core.run.step import Step

MIB = 1024 * 1024
BROKEN = {
    "missing": "program.missing",
    "closed": "program.closed",
    "disk": "disk.full",
    "isolation": "isolation.failed",
}
"""Why a program ended -> the cause's code; the others are limits."""


def check_toolchain(a: AttemptContext, step: Step) -> None:
    """Looks at the machine itself, not at what it said an hour ago."""
    wanted = wanted_of(a.resolved)
    if not wanted.toolchain:
        a.report.say("The profile names no toolchain.")
        return
    a.toolchains[:] = a.settings.find()
    found = tuple(f.toolchain for f in a.toolchains)
    missing = toolchain_lacks(wanted, found)
    if missing:
        raise StepFailed(missing[0].code, ", and ".join(lack.said for lack in missing))
    chosen = choose(wanted, found)
    a.chosen = next(f for f in a.toolchains if f.toolchain == chosen)
    licence = f"; licence “{wanted.licence}” accepted" if wanted.licence else ""
    a.report.say(f"{a.chosen.toolchain.name} {a.chosen.toolchain.version}, wanted {wanted.versions or 'any'}{licence}.")


def export(a: AttemptContext, step: Step) -> None:
    run_command(a, step)
    a.root = a.folder.out


def run_command(a: AttemptContext, step: Step) -> None:
    """A command without a shell, in its folder of the source, under the step's limits."""
    words = [a.put_in(w) for w in step.command]
    words = [*_program(a, words[0]), *words[1:]]
    folder = (a.folder.source / step.folder).resolve()
    # After links are resolved: a folder in the source can be a link to anywhere.
    if not folder.is_relative_to(a.folder.source.resolve()) or not folder.is_dir():
        raise StepFailed("step.failed", f"no folder {step.folder} in the source")
    limits = Limits(step.seconds, step.memory * MIB, step.output * 1000, a.settings.least_free)
    a.report.say(f"$ {' '.join(words)}", "rampa")
    ended = run_program(
        words,
        folder,
        a.environment(step),
        limits,
        a.report.output,
        a.report.halt,
        a.place(network=step.network),
        a.folder.mark,
    )
    a.report.end_output()
    _judge(a, step, ended, words[0])


def _program(a: AttemptContext, word: str) -> tuple[str, ...]:
    """A toolchain's name stands for the command that starts it here."""
    fitting: list[Found] = [a.chosen] if a.chosen else a.toolchains
    for found in fitting:
        if found.toolchain.name == word:
            return found.command
    return (word,)


def _judge(a: AttemptContext, step: Step, ended: Ended, program: str) -> None:
    peak = f", {ended.peak / MIB:,.0f} MiB at most" if ended.peak else ""
    if ended.well:
        a.report.say(f"{step.name} took {ended.seconds:.1f} s{peak}.", "rampa")
        return
    if ended.why == "stopped":
        raise Stopped
    if ended.why:
        detail = {
            "time": f"its limit of {step.seconds:,} s",
            "memory": f"its limit of {step.memory:,} MiB",
            "output": f"its limit of {step.output:,} kB",
            "missing": program,
            "closed": program,
        }.get(ended.why, "")
        raise StepFailed(BROKEN.get(ended.why, f"{ended.why}.limit"), detail)
    seen = seen_in(list(a.report.tail))
    error = f": {a.report.first_error[:300]}" if a.report.first_error else ""
    detail = "has not accepted the licence" if seen == "toolchain.licence" else ended.words() + error
    # The system ends a program that takes too much memory by SIGKILL, and says so to nobody.
    raise StepFailed("memory.out" if ended.code == -9 and not seen else seen or "step.failed", detail)
