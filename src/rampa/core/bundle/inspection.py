"""Looking into a bundle: what it says of itself, what takes its space, what is twice in it, what is likely not meant to ship."""

from __future__ import annotations

import hashlib
import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

from rampa.core import parallel
from rampa.core.bundle.jar_signature import is_signature
from rampa.core.bundle.package import Facts, read_facts
from rampa.core.bundle.package_signature import signatures_in
from rampa.core.bundle.report import Leftover, Part, Twin
from rampa.core.bundle.zip_reader import Archive
from rampa.core.bundle.zip_structure import Entry
from rampa.core.content.select.leave_out_classes import LEAVE_OUT_CLASSES
from rampa.core.errors import RampaError
from rampa.core.patterns import read_patterns

KINDS = {
    "native libraries": (".so", ".dll", ".dylib"),
    "programs": (".exe", ".dex", ".jar", ".class", ".wasm"),
    "textures": (".ktx", ".ktx2", ".dds", ".png", ".jpg", ".jpeg", ".webp", ".tga", ".astc", ".basis"),
    "sounds": (".ogg", ".wav", ".opus", ".mp3", ".m4a", ".bank"),
    "videos": (".mp4", ".webm", ".mkv", ".ogv"),
    "meshes": (".mesh", ".glb", ".gltf", ".obj", ".fbx"),
    "texts": (".json", ".xml", ".txt", ".csv", ".toml", ".yaml", ".html", ".md", ".po"),
    "archives": (".zip", ".pak", ".arc", ".pck", ".bundle", ".obb", ".zst"),
    "fonts": (".ttf", ".otf", ".woff2"),
    "compiled resources": (".arsc", ".pb", ".plist", ".car", ".nib"),
}
SECRETS = (
    ("private key", re.compile(rb"-----BEGIN (?:[A-Z0-9]+ )*PRIVATE KEY-----")),
    (
        "token",
        re.compile(rb"(?i)(?:api[_-]?key|secret|token|password)[\"']?\s*[:=]\s*[\"'][A-Za-z0-9+/_\-.]{20,}[\"']"),
    ),
)
HEAD = 256 * 1024
"""Bytes of a file that are searched for secrets."""


@dataclass(frozen=True)
class Inspected:
    """`size` and `stored` are sums over all entries; `overhead` is what the container itself takes. Bytes."""

    facts: Facts
    files: int
    size: int
    stored: int
    overhead: int
    folders: tuple[Part, ...]
    kinds: tuple[Part, ...]
    largest: tuple[Entry, ...]
    twins: tuple[Twin, ...]
    leftovers: tuple[Leftover, ...]
    signed_by: tuple[str, ...]


def inspect_archive(archive: Archive, largest: int = 20, workers: int = parallel.WORKERS) -> Inspected:
    """Reads only what it must: entries that could be twins or hold secrets."""
    files = [e for e in archive.entries if not e.is_folder]
    stored = sum(e.stored for e in files)
    return Inspected(
        facts=read_facts(archive),
        files=len(files),
        size=sum(e.size for e in files),
        stored=stored,
        overhead=archive.source.size - stored,
        folders=parts_of(files, _folder),
        kinds=parts_of(files, kind_of_entry),
        largest=tuple(sorted(files, key=lambda e: (-e.stored, e.name))[:largest]),
        twins=_twins(archive, files, workers),
        leftovers=_leftovers(archive, files),
        signed_by=tuple(signatures_in(archive)),
    )


def inspect_stream(entries: Iterable[tuple[Entry, Iterator[bytes]]], size: int, largest: int = 20) -> Inspected:
    """The same for a bundle that is one stream, read once: what single files take in it cannot be said, only their size."""
    files: list[Entry] = []
    same: dict[tuple[bytes, int], list[str]] = defaultdict(list)
    leftovers = []
    for entry, content in entries:
        if entry.is_folder:
            continue
        digest, head = hashlib.sha256(), b""
        for piece in content:
            digest.update(piece)
            # The first piece is all that is searched: reading a stream twice would mean unpacking it twice.
            head = head or piece[:HEAD]
        files.append(entry)
        if entry.size:
            same[digest.digest(), entry.size].append(entry.name)
        why = _by_name(entry.name) or (_searched(head) if kind_of_entry(entry) in ("texts", "other") else "")
        if why:
            leftovers.append(Leftover(entry.name, entry.size, why))
    twins = [Twin(tuple(sorted(n)), s, s * (len(n) - 1)) for (_, s), n in same.items() if len(n) > 1]
    whole = sum(e.size for e in files)
    return Inspected(
        Facts("tar.zst"), len(files), whole, size, 0, parts_of(files, _folder), parts_of(files, kind_of_entry),
        tuple(sorted(files, key=lambda e: (-e.size, e.name))[:largest]),
        tuple(sorted(twins, key=lambda t: (-t.wasted, t.names))), tuple(leftovers), (),
    )  # fmt: skip


def parts_of(files: list[Entry], key: Callable[[Entry], str]) -> tuple[Part, ...]:
    sums: dict[str, list[int]] = defaultdict(lambda: [0, 0, 0])
    for entry in files:
        row = sums[key(entry)]
        row[0] += 1
        row[1] += entry.stored
        row[2] += entry.size
    return tuple(sorted((Part(name, *row) for name, row in sums.items()), key=lambda p: (-p.stored, p.name)))


def _folder(entry: Entry) -> str:
    first, slash, rest = entry.name.partition("/")
    if not slash:
        return "(top)"
    second, slash, _ = rest.partition("/")
    return f"{first}/{second}" if slash else first


def kind_of_entry(entry: Entry) -> str:
    ending = "." + entry.name.rpartition(".")[2].lower() if "." in entry.name.rpartition("/")[2] else ""
    return _BY_ENDING.get(ending, "other")


_BY_ENDING = {ending: kind for kind, endings in KINDS.items() for ending in endings}


def _twins(archive: Archive, files: list[Entry], workers: int) -> tuple[Twin, ...]:
    """The checksum and size say who could be one; the content decides."""
    alike: dict[tuple[int, int], list[Entry]] = defaultdict(list)
    for entry in files:
        if entry.size:
            alike[entry.crc, entry.size].append(entry)
    out = []
    for group in (g for g in alike.values() if len(g) > 1):
        same: dict[bytes, list[Entry]] = defaultdict(list)
        for entry in group:
            same[_digest(archive, entry)].append(entry)
        for entries in (s for s in same.values() if len(s) > 1):
            names = tuple(sorted(e.name for e in entries))
            # The smallest copy has to stay; what could be saved is the rest.
            out.append(Twin(names, entries[0].size, sum(sorted(e.stored for e in entries)[1:])))
    return tuple(sorted(out, key=lambda t: (-t.wasted, t.names)))


def _digest(archive: Archive, entry: Entry) -> bytes:
    digest = hashlib.sha256()
    for piece in archive.stream(entry):
        digest.update(piece)
    return digest.digest()


_CLASSES = {name: (why, read_patterns(patterns)) for name, (why, patterns) in LEAVE_OUT_CLASSES.items()}


_ANY = re.compile(
    "|".join(
        f"(?:{re.sub(r'[(][?]P<[^>]+>', '(?:', pattern.regex.pattern)})"
        for _, spec in _CLASSES.values()
        for pattern in spec.patterns
        if pattern.regex is not None
    )
)
"""All patterns as one: of 70,000 names few match any, and only those are asked which."""


def _leftovers(archive: Archive, files: list[Entry]) -> tuple[Leftover, ...]:
    found = []
    for entry in files:
        if is_signature(entry.name):
            continue
        why = _by_name(entry.name) or _secret(archive, entry)
        if why:
            found.append(Leftover(entry.name, entry.size, why))
    return tuple(found)


def _by_name(name: str) -> str:
    if _ANY.search(name) is None:
        return ""
    return next((why for why, spec in _CLASSES.values() if spec.match_file(name)), "")


def _secret(archive: Archive, entry: Entry) -> str:
    """Only texts are searched: patterns in packed content are chance."""
    if entry.size > 4 * HEAD or kind_of_entry(entry) not in ("texts", "other"):
        return ""
    try:
        head = b"".join(archive.stream(entry))[:HEAD]
    # A damaged entry is the reader's business to refuse: looking for secrets stays silent on it.
    except RampaError:
        return ""
    return _searched(head)


def _searched(head: bytes) -> str:
    # Packed or compiled content, whatever its name says.
    if b"\0" in head[:4096]:
        return ""
    return next((f"{what} inside" for what, pattern in SECRETS if pattern.search(head)), "")
