"""Two builds side by side: settings, commits between, files, folders, findings, durations, tools."""

from __future__ import annotations

from sqlalchemy.orm import Session

from rampa.core.content.tree.folder_changes import FileChange, file_changes, folder_sizes
from rampa.core.errors import RampaError
from rampa.core.profile.comparison import compare
from rampa.db.builds import BuildRow
from rampa.operations.base.context import Services
from rampa.operations.builds.builds import find_build
from rampa.operations.builds.views import live_channels, summary
from rampa.operations.content.stored_trees import build_tree
from rampa.operations.sources.repository import has_source, mirror_of
from rampa.operations.titles.documents import load_document
from rampa.schema.builds import changes as wire
from rampa.schema.common import FindingOut
from rampa.schema.profiles.of_core import difference_out
from rampa.schema.profiles.profiles import DifferenceOut
from rampa.schema.sources import CommitOut
from rampa.store.mirror import Commit

COMMITS = 200


def compare_builds(services: Services, slug: str, query: wire.BuildPairQuery) -> wire.BuildComparison:
    with services.db.transaction() as session:
        left, right = find_build(session, slug, query.left), find_build(session, slug, query.right)
        live = live_channels(session, [left, right])
        said, forth, back = _commits(services, session, left, right)
        settings = _settings(session, left, right)
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
        files=[
            wire.BuildFileChange(path=f.path, kind=f.kind, before=f.before, after=f.after) for f in files[: wire.FILES]
        ],
        folders=folders,
        durations=_pairs(dict(left.made_with.get("steps", [])), dict(right.made_with.get("steps", []))),
        tools=_tools(left, right),
        findings_left=[FindingOut(**f) for f in left.made_with.get("findings", [])],
        findings_right=[FindingOut(**f) for f in right.made_with.get("findings", [])],
        same_native=left.native == right.native if left.native and right.native else None,
    )


def _settings(session: Session, left: BuildRow, right: BuildRow) -> list[DifferenceOut]:
    sides = [load_document(session, b.title, b.revision).profile(b.profile) for b in (left, right)]
    return [difference_out(d) for d in compare(*sides)]


def _commits(
    services: Services, session: Session, left: BuildRow, right: BuildRow
) -> tuple[str, list[CommitOut], list[CommitOut]]:
    row = has_source(session, left.title)
    if not left.commit or not right.commit or row is None:
        return "Not both were built from a commit.", [], []
    if left.commit == right.commit:
        return "Both were built from the same commit.", [], []
    mirror = mirror_of(services, row)
    try:
        forth = mirror.log(right.commit, 0, COMMITS, since=left.commit)
        back = mirror.log(left.commit, 0, COMMITS, since=right.commit)
    except RampaError:
        return "A commit of these is not in the repository any more.", [], []
    return "", [_commit(c) for c in forth], [_commit(c) for c in back]


def _commit(c: Commit) -> CommitOut:
    return CommitOut(commit=c.commit, subject=c.subject[:300], author=c.author[:100], at=c.at)


def _contents(services: Services, left: BuildRow, right: BuildRow) -> tuple[list[FileChange], list[wire.SizePair], int]:
    """Empty where a build has no content: it is open, abandoned or removed."""
    if left.state != "ready" or right.state != "ready":
        return [], [], 0
    before, after = build_tree(services, left), build_tree(services, right)
    files = file_changes(before, after)
    unchanged = len(after.files) - sum(f.kind in ("added", "changed") for f in files)
    return files, _pairs(folder_sizes(before), folder_sizes(after)), unchanged


def _pairs(before: dict[str, float] | dict[str, int], after: dict[str, float] | dict[str, int]) -> list[wire.SizePair]:
    names = dict.fromkeys([*before, *after])
    return [wire.SizePair(name=n, before=before.get(n), after=after.get(n)) for n in names]


def _tools(left: BuildRow, right: BuildRow) -> list[wire.ToolPair]:
    old, new = left.made_with.get("tools", {}), right.made_with.get("tools", {})
    return [wire.ToolPair(name=n, before=old.get(n, ""), after=new.get(n, "")) for n in dict.fromkeys([*old, *new])]
