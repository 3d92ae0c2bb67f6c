"""What is said of a bundle: facts, contents, signatures, findings. All sizes are bytes; `stored` as packed in the bundle."""

from __future__ import annotations

from rampa.core.bundle.report import Leftover, Part, PlatformLevel, Twin, Who
from rampa.core.check.findings import Finding
from rampa.schema.common import Wire


class BundleFacts(Wire):
    """What a bundle says of itself. `libraries`: architecture -> its native libraries."""

    kind: str
    identifier: str = ""
    version_name: str = ""
    version_code: int | None = None
    minimum: str = ""
    target: str = ""
    permissions: list[str] = []
    debuggable: bool = False
    test_only: bool = False
    architectures: list[str] = []
    libraries: dict[str, list[str]] = {}


class BundleEntryOut(Wire):
    name: str
    stored: int
    size: int


class BundleInspected(Wire):
    file: str
    bytes: int
    facts: BundleFacts
    files: int
    size: int
    stored: int
    overhead: int
    signed_by: list[str]
    folders: list[Part]
    kinds: list[Part]
    largest: list[BundleEntryOut]
    twins: list[Twin]
    leftovers: list[Leftover]
    findings: list[Finding]
    notes: list[str] = []


class SchemeOut(Wire):
    """`state` is holds, broken or absent. `line` are the succession's certificates, oldest first."""

    name: str
    state: str
    signers: list[Who] = []
    why: str = ""
    where: str = ""
    line: list[str] = []


class BundleVerified(Wire):
    """`holds`: signed, nothing broken, and every level that it is for installs it. `checksums`: files that have theirs."""

    file: str
    holds: bool
    facts: BundleFacts
    schemes: list[SchemeOut]
    levels: list[PlatformLevel]
    checksums: int | None = None
    notes: list[str]


class GrownOut(Wire):
    """`before` and `after` are stored bytes; null where it is not there."""

    name: str
    before: int | None
    after: int | None
    change: int
    why: str


class BundlesCompared(Wire):
    before: BundleFacts
    after: BundleFacts
    size_before: int
    size_after: int
    same: int
    rows: list[GrownOut]
    kinds: list[GrownOut]


class BundleWritten(Wire):
    """A bundle that was written: what it says of itself, read back."""

    file: str
    bytes: int
    facts: BundleFacts
    schemes: list[str] = []
    fingerprint: str = ""
    notes: list[str] = []


class SplitPiece(Wire):
    architecture: str
    file: str
    version_code: int
    bytes: int


class BundleSplit(Wire):
    pieces: list[SplitPiece]


class SelfTestOut(Wire):
    ran: bool
    passed: bool
    why: str
    said: str
    seconds: float
