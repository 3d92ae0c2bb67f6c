"""Two builds side by side: settings, commits between, files, folders, findings, durations, tools."""

from __future__ import annotations

from rampa.core.build.life import BuildState
from rampa.core.content.tree import comparison
from rampa.core.content.tree.file_change import FileChange
from rampa.core.errors import RampaError
from rampa.core.profile.comparison import compare
from rampa.db import BuildRow, find_build, has_source, live_channels, load_document
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.builds.views import summary
from rampa.operations.content.stored_trees import build_tree
from rampa.operations.sources.commits import commit_out
from rampa.operations.sources.repository import mirror_of
from rampa.schema.builds import changes as wire
from rampa.schema.profiles.of_core import difference_out
from rampa.schema.profiles.profiles import DifferenceOut
from rampa.schema.sources import CommitOut

COMMITS = 200


def compare_builds(services: Services, slug: str, query: wire.BuildPairQuery) -> wire.BuildComparison:
    with begin(services) as uow:
        left, right = find_build(uow.session, slug, query.left), find_build(uow.session, slug, query.right)
        live = live_channels(uow.session, [left, right])
        said, forth, back = _commits(uow, left, right)
        settings = _settings(uow, left, right)
    files, folders, unchanged = _contents(services, left, right)
    kinds = [f.kind for f in files]
    return wire.BuildComparison(
        left=summary(left, live.get(left.number, [])),
        right=summary(right, live.get(right.number, [])),
        settings=settings,
        commits=forth,
        commits_back=back,
        commits_said=said,
        added=kinds.count("added"),
        removed=kinds.count("removed"),
        changed=kinds.count("changed"),
        unchanged=unchanged,
        moved=kinds.count("moved"),
        files=files[: wire.FILES],
        folders=folders,
        durations=_pairs(dict(left.made.record.steps), dict(right.made.record.steps)),
        tools=_tools(left, right),
        findings_left=list(left.made.record.findings),
        findings_right=list(right.made.record.findings),
        same_native=left.made.native == right.made.native if left.made.native and right.made.native else None,
    )


def _settings(uow: UnitOfWork, left: BuildRow, right: BuildRow) -> list[DifferenceOut]:
    sides = [load_document(uow.session, b.title, b.revision).profile(b.profile) for b in (left, right)]
    return [difference_out(d) for d in compare(*sides)]


def _commits(uow: UnitOfWork, left: BuildRow, right: BuildRow) -> tuple[str, list[CommitOut], list[CommitOut]]:
    row = has_source(uow.session, left.title)
    if not left.made.commit or not right.made.commit or row is None:
        return "Not both were built from a commit.", [], []
    if left.made.commit == right.made.commit:
        return "Both were built from the same commit.", [], []
    mirror = mirror_of(uow.services, row)
    try:
        forth = mirror.log(right.made.commit, 0, COMMITS, since=left.made.commit)
        back = mirror.log(left.made.commit, 0, COMMITS, since=right.made.commit)
    # A branch that was pushed over leaves builds whose commits the repository has forgotten.
    except RampaError:
        return "A commit of these is not in the repository any more.", [], []
    return "", [commit_out(c) for c in forth], [commit_out(c) for c in back]


def _contents(services: Services, left: BuildRow, right: BuildRow) -> tuple[list[FileChange], list[wire.SizePair], int]:
    """Empty where a build has no content: it is open, abandoned or removed."""
    if {left.state, right.state} != {BuildState.READY}:
        return [], [], 0
    before, after = build_tree(services, left), build_tree(services, right)
    files = comparison.by_weight(comparison.compare(before, after))
    unchanged = len(after.files) - sum(f.kind != "removed" for f in files)
    return files, _pairs(comparison.folder_sizes(before), comparison.folder_sizes(after)), unchanged


def _pairs(before: dict[str, float] | dict[str, int], after: dict[str, float] | dict[str, int]) -> list[wire.SizePair]:
    names = dict.fromkeys([*before, *after])
    return [wire.SizePair(name=n, before=before.get(n), after=after.get(n)) for n in names]


def _tools(left: BuildRow, right: BuildRow) -> list[wire.ToolPair]:
    old, new = left.made.record.tools, right.made.record.tools
    return [wire.ToolPair(name=n, before=old.get(n, ""), after=new.get(n, "")) for n in dict.fromkeys([*old, *new])]
