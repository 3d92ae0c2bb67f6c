"""What stands between a build and a storefront: its bundle, permissions, frameworks, and what the storefront knows of it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from rampa.core.bundle.frameworks import Framework, older
from rampa.core.check.findings import Finding
from rampa.core.submission.asks import SENSITIVE, StorefrontAsks


@dataclass(frozen=True)
class SubmittedBundle:
    """`size` in bytes; `permissions`: those that it asks for, with the reasons that the profile gives; `grant`: the number of the
    list of test devices that it is signed for, 0 for none."""

    size: int
    version_code: int
    purpose: str
    grant: int = 0
    permissions: Mapping[str, str] = field(default_factory=dict)
    frameworks: tuple[Framework, ...] = ()
    debuggable: bool = False


@dataclass(frozen=True)
class KnownThere:
    """What the storefront has of the title: the `highest` code that it ever saw, 0 for none."""

    storefront: str
    title: str
    highest: int = 0


def check_purpose(bundle: SubmittedBundle) -> Iterator[Finding]:
    if bundle.purpose != "release":
        message = f"it was built for {bundle.purpose}, and players get what was built for release"
        yield Finding("blocker", "submission.purpose", message, "purpose", "Submit a build of a release profile.")
    if bundle.grant:
        message = f"it is signed for the devices of grant {bundle.grant} alone"
        yield Finding(
            "blocker", "submission.grant", message, "grant", "Build it for release: a release needs no grant."
        )
    if bundle.debuggable:
        message = "it lets anybody look into its memory: it is debuggable"
        yield Finding("blocker", "submission.debuggable", message, "bundle", "Build it for release.")


def check_code(bundle: SubmittedBundle, there: KnownThere) -> Iterator[Finding]:
    if bundle.version_code <= there.highest:
        message = f"version code {bundle.version_code:,} is not above {there.highest:,}, the highest that {there.title} has seen"
        yield Finding("blocker", "submission.code", message, "version code", "Build again: the next code is higher.")


def check_size(bundle: SubmittedBundle, asks: StorefrontAsks) -> Iterator[Finding]:
    if bundle.size > asks.largest:
        message = f"the bundle has {bundle.size / 1e6:,.0f} MB, and {asks.largest / 1e6:,.0f} MB are taken"
        hint = "Leave out what players do not need, or move it into an addon."
        yield Finding("blocker", "submission.size", message, "bundle", hint)


def check_permissions(bundle: SubmittedBundle, asks: StorefrontAsks) -> Iterator[Finding]:
    for name, reason in bundle.permissions.items():
        sensitive, length = any(word in name.lower() for word in SENSITIVE), len(reason.strip())
        if sensitive and length < asks.reason:
            said = f"has {length} of {asks.reason} characters" if length else "is missing"
            message = f"the reason why it asks for {name} {said}"
            hint = f'In the profile: system.permissions = {{ {name} = "…" }}. Players read it.'
            yield Finding("blocker", "submission.permission-reason", message, f"permission {name}", hint)


def check_frameworks(bundle: SubmittedBundle, asks: StorefrontAsks) -> Iterator[Finding]:
    for framework in bundle.frameworks:
        lowest = asks.frameworks.get(framework.name)
        if lowest and older(framework.version, lowest):
            message = f"{framework.name} {framework.version} is inside, and {lowest} or newer is taken"
            hint = f"Build with {framework.name} {lowest} or newer."
            yield Finding("blocker", "submission.framework", message, framework.path, hint)
