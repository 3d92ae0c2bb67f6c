"""A build's bundle out of its files: the same files give the same bytes, wherever it is written."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from rampa.core.bundle.assembly import write_package
from rampa.core.bundle.desktop import write_desktop
from rampa.core.bundle.layout import has_own, place
from rampa.core.bundle.stamp import Stamp
from rampa.core.bundle.zip_writer import Member
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Refused
from rampa.core.profile.resolved import ResolvedProfile

DESKTOP = ("zip", "tar.zst")


@dataclass(frozen=True)
class BundlePlan:
    """`top`: a desktop bundle's top folder. `program_name` names an IPA's application. `stamp`: what a package says of itself."""

    kind: str
    top: str
    program_name: str
    stamp: Stamp


def plan_of(profile: ResolvedProfile, top: str, version_name: str, version_code: int) -> BundlePlan:
    """What a profile says of the bundle of a build with this version."""
    settings = profile.settings
    debuggable = None if settings.output.kind == "ipa" else settings.code.debug_helpers
    stamp = Stamp(version_name, version_code, debuggable)
    return BundlePlan(settings.output.kind, top, settings.launch.program_name, stamp)


def members_of(tree: Tree, sources: Mapping[str, Path]) -> list[Member]:
    """Named from the bundle's top. `sources`: where each path's content lies."""
    files = [Member(f.path, sources[f.path], f.size, f.executable) for f in tree.files]
    links = [Member(k.path, k.target, len(k.target)) for k in tree.links]
    return sorted([*files, *links], key=lambda m: m.name)


def write_bundle(
    file: Path, plan: BundlePlan, members: list[Member], progress: Callable[[int], None] = lambda _: None
) -> None:
    """Unsigned. Raises `Refused` for a package with links, and as `write_package`."""
    if plan.kind in DESKTOP:
        with file.open("wb") as out:
            write_desktop(out, plan.kind, plan.top, members, progress=progress)
    else:
        write_package(_placed(members, plan), file, plan.stamp, progress=progress)


def _placed(members: list[Member], plan: BundlePlan) -> list[Member]:
    """At their places in a package, which holds no links."""
    linked = next((m for m in members if isinstance(m.source, str)), None)
    if linked is not None:
        raise Refused("bundle.link", f"a package of kind {plan.kind} holds no links", where=linked.name)
    separate = has_own(m.name for m in members)
    return [replace(m, name=place(m.name, plan.kind, plan.program_name, separate)) for m in members]
