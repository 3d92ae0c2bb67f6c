"""JAR signing (Oracle, "JAR File Specification", Signed JAR File), which phone packages call scheme v1.

Three files in META-INF: the manifest with a digest of every entry, the signature file with a digest of every section of the
manifest, and the signature block, a detached CMS over the signature file.
"""

from __future__ import annotations

import base64
import hashlib
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from cryptography.hazmat.primitives.asymmetric import ec

from rampa.core import parallel
from rampa.core.bundle.zip_reader import Archive
from rampa.core.content.tree.paths import printable
from rampa.core.errors import Damaged
from rampa.core.signing import cms
from rampa.core.signing.identity import Identity

MANIFEST = "META-INF/MANIFEST.MF"
SIGNER = "RAMPA"
LINE = 72
SIGNATURE = re.compile(r"META-INF/(?:[^/]+\.(?:SF|RSA|DSA|EC)|SIG-[^/]*)", re.IGNORECASE)
DIGESTS = {
    "SHA-256-Digest": "sha256",
    "SHA-512-Digest": "sha512",
    "SHA-384-Digest": "sha384",
    "SHA1-Digest": "sha1",
    "SHA-1-Digest": "sha1",
}
MAX_TEXT = 256 * 1024 * 1024
NEWER = "X-Android-APK-Signed"


def is_signature(name: str) -> bool:
    """Whether an entry belongs to a JAR signature, the manifest included."""
    return name == MANIFEST or SIGNATURE.fullmatch(name) is not None


@dataclass(frozen=True)
class JarFiles:
    """`signed` is the signature file, which the block signs."""

    manifest: bytes
    signed: bytes


def make_files(
    archive: Archive,
    newer: Iterable[int],
    workers: int = parallel.WORKERS,
    progress: Callable[[int], None] = lambda _: None,
) -> JarFiles:
    """The manifest and the signature file. `newer` are the block schemes that sign as well: taking them away then shows."""
    sections = {
        name: section([("Name", name), ("SHA-256-Digest", digest)])
        for name, digest in _digests(archive, "sha256", workers, progress)
    }
    head = _main_section(archive)
    manifest = head + b"".join(sections.values())
    main = [("Signature-Version", "1.0"), ("SHA-256-Digest-Manifest", _digest("sha256", manifest))]
    main.insert(1, ("SHA-256-Digest-Manifest-Main-Attributes", _digest("sha256", head)))
    schemes = ", ".join(str(n) for n in newer)
    if schemes:
        main.append((NEWER, schemes))
    signed = section(main) + b"".join(
        section([("Name", name), ("SHA-256-Digest", _digest("sha256", body))]) for name, body in sections.items()
    )
    return JarFiles(manifest, signed)


def block(signed: bytes, identity: Identity) -> bytes:
    return cms.sign_content(signed, identity)


def block_name(ec_key: bool) -> str:
    return f"META-INF/{SIGNER}.{'EC' if ec_key else 'RSA'}"


def is_ec(identity: Identity) -> bool:
    return isinstance(identity.key, ec.EllipticCurvePrivateKey)


def _digests(archive: Archive, name: str, workers: int, progress: Callable[[int], None]) -> Iterable[tuple[str, str]]:
    entries = [e for e in archive.entries if not e.is_folder and not is_signature(e.name)]

    def work(position: int) -> tuple[str, str, int]:
        entry, digest = entries[position], hashlib.new(name)
        for piece in archive.stream(entry):
            digest.update(piece)
        return entry.name, base64.b64encode(digest.digest()).decode(), entry.size

    with parallel.pool(workers) as threads:
        for path, value, size in parallel.in_order(threads, work, range(len(entries)), ahead=64):
            progress(size)
            yield path, value


def _main_section(archive: Archive) -> bytes:
    """What an unsigned manifest says already stays: a JAR's main class, for example."""
    if MANIFEST in archive.by_name:
        sections = read_sections(archive.read(MANIFEST, MAX_TEXT))
        kept = [(k, v) for k, v in sections[0].values.items() if k != "Manifest-Version"]
        return section([("Manifest-Version", "1.0"), *kept])
    return section([("Manifest-Version", "1.0"), ("Created-By", "Rampa")])


def section(lines: list[tuple[str, str]]) -> bytes:
    return b"".join(_folded(f"{name}: {value}".encode()) for name, value in lines) + b"\r\n"


def _folded(line: bytes) -> bytes:
    """At most 72 bytes a line with its end; what follows begins with a space."""
    if len(line) <= LINE - 2:
        return line + b"\r\n"
    out, rest = line[: LINE - 2] + b"\r\n", line[LINE - 2 :]
    while rest:
        out += b" " + rest[: LINE - 3] + b"\r\n"
        rest = rest[LINE - 3 :]
    return out


@dataclass(frozen=True)
class Section:
    """`raw` with its empty line, as it is digested; `values` by name."""

    raw: bytes
    values: dict[str, str]


def read_sections(data: bytes) -> list[Section]:
    """The sections of a manifest or signature file; the first holds what is said of the whole. Raises `Damaged`."""
    if len(data) > MAX_TEXT:
        raise Damaged("signature.manifest", "the manifest is absurdly large")
    out = []
    for raw in re.findall(rb"(?s)(?:[^\r\n]+(?:\r\n|\n|\r|\Z))+(?:\r\n|\n|\r)?", data):
        values: dict[str, str] = {}
        for line in re.split(rb"\r\n|\n|\r", re.sub(rb"(?:\r\n|\n|\r) ", b"", raw)):
            name, colon, value = line.partition(b": ")
            if colon:
                values[name.decode("utf-8", "replace")] = value.decode("utf-8", "replace")
        out.append(Section(raw, values))
    if not out:
        raise Damaged("signature.manifest", "the manifest is empty")
    return out


@dataclass(frozen=True)
class JarSigner:
    """`newer` are block schemes that the signature file says signed as well."""

    signer: cms.Signer
    weak: bool
    newer: tuple[int, ...]


def verify_jar(archive: Archive, workers: int = parallel.WORKERS) -> list[JarSigner]:
    """Verifies every signature of a JAR, and that each covers every entry. Raises `Damaged`; empty when it is not signed."""
    files = [n for n in archive.by_name if n.upper().endswith(".SF") and SIGNATURE.fullmatch(n)]
    if not files or MANIFEST not in archive.by_name:
        return []
    manifest = archive.read(MANIFEST, MAX_TEXT)
    sections = read_sections(manifest)
    named = {s.values["Name"]: s for s in sections if "Name" in s.values}
    found = [_signature_of(archive, name, manifest, named) for name in sorted(files)]
    _look_at_entries(archive, named, workers)
    return found


def _signature_of(archive: Archive, name: str, manifest: bytes, named: dict[str, Section]) -> JarSigner:
    stem = name[: -len(".SF")]
    # An older signer says the stem in capitals, a newer one does not, and the format takes either.
    blocks = [n for n in archive.by_name if n.upper() in {f"{stem}.{e}".upper() for e in ("RSA", "EC", "DSA")}]
    if len(blocks) != 1:
        raise Damaged("signature.block", f"{name} has {len(blocks)} signature blocks", where=name)
    text = archive.read(name, MAX_TEXT)
    signer = cms.verify_content(archive.read(blocks[0], 16 * 1024 * 1024), text)
    sections = read_sections(text)
    weak = _look_at_manifest(sections, manifest, named, name)
    newer = tuple(int(n) for n in sections[0].values.get(NEWER, "").replace(" ", "").split(",") if n.isdecimal())
    return JarSigner(signer, weak, newer)


def _look_at_manifest(sections: list[Section], manifest: bytes, named: dict[str, Section], name: str) -> bool:
    """The signature file vouches for the whole manifest, or for each of its sections. Returns whether only SHA-1 does."""
    whole = {k: v for k, v in sections[0].values.items() if k.endswith("-Digest-Manifest")}
    for key, value in whole.items():
        algorithm = DIGESTS.get(key.removesuffix("-Manifest"))
        if algorithm and _digest(algorithm, manifest) == value:
            return algorithm == "sha1"
    # A changed manifest may still hold: a second signer adds what the first one's file does not know, section by
    # section.
    by_path = {s.values["Name"]: s for s in sections if "Name" in s.values}
    weak = False
    for path, section in named.items():
        algorithm = _must_match(by_path.get(path), section.raw, path, "its section of the manifest")
        weak = weak or algorithm == "sha1"
    if not named:
        raise Damaged("signature.manifest", "the manifest was changed after signing", where=name)
    return weak


def _must_match(section: Section | None, data: bytes, path: str, what: str) -> str:
    known = [(k, v) for k, v in (section.values if section else {}).items() if k in DIGESTS]
    if not known:
        raise Damaged("signature.uncovered", f"{what} is not signed", where=printable(path))
    key, value = max(known, key=lambda pair: STRONG.index(DIGESTS[pair[0]]))
    if _digest(DIGESTS[key], data) != value:
        raise Damaged("signature.other", f"{what} was changed after signing", where=printable(path))
    return DIGESTS[key]


def _look_at_entries(archive: Archive, named: dict[str, Section], workers: int) -> None:
    entries = [e for e in archive.entries if not e.is_folder and not is_signature(e.name)]
    there = {e.name for e in entries}
    # Folders have no content to sign, though some signers list them.
    gone = sorted(name for name in named if name not in there and not name.endswith("/"))
    if gone:
        raise Damaged("signature.gone", "it was signed, and is not there any more", where=printable(gone[0]))

    def work(position: int) -> None:
        entry = entries[position]
        section = named.get(entry.name)
        known = [(k, v) for k, v in (section.values if section else {}).items() if k in DIGESTS]
        if not known:
            raise Damaged("signature.uncovered", "it is not signed: it was added later", where=printable(entry.name))
        key, value = max(known, key=lambda pair: STRONG.index(DIGESTS[pair[0]]))
        digest = hashlib.new(DIGESTS[key])
        for piece in archive.stream(entry):
            digest.update(piece)
        if base64.b64encode(digest.digest()).decode() != value:
            raise Damaged("signature.other", "it was changed after signing", where=printable(entry.name))

    with parallel.pool(workers) as threads:
        for _ in parallel.in_order(threads, work, range(len(entries)), ahead=64):
            pass


STRONG = ("sha1", "sha256", "sha384", "sha512")


def _digest(name: str, data: bytes) -> str:
    return base64.b64encode(hashlib.new(name, data).digest()).decode()
