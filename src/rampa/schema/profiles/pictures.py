"""Picture sets, and proposing a document from a folder."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.picture.remark import Remark
from rampa.schema.common import Wire

MAX_PICTURE = 45_000_000
"""Characters of base64: 32 MiB of picture and a little."""
Base64 = Annotated[str, StringConstraints(max_length=MAX_PICTURE, pattern=r"^[A-Za-z0-9+/=\s]*$")]
PathText = Annotated[str, StringConstraints(min_length=1, max_length=1024)]
HeadText = Annotated[str, StringConstraints(max_length=6000, pattern=r"^[A-Za-z0-9+/=]*$")]
MAX_FILES = 50_000


class PictureIn(Wire):
    """A picture as base64, and what to make of it: an icon set, or the opening picture. `platforms`: all without it."""

    data: Base64
    use: Annotated[str, StringConstraints(pattern=r"^(icon|opening)$")]
    platforms: Annotated[list[str], Field(max_length=20)] = []
    background: Annotated[str, StringConstraints(pattern=r"^#[0-9a-fA-F]{6}$")] = "#000000"


class PictureFileOut(Wire):
    """A file of a set: `sizes` in pixels, `depth` bits a pixel, `data` base64."""

    name: str
    form: str
    width: int
    height: int
    depth: int
    sizes: list[int]
    size: int
    data: str


class PictureSetOut(Wire):
    platform: str
    platform_title: str
    files: list[PictureFileOut]
    remarks: list[Remark]


class PicturesOut(Wire):
    """The source as it was read, and a set for each platform."""

    width: int
    height: int
    form: str
    transparent: bool
    sets: list[PictureSetOut]


class SeenIn(Wire):
    """A file of a folder: its path, size in bytes, first bytes as base64 where they tell something."""

    path: PathText
    size: Annotated[int, Field(ge=0, le=2**53)]
    head: HeadText = ""
    executable: bool = False


class FolderIn(Wire):
    """What a folder holds. `domain`, such as quillback.example, leads to the identifier."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    files: Annotated[list[SeenIn], Field(max_length=MAX_FILES)]
    domain: Annotated[str, StringConstraints(max_length=100, pattern=r"^[A-Za-z0-9.-]*$")] = ""


class ReasonOut(Wire):
    line: str
    why: str


class ProposalOut(Wire):
    """A proposed document, with the reason of each line also apart."""

    document: str
    reasons: list[ReasonOut]
