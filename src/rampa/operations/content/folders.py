"""A build's content folder by folder, with what stayed out and why: large builds are looked at without listing them whole."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from heapq import nlargest
from operator import itemgetter

from rampa.core.content.depots.preview import PreviewedFile, PreviewedFolder, tree
from rampa.core.errors import NotFound
from rampa.db import BuildRow, find_build
from rampa.operations.base import Services, begin
from rampa.operations.content.result_cache import ResultCache
from rampa.operations.content.stored_trees import depot_trees, find_ready
from rampa.schema import content as wire

_trees = ResultCache(4)
SHOWN = 400
DRAWN = 160
"""Rectangles of a treemap: smaller ones are drawn as one."""


def content_folder(services: Services, slug: str, number: int, path: str) -> wire.ContentFolder:
    """One folder of a build: what lies in it, largest first, and its two upper layers for a treemap."""
    build = find_ready(services, slug, number)
    top: PreviewedFolder = _trees.get(build.id, lambda: tree(_rows(services, slug, build)))
    at = top
    for name in path.strip("/").split("/") if path.strip("/") else ():
        if name not in at.folders:
            raise NotFound("folder.unknown", f"{build.name} has no folder {path!r}", where="folder")
        at = at.folders[name]
    folders = nlargest(SHOWN, at.folders.values(), key=lambda f: f.size + f.out_size)
    files = nlargest(SHOWN, at.rows, key=lambda r: r.size)
    return wire.ContentFolder(
        path=path.strip("/"),
        files=at.files,
        size=at.size,
        out_files=at.out_files,
        out_size=at.out_size,
        folders=[_folder(f) for f in folders],
        folders_left=len(at.folders) - len(folders),
        rows=[_row(r) for r in files],
        rows_left=len(at.rows) - len(files),
        map=_map(at),
    )


def _rows(services: Services, slug: str, build: BuildRow) -> list[PreviewedFile]:
    rows = [
        PreviewedFile(f.path, f.size, True, f"depot {depot}", "")
        for depot, tree in depot_trees(services, build).items()
        for f in tree.files
    ]
    with begin(services) as uow:
        left_out = find_build(uow.session, slug, build.number).content.left_out
    return rows + [PreviewedFile(o.path, o.size, False, o.why, o.origin) for o in left_out]


def _folder(folder: PreviewedFolder) -> wire.FolderLine:
    return wire.FolderLine(
        name=folder.name, files=folder.files, size=folder.size, out_files=folder.out_files, out_size=folder.out_size
    )


def _row(row: PreviewedFile) -> wire.FileLine:
    return wire.FileLine(
        name=row.path.rpartition("/")[2], size=row.size, inside=row.inside, why=row.rule, origin=row.origin
    )


def _map(at: PreviewedFolder) -> list[wire.MapPiece]:
    """Folders with their largest parts, and files; what would be too small to see is left to its folder."""
    rest: Counter[tuple[str, bool]] = Counter()
    pieces = list(_pieces(at))
    for size, folder, _, inside in pieces:
        rest[folder, inside] += size
    largest = nlargest(DRAWN, pieces, key=itemgetter(0))
    # What is drawn by itself is taken off again: the rest of its folder is one piece.
    for size, folder, _, inside in largest:
        rest[folder, inside] -= size
    drawn = [wire.MapPiece(folder=f, name=n, size=s, inside=i) for s, f, n, i in largest]
    return drawn + [wire.MapPiece(folder=f, name="(smaller)", size=s, inside=i) for (f, i), s in rest.items() if s]


def _pieces(at: PreviewedFolder) -> Iterator[tuple[int, str, str, bool]]:
    """(size in bytes, folder, name, whether it goes in) of whatever has a size."""
    for folder in at.folders.values():
        for inner in folder.folders.values():
            if inner.size:
                yield inner.size, folder.name, f"{inner.name}/", True
        yield from _files(folder, folder.name)
        out = sum(f.out_size for f in folder.folders.values())
        if out:
            yield out, folder.name, "(stays out)", False
    yield from _files(at, "")


def _files(at: PreviewedFolder, name: str) -> Iterator[tuple[int, str, str, bool]]:
    return ((r.size, name, r.path.rpartition("/")[2], r.inside) for r in at.rows if r.size)
