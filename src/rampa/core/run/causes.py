"""Why a run failed, in one sentence, with what most likely fixes it. One table, version 1."""

from __future__ import annotations

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Cause:
    code: str
    sentence: str
    fix: str


TABLE = {
    "toolchain.missing": ("{agent} {detail}", "Install it on {agent}, or start an agent that has it."),
    "toolchain.version": ("{agent} {detail}", "Install a fitting version on {agent}, or widen toolchain.versions."),
    "toolchain.licence": ("{agent} {detail}", "Accept the licence on {agent} once, then start the run again."),
    "key.locked": ("The signing identity cannot be used: {detail}", "Unlock it, then start the run again."),
    "disk.full": (
        "The disk of {agent} is full",
        "Free space on {agent} (`rampa agent tidy` removes kept work folders).",
    ),
    "bundle.self-test": (
        "The bundle does not run by itself: {detail}",
        "A file that the program needs is not in the bundle: see what it said in the log, and content.include.",
    ),
    "bundle.differs": (
        "Building again gave other bytes: {detail}",
        "See which step is not repeatable: times, paths or random numbers in what it writes.",
    ),
    "bundle.blocked": (
        "A storefront would refuse the bundle: {detail}",
        "Fix it in the export; its findings say where.",
    ),
    "store.full": (
        "The disk of the service is full",
        "Free space on the service's machine; the build's content is kept.",
    ),
    "time.limit": (
        "The step {step} took longer than {detail}",
        "Raise seconds in [steps.{step}], or see what it waits for.",
    ),
    "memory.limit": (
        "The step {step} needed more memory than {detail}",
        "Raise memory in [steps.{step}], or use less.",
    ),
    "memory.out": (
        "{agent} ran out of memory in the step {step}",
        "Run fewer runs at once there (--at-once), or add memory.",
    ),
    "output.limit": (
        "The step {step} wrote more than {detail} into the log",
        "Write less, or raise output in [steps.{step}].",
    ),
    "content.stale": (
        "Baked content is older than its source: {detail}",
        "Export again with the step export before collect.",
    ),
    "content.preview": ("Content was baked at preview quality: {detail}", "Export at full quality for a release."),
    "check.blocked": ("A check found {detail}", "The findings stand in the log of the step check."),
    "source.missing": (
        "The source could not be had: {detail}",
        "Check whether the repository answers: `rampa source fetch`.",
    ),
    "source.pointer": (
        "The source holds large-file pointers in place of files: {detail}",
        "Commit the files themselves.",
    ),
    "program.missing": (
        "The program {detail} is not on {agent}",
        "Install it there, name its full path in the step, or show its folder to steps (--readable).",
    ),
    "program.closed": (
        "The program {detail} may not be run by the user that steps have on {agent}",
        "Open it to others, show its folder to steps (--readable), or start the agent with --same-user.",
    ),
    "isolation.failed": (
        "The sandbox for the step {step} could not be made on {agent}",
        "See the agent's log; `bwrap` must work for its user. It is tried again when the agent starts.",
    ),
    "agent.lost": (
        "The run was lost {detail}",
        "See what became of the agents: `rampa agent list`. Then start it again.",
    ),
    "version.taken": (
        "The version code could not be reserved: {detail}",
        "Raise version.first_code or the version's name.",
    ),
    "step.failed": ("The step {step} ended with {detail}", "The first error in its log says more."),
    "rampa.defect": (
        "The agent itself failed in the step {step}: {detail}",
        "This is a defect of Rampa: please report it.",
    ),
}
"""code -> (sentence, fix)."""

SAID = (
    (re.compile(r"No space left on device|ENOSPC|disk (?:is )?full|not enough (?:disk )?space", re.I), "disk.full"),
    (re.compile(r"out of memory|Cannot allocate memory|MemoryError|std::bad_alloc|ENOMEM", re.I), "memory.out"),
    (
        re.compile(r"licen[cs]e .{0,60}(?:not|never) (?:been )?accepted|accept the licen[cs]e", re.I),
        "toolchain.licence",
    ),
)
"""What programs say before they fail -> the cause behind it."""


def cause_of(code: str, *, step: str = "", agent: str = "", detail: str = "") -> Cause:
    """`code` as in TABLE; another one is said as it is."""
    # An unknown code's text may hold braces of its own: it is a value here, never the pattern.
    sentence, fix = TABLE.get(code, ("{detail}", ""))
    words = {"step": step or "?", "agent": agent or "the agent", "detail": detail.strip().rstrip(".")}
    said = sentence.format(**words)
    return Cause(code, said[:1].upper() + said[1:], fix.format(**words))


def seen_in(lines: list[str]) -> str:
    """A cause's code that the last lines of a failed command point at, or nothing."""
    # From the end: what was said last is nearest to why it failed.
    for line in reversed(lines):
        for pattern, code in SAID:
            if pattern.search(line):
                return code
    return ""
