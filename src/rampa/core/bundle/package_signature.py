"""Signing a package: JAR signing (v1) and signing blocks (v2, v3), in one pass over a copy.

Who holds the key need not be who holds the package: what is to be signed goes through `Ask`, a function from digests to
signatures. On files it is `with_identity`; an agent asks the service, where the key stays.

    copy the entries, v1's files first -> digest the content once -> ask -> put the block before the directory
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import BinaryIO

from cryptography.hazmat.primitives.asymmetric.ec import EllipticCurvePublicKey

from rampa.core import parallel
from rampa.core.bundle import block_signers, content_digest, jar_signature, signing_block
from rampa.core.bundle import zip_structure as z
from rampa.core.bundle.package import Facts, read_facts
from rampa.core.bundle.sources import ByteSource, FileBytes
from rampa.core.bundle.zip_reader import Archive, read_zip
from rampa.core.bundle.zip_structure import STORE
from rampa.core.bundle.zip_writer import Copied, Member, write_zip
from rampa.core.errors import Invalid, Refused
from rampa.core.files import begin_writing, replacing
from rampa.core.signing import algorithms
from rampa.core.signing.identity import Identity
from rampa.core.signing.succession import Succession

SCHEMES = ("v1", "v2", "v3")
LIBRARY_PAGE, WORD = 16 * 1024, 4
"""Bytes: what stored native libraries are aligned to, and everything else that is stored."""
V2_SINCE = 24
AT_ONCE = 8 * 1024 * 1024
"""Bytes that are written before they are digested and sent to the disk."""
Progress = Callable[[int], None]


@dataclass(frozen=True)
class ToSign:
    """`jar` is the signature file of v1; `digests` the content's by hash name, for the schemes v2 and v3 that are asked."""

    jar: bytes | None = None
    digests: dict[str, bytes] = field(default_factory=dict)
    v2: bool = False
    v3: bool = False


@dataclass(frozen=True)
class Signatures:
    """`jar` is the CMS block; `v2` and `v3` are values of the signing block."""

    jar: bytes = b""
    v2: bytes = b""
    v3: bytes = b""

    def part_of(self, what: ToSign) -> Signatures:
        """Of signatures that were made before: those that are asked for."""
        return replace(self, jar=b"") if what.jar is None else Signatures(jar=self.jar)


Ask = Callable[[ToSign], Signatures]


@dataclass(frozen=True)
class PackageSigner:
    """What has to be known of the keys beforehand: whether v1's is of a curve, and the hashes that are signed."""

    ec: bool
    contents: tuple[str, ...]


@dataclass(frozen=True)
class Signed:
    """Bytes of the package, and the schemes that it was signed by."""

    size: int
    schemes: tuple[str, ...]


def key_of(identity: Identity, padding: str = "pkcs1") -> PackageSigner:
    return key_of_public(identity.key.public_key(), padding)


def key_of_public(public: object, padding: str = "pkcs1") -> PackageSigner:
    is_ec = isinstance(public, EllipticCurvePublicKey)
    return PackageSigner(is_ec, (algorithms.algorithm_for(public, padding).content,))


def with_identity(
    identity: Identity, line: Succession = (), oldest: Identity | None = None, padding: str = "pkcs1"
) -> Ask:
    """Signs here. After a hand-over `oldest` signs v1 and v2, which know no succession, and `identity` v3."""
    first = oldest or identity

    def ask(what: ToSign) -> Signatures:
        return Signatures(
            jar=jar_signature.block(what.jar, first) if what.jar is not None else b"",
            v2=block_signers.make_v2(what.digests, first, padding, what.v3) if what.v2 else b"",
            v3=block_signers.make_v3(what.digests, identity, padding, line) if what.v3 else b"",
        )

    return ask


def schemes_for(facts: Facts) -> tuple[str, ...]:
    """What a package needs: v1 for levels below 24, v2 and v3 always; app bundles and JARs know v1 only."""
    if facts.kind in ("aab", "jar"):
        return ("v1",)
    if facts.kind != "apk":
        return ()
    return SCHEMES if not facts.minimum.isdecimal() or int(facts.minimum) < V2_SINCE else ("v2", "v3")


def check_schemes(kind: str, schemes: Iterable[str]) -> tuple[str, ...]:
    """In their order. Raises `Invalid` for one that is not known or that the kind of bundle does not have."""
    wanted = tuple(schemes)
    for scheme in wanted:
        if scheme not in SCHEMES:
            raise Invalid(
                "signing.scheme", f"there is no scheme {scheme!r}", hint=f"Choose among {', '.join(SCHEMES)}."
            )
        if scheme != "v1" and kind != "apk":
            raise Invalid("signing.scheme", f"{kind} bundles know no scheme {scheme}", hint="They are signed by v1.")
    return tuple(s for s in SCHEMES if s in wanted)


def signatures_in(archive: Archive) -> list[str]:
    """Names of the schemes that a package carries a signature of, whether it holds or not."""
    found = ["v1"] if any(jar_signature.SIGNATURE.fullmatch(n) for n in archive.by_name) else []
    block = signing_block.find(archive)
    return found + [signing_block.NAMES[n] for n, _ in (block.pairs if block else ()) if n in (
        signing_block.V2, signing_block.V3, signing_block.V31)]  # fmt: skip


def must_be_unsigned(archive: Archive, replace: bool) -> None:
    """Signing over a signature leaves a package that holds for nobody. Raises `Refused` unless it is to be replaced."""
    there = signatures_in(archive)
    if there and not replace:
        raise Refused(
            "signing.twice",
            f"it is signed already, by {', '.join(there)}: a second signature over the first would break both",
            hint="To take the old signature off and sign again: --replace-signature.",
        )


def sign_package(
    source: ByteSource,
    out: Path,
    ask: Ask,
    key: PackageSigner,
    schemes: Iterable[str] | None = None,
    *,
    replace: bool = False,
    workers: int = parallel.WORKERS,
    progress: Progress = lambda _: None,
) -> Signed:
    """Writes a signed copy of an APK, AAB or JAR to `out`. `progress` is told bytes that were worked on.

    Raises `Refused` for a package that is signed already, or of a kind that has no signature inside.
    """
    archive = read_zip(source)
    facts = read_facts(archive)
    if not schemes_for(facts) and schemes is None:
        hint = "A detached signature goes beside it: --detached."
        raise Refused("signing.kind", f"a {facts.kind} bundle carries no signature inside", hint=hint)
    wanted = check_schemes(facts.kind, schemes_for(facts) if schemes is None else schemes)
    must_be_unsigned(archive, replace)
    with replacing(out) as stream:
        # v1 first, for its files are entries, and v2 and v3 sign all entries.
        members, asked = _members(archive, wanted, key, ask, workers, progress)
        if "v2" in wanted or "v3" in wanted:
            size = _with_block(stream, members, wanted, key, ask, workers, progress)
        else:
            size = write_zip(stream, members, workers, progress)
    return Signed(size, asked)


def _with_block(
    stream: BinaryIO,
    members: list[Member],
    wanted: tuple[str, ...],
    key: PackageSigner,
    ask: Ask,
    workers: int,
    progress: Progress,
) -> int:
    """The entries are digested, and go to the disk, while those behind them are still written."""
    with FileBytes(Path(stream.name)) as written:
        ahead, begun = content_digest.Ahead(written, key.contents, workers), 0

        def settled(offset: int) -> None:
            nonlocal begun
            if offset - begun >= AT_ONCE:
                stream.flush()
                ahead.settled(offset)
                begin_writing(stream.fileno(), begun, offset - begun)
                begun = offset

        try:
            write_zip(stream, members, workers, progress, settled)
            stream.flush()
            return _add_block(stream, wanted, key, ask, workers, progress, ahead.collect())
        finally:
            ahead.close()


def _members(
    archive: Archive, wanted: tuple[str, ...], key: PackageSigner, ask: Ask, workers: int, progress: Progress
) -> tuple[list[Member], tuple[str, ...]]:
    kept = unsigned_members(archive)
    if "v1" not in wanted:
        return kept, wanted
    # Older systems cannot tell that a newer signature was taken away; this says in v1 which ones there were.
    newer = [int(s[1:]) for s in wanted if s != "v1"]
    files = jar_signature.make_files(archive, newer, workers, progress)
    signatures = ask(ToSign(jar=files.signed))
    named = {
        jar_signature.MANIFEST: files.manifest,
        f"META-INF/{jar_signature.SIGNER}.SF": files.signed,
        jar_signature.block_name(key.ec): signatures.jar,
    }
    added = [Member(name, body, len(body)) for name, body in named.items()]
    return [*added, *(m for m in kept if m.name != jar_signature.MANIFEST)], wanted


def unsigned_members(archive: Archive) -> list[Member]:
    """The entries as they are stored, without any signature; folders too, and stored content aligned."""
    out = []
    for entry in archive.entries:
        if jar_signature.SIGNATURE.fullmatch(entry.name):
            continue
        source: Copied | bytes = Copied(archive.source, entry)
        if entry.name == jar_signature.MANIFEST:
            source = _plain_manifest(archive)
            out.append(Member(entry.name, source, len(source)))
            continue
        out.append(Member(entry.name, source, entry.size, align=alignment(entry.name) if entry.method == STORE else 1))
    return out


def alignment(name: str) -> int:
    return LIBRARY_PAGE if name.endswith(".so") else WORD


def _plain_manifest(archive: Archive) -> bytes:
    """A JAR's manifest without the digests that a signature put there; its other sections stay."""
    sections = jar_signature.read_sections(archive.read(jar_signature.MANIFEST, jar_signature.MAX_TEXT))
    out = []
    for section in sections:
        kept = [(k, v) for k, v in section.values.items() if "-Digest" not in k]
        if len(kept) > (1 if "Name" in section.values else 0):
            out.append(jar_signature.section(kept))
    return b"".join(out)


def _add_block(
    stream: BinaryIO,
    wanted: tuple[str, ...],
    key: PackageSigner,
    ask: Ask,
    workers: int,
    progress: Progress,
    known: content_digest.Pieces,
) -> int:
    """Puts the signing block between the entries and the directory, in place."""
    with FileBytes(Path(stream.name)) as written:
        # Read back from what was written, not from what was meant: the block must hold for the file as it is.
        archive = read_zip(written)
        digests = content_digest.digest_content(archive, archive.start, key.contents, workers, progress, known)
        made = ask(ToSign(digests=digests, v2="v2" in wanted, v3="v3" in wanted))
        pairs = [(signing_block.V2, made.v2)] * bool(made.v2) + [(signing_block.V3, made.v3)] * bool(made.v3)
        block = signing_block.encode(pairs)
        directory = written.read_at(archive.start, archive.end - archive.start)
        end = content_digest.end_record(archive, archive.start + len(block))
        if archive.start + len(block) >= z.LIMIT32:
            raise Refused("signing.zip64", "with its signature the package would be larger than 4 GiB")
        stream.seek(archive.start)
        stream.write(block + directory + end)
        stream.truncate()
        return archive.start + len(block) + len(directory) + len(end)


def take_off_signature(source: FileBytes, out: Path, progress: Progress = lambda _: None) -> int:
    """Writes a copy without any signature; returns its size in bytes."""
    archive = read_zip(source)
    with replacing(out) as stream:
        return write_zip(stream, unsigned_members(archive), progress=progress)
