"""Updates from one build to another: what they cost, and the differences that make them small."""

from __future__ import annotations

from typing import Annotated

from pydantic import StringConstraints

from rampa.schema.common import Number, Query, Slug, Wire


class PrepareIn(Wire):
    """The differences from build `old` to build `new`."""

    old: Number
    new: Number


class PreparedQuery(Query):
    old: Number
    new: Number


class PreparedOut(Wire):
    """`state`: none (never asked for), waiting, ready, or skipped (nothing would be smaller). Bytes; seconds.

    `download`: all that travels to a device that has `old` whole; `plain`: the same without differences.
    """

    new: int
    old: int
    state: str
    differences: int
    size: int
    seconds: float
    within_budget: bool
    download: int
    plain: int


class MatrixQuery(Query):
    """`builds`: numbers separated by commas; without them those that are live or on devices, and the newest."""

    platform: Slug = "linux"
    builds: Annotated[str, StringConstraints(pattern=r"^[0-9,]{0,400}$")] = ""


class MatrixBuild(Wire):
    """`devices`: registered devices that reported to have it."""

    number: int
    name: str
    version_name: str
    version_code: int
    profile: str
    live_on: list[str]
    devices: int
    size: int


class MatrixCell(Wire):
    """From build `old` (0: from nothing) to `new`, in bytes. `seconds`: download at so many Mbit/s."""

    old: int
    new: int
    download: int
    plain: int
    written: int
    peak_disk: int
    seconds: dict[int, float]
    weighted: int
    """`download` times the devices that have `old`."""
    making: list[str] = []
    """What is still made in the background."""
    expected: int = 0
    """About what `download` is then, where that is known already."""


class UpdateMatrix(Wire):
    platform: str
    builds: list[MatrixBuild]
    cells: list[MatrixCell]


class PairQuery(Query):
    old: Number
    new: Number


class DepotChange(Wire):
    """A depot of both builds, or of one: files and chunks that differ, what travels for it, and its disk. Bytes."""

    name: str
    kind: str
    """same, changed, added or removed"""
    added: int
    removed: int
    changed: int
    moved: int
    new_chunks: int
    download: int
    size_before: int
    size_after: int
    note: str = ""
    """Why more travels than it keeps, where it does."""


class WorstFile(Wire):
    """A file that costs much. `reason` is stable.

    `download` bytes travel for it as plain chunks, less what a file before it brings.
    """

    path: str
    depot: str
    size: int
    download: int
    shared: int
    reason: str
    why: str
    advice: str


class DepotComparison(Wire):
    old: int
    new: int
    download: int
    plain: int
    peak_disk: int
    depots: list[DepotChange]
    worst: list[WorstFile]


class DepotPlanQuery(Query):
    """What a device chose. Empty: everything, and the first architecture and quality."""

    architecture: Annotated[str, StringConstraints(max_length=40)] = ""
    languages: Annotated[str, StringConstraints(max_length=400)] = ""
    addons: Annotated[str, StringConstraints(max_length=400)] = ""
    quality: Annotated[str, StringConstraints(max_length=50)] = ""


class DepotShare(Wire):
    """A depot and whether the device gets it. `download`: bytes of its frames; `note`: why that is more than `size`."""

    name: str
    taken: bool
    files: int
    size: int
    download: int
    note: str
    architectures: list[str]
    language: str
    addon: str
    quality: str


class DepotPlan(Wire):
    build: int
    name: str
    depots: list[DepotShare]
    files: int
    size: int
    download: int
    """All that travels to an empty device, in bytes."""
