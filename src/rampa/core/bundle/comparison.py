"""Two bundles: what grew and why."""

from __future__ import annotations

import zlib
from dataclasses import dataclass

from rampa.core.bundle.inspection import kind_of_entry, parts_of
from rampa.core.bundle.package import Facts, read_facts
from rampa.core.bundle.sources import ByteSource
from rampa.core.bundle.tar_bundle import is_tar_zst, read_tar_zst
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.bundle.zip_structure import Entry


@dataclass(frozen=True)
class Grown:
    """An entry or kind in two bundles; bytes as stored, None where it is not there. `why` says what happened to it."""

    name: str
    before: int | None
    after: int | None
    why: str

    @property
    def change(self) -> int:
        return (self.after or 0) - (self.before or 0)


@dataclass(frozen=True)
class Compared:
    """`rows` by how much they weigh; `kinds` likewise. `same` entries did not change."""

    before: Facts
    after: Facts
    size_before: int
    size_after: int
    same: int
    rows: tuple[Grown, ...]
    kinds: tuple[Grown, ...]


@dataclass(frozen=True)
class Listed:
    """A bundle's entries with their checksums; `size` of the whole in bytes."""

    facts: Facts
    size: int
    entries: list[Entry]


def listed(source: ByteSource) -> Listed:
    """From the directory alone for a ZIP; a tar.zst has none, and is read through."""
    if not is_tar_zst(source):
        archive = read_zip(source)
        return Listed(read_facts(archive), source.size, archive.entries)
    entries = []
    for entry, content in read_tar_zst(source):
        for piece in content:
            entry.crc = zlib.crc32(piece, entry.crc)
        entries.append(entry)
    return Listed(Facts("tar.zst"), source.size, entries)


def compare_bundles(old: Listed, new: Listed) -> Compared:
    """What grew and why: checksum and sizes tell changed content from another way of packing."""
    before, after = ({e.name: e for e in one.entries if not e.is_folder} for one in (old, new))
    moved = _moved(before, after)
    rows, same = [], 0
    for name in sorted(before.keys() | after.keys()):
        a, b = before.get(name), after.get(name)
        why = _why(name, a, b, moved)
        if why:
            rows.append(Grown(name, a.stored if a else None, b.stored if b else None, why))
        else:
            same += 1
    kinds = {k.name: k.stored for k in parts_of(list(before.values()), kind_of_entry)}
    now = {k.name: k.stored for k in parts_of(list(after.values()), kind_of_entry)}
    changed = [k for k in sorted(kinds.keys() | now.keys()) if kinds.get(k) != now.get(k)]
    grown = [Grown(k, kinds.get(k), now.get(k), "") for k in changed]
    rows.sort(key=lambda r: (-abs(r.change), r.name))
    grown.sort(key=lambda r: -abs(r.change))
    return Compared(old.facts, new.facts, old.size, new.size, same, tuple(rows), tuple(grown))


def _moved(before: dict[str, Entry], after: dict[str, Entry]) -> dict[str, str]:
    """New name -> old name of content that only went elsewhere."""
    # An empty file has the checksum of every other: it did not move, it is only alike.
    gone = {(e.crc, e.size): n for n, e in before.items() if n not in after and e.size}
    return {n: gone[e.crc, e.size] for n, e in after.items() if n not in before and (e.crc, e.size) in gone}


def _why(name: str, a: Entry | None, b: Entry | None, moved: dict[str, str]) -> str:
    if a is None:
        return f"moved here from {moved[name]}" if name in moved else "new"
    if b is None:
        return "moved" if name in moved.values() else "removed"
    if (a.crc, a.size) != (b.crc, b.size):
        return "content changed" if a.size != b.size else "content changed, same size"
    if a.method != b.method:
        return "stored now, packed before" if b.method == 0 else "packed now, stored before"
    return "packed otherwise" if a.stored != b.stored else ""
