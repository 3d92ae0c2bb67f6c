"""The steps of a run: what a profile lists, in order, with the limits that each has."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from rampa.core.profile.document import Document, OwnStep
from rampa.core.profile.problems import nearest
from rampa.core.profile.resolution import Resolved
from rampa.core.run.step import ELSE_SECONDS, Step

BUILT_IN = {
    "fetch": "Bring the source: exactly its commit, or the uploaded folder.",
    "toolchain": "Check whether this machine has the toolchain, its version and its licence.",
    "export": "Run the toolchain's export command.",
    "collect": "Select what goes in, and see that baked content is as new as its sources.",
    "check": "Look for what would stop the build at the storefront.",
    "bundle": "Reserve the version code and write the bundle.",
    "sign": "Sign the bundle.",
    "depots": "Split the content into depots and send what the service lacks.",
    "complete": "Hand the build over: from here on it can be placed.",
    "notify": "Write to the person who started the run.",
}
"""Name -> what it does."""

SECONDS = {"fetch": 1800, "toolchain": 120, "export": 4 * 3600, "check": 600, "sign": 600, "notify": 60}
RETRIES = {"fetch": 2}
AFTER_BUNDLE = ("depots", "complete")
NEEDS = {"check": "collect", "bundle": "collect", "sign": "bundle", "depots": "bundle", "complete": "depots"}
"""A step -> the one that must have come before it."""


def listed(profile: Resolved) -> tuple[str, ...]:
    """The profile's steps by name. What is not said is put where it belongs: fetch first, depots and complete after a bundle."""
    names: tuple[str, ...] = profile.settings.toolchain.steps or _usual(profile)
    if "fetch" not in names:
        names = ("fetch", *names)
    if "bundle" in names:
        # Behind the last of the two that make the bundle: whoever lists sign wants the signed one sent.
        at = max(names.index(n) for n in ("bundle", "sign") if n in names) + 1
        missing = tuple(n for n in AFTER_BUNDLE if n not in names)
        # A profile that lists complete itself knows where it wants it; what must come before goes before it.
        if "complete" in names:
            at = names.index("complete")
        names = (*names[:at], *missing, *names[at:])
    return names


def _usual(profile: Resolved) -> tuple[str, ...]:
    export = ("export",) if profile.settings.toolchain.export else ()
    toolchain = ("toolchain",) if profile.settings.toolchain.name else ()
    sign = ("sign",) if profile.settings.signing.identity else ()
    return ("fetch", *toolchain, *export, "collect", "check", "bundle", *sign, "depots", "complete")


def steps_of(document: Document, profile: Resolved) -> list[Step]:
    """In order. Steps that `step_problems` complains of are left out."""
    out = []
    for name in listed(profile):
        configured = document.steps.get(name)
        if name in BUILT_IN:
            out.append(_built_in(name, configured, profile))
        elif configured is not None and configured.command:
            out.append(_limited(Step(name, "command", configured.command), configured))
    return out


def _built_in(name: str, configured: OwnStep | None, profile: Resolved) -> Step:
    command = profile.settings.toolchain.export if name == "export" else ()
    export = profile.settings.toolchain if name == "export" else None
    step = Step(
        name,
        name,
        tuple(command),
        seconds=SECONDS.get(name, ELSE_SECONDS),
        retries=RETRIES.get(name, 0),
        network=bool(export and export.network),
        secrets=tuple(export.secrets) if export else (),
    )
    return _limited(step, configured) if configured else step


def _limited(step: Step, configured: OwnStep) -> Step:
    # 0 and nothing said are one: a limit of none would end the step before it begins.
    numbers = {
        k: getattr(configured, k)
        for k in ("seconds", "silent", "memory", "output", "retries")
        if getattr(configured, k)
    }
    return replace(
        step,
        folder=configured.folder,
        variables=configured.variables,
        when=configured.when,
        network=configured.network or step.network,
        secrets=(*step.secrets, *configured.secrets),
        **numbers,
    )


def step_problems(document: Document, profile: Resolved) -> list[tuple[str, str, str]]:
    """(code, what is wrong with the profile's steps, what to do)."""
    names = listed(profile)
    out: list[tuple[str, str, str]] = []
    for name in names:
        configured = document.steps.get(name)
        if name in BUILT_IN:
            if configured is not None and configured.command:
                hint = "Say the command in toolchain.export." if name == "export" else "Give your step another name."
                out.append((f"command.{name}", f"[steps.{name}] has a command, and {name} is a built-in step", hint))
        elif configured is None or not configured.command:
            near = nearest(name, (*BUILT_IN, *document.steps))
            out.append(
                (f"unknown.{name}", f"no step {name!r} is known", near or f"Give it a command in [steps.{name}].")
            )
    if "export" in names and not profile.settings.toolchain.export:
        out.append(("no-export", "the step export has no command", "Say what it runs in toolchain.export."))
    return [*out, *_order_problems(names)]


def _order_problems(names: Sequence[str]) -> list[tuple[str, str, str]]:
    out = []
    for twice in sorted({n for n in names if names.count(n) > 1}):
        out.append((f"twice.{twice}", f"the step {twice} is listed twice", "List it once."))
    for name, before in NEEDS.items():
        if name in names and before not in names[: names.index(name)]:
            out.append((f"order.{name}", f"the step {name} needs {before} before it", f"List {before} before {name}."))
    return out
