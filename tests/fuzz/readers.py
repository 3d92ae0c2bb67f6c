"""Every reader of what strangers write, with inputs that it takes: what the fuzzers begin with."""

from __future__ import annotations

import datetime as dt
import io
import shutil
import subprocess
import tempfile
from collections.abc import Callable
from functools import cache
from pathlib import Path

from blake3 import blake3
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from demo.lantern_export import manifests
from PIL import Image

from rampa.core.binaries.lines import places
from rampa.core.binaries.program import needed, read_program
from rampa.core.binaries.read_at import of_bytes
from rampa.core.binaries.segments import read_image
from rampa.core.bundle.android_xml import BinaryXml
from rampa.core.bundle.jar_signature import read_sections
from rampa.core.bundle.package_signature import key_of, sign_package, with_identity
from rampa.core.bundle.proto_xml import ProtoXml
from rampa.core.bundle.sources import BytesSource, FileBytes
from rampa.core.bundle.tar_bundle import read_tar_zst
from rampa.core.bundle.verification import verify_package
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.content.manifest import manifest
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.pack import filters, lzma2
from rampa.core.content.pack.opening import open_pieces
from rampa.core.content.pack.pack import PackWriter, compress, read_index
from rampa.core.content.pack.places import ChunkPlaces, FramePlace
from rampa.core.content.patch import format as difference
from rampa.core.content.patch import locations, maker, manifest_difference
from rampa.core.content.patch.difference_place import DifferencePlace, MadeRegion
from rampa.core.content.patch.locations import NO_PLACES, Locations
from rampa.core.content.patch.pairs import Region
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree
from rampa.core.health.crash import CrashModule, CrashReport, read_report, to_json
from rampa.core.patterns import read_patterns
from rampa.core.picture.photo import make_photo
from rampa.core.picture.source import read_source
from rampa.core.placement.share import OfferedBuild
from rampa.core.profile.document import read_document
from rampa.core.run.repository_address import repository_address
from rampa.core.signing import dsse, grant, identity, offer, statement, succession
from rampa.core.signing.keystore import read_entries
from rampa.core.signing.private_key import read_key
from rampa.core.testers.address_list import read_addresses
from rampa.core.testers.checklist import read_checklists
from rampa.core.version import name as version_name
from tests.packages import apk_files, make_identity, plain_zip, root, write_zip_file
from tests.samples import DOCUMENT
from tests.testing import CHECKLISTS

PASSWORD = "a password"
KEY = Ed25519PrivateKey.from_private_bytes(bytes(32))
PUBLIC = KEY.public_key().public_bytes_raw()
NOW = dt.datetime(2026, 11, 29, tzinfo=dt.UTC)
Reader = Callable[[bytes], object]


@cache
def tree() -> Tree:
    parts = [b"fog", b"night" * 99, b"thaw"]
    chunks = [Chunk(blake3(p).digest(), len(p)) for p in parts]
    files = [FileEntry(f"data/{n}.bin", c.size, bool(n), c.digest, (c,)) for n, c in enumerate(chunks)]
    return Tree(files)


def zip_all(data: bytes) -> None:
    archive = read_zip(BytesSource(data))
    for entry in archive.entries[:50]:
        for _ in archive.stream(entry):
            pass


def tar_all(data: bytes) -> None:
    for _, pieces in read_tar_zst(BytesSource(data)):
        for _ in pieces:
            pass


def program(data: bytes) -> None:
    read_program(of_bytes(data))
    needed(of_bytes(data))
    read_image(data)


def symbols(data: bytes) -> None:
    with tempfile.NamedTemporaryFile() as file:
        file.write(data)
        file.flush()
        places(Path(file.name), [0x1000, 0x1200])


def debug_file() -> bytes:
    """The smallest that holds lines: an object file of one function, where this system has a compiler."""
    if not shutil.which("cc"):
        return Path("/bin/true").read_bytes()[:32768]
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "o"
        words = ["cc", "-g", "-O2", "-nostdlib", "-static", "-Wl,-e,fog", "-xc", "-", "-o", str(out)]
        subprocess.run(words, input=b"int fog(int *p) { return *p + 3; }", check=True)
        return out.read_bytes()


def signed_package() -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        made, out = make_identity("fuzz"), Path(folder) / "o"
        with FileBytes(write_zip_file(Path(folder) / "p", apk_files(21))) as source:
            sign_package(source, out, with_identity(made), key_of(made), ["v1", "v2", "v3"], workers=1)
        return out.read_bytes()


def crash() -> bytes:
    return to_json(CrashReport("SIGSEGV", (CrashModule("peatlight", "ab" * 20),), ((0, 4521), (0, 17))))


def line_of_two() -> bytes:
    old, new = make_identity("old"), make_identity("new")
    return succession.encode(succession.extend(succession.begin(old), old, new))


def encoded_tree() -> bytes:
    return manifest.encode(Manifest("base", tree(), DEFAULT))


def located() -> bytes:
    frame = FramePlace(bytes(32), 0, 90, 600)
    return locations.encode(Locations(ChunkPlaces.of({c.digest: (frame, 0) for c in tree().chunks})), tree())


def chained() -> bytes:
    """A difference that starts from a file, and one that starts from what it makes."""
    known = tree()
    file = next(f for f in known.files if f.size)
    first = DifferencePlace(bytes(32), 0, 90, bytes(32), (Region(file.path, 0, 1),), (), size=600)
    rest = (MadeRegion(bytes(32), 0, 0, 600),)
    then = DifferencePlace(bytes(32), 90, 90, bytes(32), rest, tuple(file.chunks[:1]), dense=True)
    return locations.encode(Locations(NO_PLACES, (first, then), 1), known, known)


PLAYED = b"\xe8\x10\x00\x00\x00fog" * 200


def player_frame() -> bytes:
    chosen, runs = filters.Filter(filters.CODE, filters.X86_64), [(len(PLAYED), 0)]
    return filters.wrap(lzma2.compress(filters.apply(PLAYED, chosen, runs), 6), chosen, runs)


def pack() -> bytes:
    writer = PackWriter()
    writer.add([Chunk(blake3(b"fog").digest(), 3)], compress(b"fog"))
    return writer.finish()


def payload_of(envelope: bytes) -> bytes:
    import base64
    import json

    return base64.b64decode(json.loads(envelope)["payload"])


def signed_statement() -> bytes:
    line = statement.DepotLine("base", bytes(32), 9)
    return statement.sign(statement.Statement("t", 1, "p", "linux", "1.0", 1, "bin/x", (line,)), KEY)


def signed_grant() -> bytes:
    made = make_identity("grant")
    end = NOW + dt.timedelta(days=9)
    return grant.sign(grant.Grant(1, "i", made.fingerprint, "testing", ("desk",), NOW, end), made)


def picture() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (64, 64), "#8a5208").save(out, "PNG")
    return out.getvalue()


def text(data: bytes) -> str:
    return data.decode("utf-8", "replace")


def offered() -> bytes:
    return payload_of(
        offer.sign(
            offer.Offer("t", "studio", "linux", 1, (OfferedBuild(1, 1, "00", "r", 1000),), NOW, NOW + offer.LIFE),
            KEY,
        )
    )


CORPUS = Path(__file__).parent / "corpus"
READERS: dict[str, tuple[Reader, Callable[[], list[bytes]]]] = {
    "zip": (zip_all, lambda: [plain_zip({"a": b"fog", "b/c": b"night" * 99}), plain_zip({"a": b"x"}, stored=True)]),
    "binary-xml": (BinaryXml, lambda: [manifests.binary_xml(root()), manifests.binary_xml(root(), utf8=False)]),
    "protocol-buffers": (ProtoXml, lambda: [manifests.proto_xml(root())]),
    "signing-block": (lambda d: verify_package(BytesSource(d), 1), lambda: [signed_package()]),
    "succession": (lambda d: succession.verify(succession.decode(d)), lambda: [line_of_two()]),
    "pkcs12": (lambda d: read_entries(d, PASSWORD), lambda: [identity.to_pkcs12(make_identity("k"), "k", PASSWORD)]),
    "private-key": (lambda d: read_key(d, PASSWORD), lambda: [b"-----BEGIN KEY-----\n", bytes(64)]),
    "manifest": (manifest.decode, lambda: [encoded_tree()]),
    "locations": (lambda d: locations.decode(d, tree(), tree()), lambda: [located(), chained()]),
    "pack-index": (lambda d: read_index(d, len(d)), lambda: [pack()]),
    "player-frame": (lambda d: list(open_pieces(d, len(PLAYED))), lambda: [player_frame()]),
    "manifest-difference": (
        lambda d: manifest_difference.apply(d, encoded_tree()),
        lambda: [manifest_difference.make(encoded_tree(), encoded_tree())],
    ),
    "difference": (
        lambda d: difference.decode(d, 4096, 4096),
        lambda: [bytes(40), maker.make(b"", bytes(range(256)) * 16, dense=True)],
    ),
    "program": (program, lambda: [Path("/bin/true").read_bytes()[:32768], b"MZ" + bytes(200)]),
    "symbols": (symbols, lambda: [debug_file()]),
    "crash": (read_report, lambda: [crash()]),
    "statement": (
        lambda d: statement.verify(dsse.sign(statement.PAYLOAD_TYPE, d, KEY), PUBLIC),
        lambda: [payload_of(signed_statement())],
    ),
    "envelope": (lambda d: statement.verify(d, PUBLIC), lambda: [signed_statement()]),
    "offer": (lambda d: offer.verify(dsse.sign(offer.PAYLOAD_TYPE, d, KEY), PUBLIC), lambda: [offered()]),
    "grant": (grant.read, lambda: [signed_grant()]),
    "jar-sections": (read_sections, lambda: [b"Manifest-Version: 1.0\r\n\r\nName: a\r\nSHA-256-Digest: b\r\n\r\n"]),
    "tar": (tar_all, lambda: [compress(bytes(1024))]),
    "document": (read_document, lambda: [DOCUMENT.encode()]),
    "picture": (read_source, lambda: [picture()]),
    "photo": (make_photo, lambda: [picture(), photograph()]),
    "address-list": (
        lambda d: read_addresses(text(d)),
        lambda: [b"email;name\nkaisa@quillback.example;Kaisa\nOnni <onni@x.example>\n", "杉@例え.example".encode()],
    ),
    "checklists": (lambda d: read_checklists(text(d)), lambda: [CHECKLISTS.encode()]),
    "patterns": (lambda d: read_patterns(text(d).splitlines()), lambda: [b"*.psd\n!data/**/keep\n[a-z]?.x\n"]),
    "repository-address": (
        lambda d: repository_address(text(d)),
        lambda: [b"https://git.quillback.example/x.git", b"git@h:x", b"/srv/x"],
    ),
    "version-name": (lambda d: version_name.parse(text(d)), lambda: [b"1.4.0-beta.2+7"]),
}


def photograph() -> bytes:
    """A JPEG that is turned, with where it was taken."""
    exif = Image.Exif()
    exif[0x0112] = 6
    exif.get_ifd(0x8825)[2] = (61.0, 29.0, 59.0)
    out = io.BytesIO()
    Image.new("RGB", (24, 16), "#803000").save(out, "JPEG", exif=exif)
    return out.getvalue()


def kept(name: str) -> list[bytes]:
    """Small inputs that long runs found to reach something of their own; none of a reader that had no long run."""
    return [file.read_bytes() for file in sorted((CORPUS / name).glob("*"))]
