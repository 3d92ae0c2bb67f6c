"""What is live on a channel's line, as devices read it: a target of the channel's role (rampa.core.trust).

It is the same for every device. Which of the builds a device is to have is worked out on the device, from what is signed here and
its own number (rampa.core.placement.share): who carries the files cannot choose. Canonical JSON; docs/formats.md has it.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass
from typing import Any

from rampa.core.delivery.names import FILES
from rampa.core.errors import Damaged, RampaError
from rampa.core.placement.share import Having, OfferedBuild, must_build_for

KIND = "rampa-line-1"
MOST_BUILDS, MOST_ORIGINS = 20, 20
MOST_SIZE = 256 * 1024 * 1024


@dataclass(frozen=True)
class SignedFile:
    """A file by its SHA-256 (hexadecimal) and its size in bytes."""

    digest: str
    size: int

    def __post_init__(self) -> None:
        if len(self.digest) != 64 or set(self.digest) - set("0123456789abcdef"):
            raise Damaged("line.damaged", "a digest of the signed line is none")
        if type(self.size) is not int or not 0 <= self.size <= MOST_SIZE:
            raise Damaged("line.damaged", "a size of the signed line is impossible")

    @classmethod
    def of(cls, data: bytes) -> SignedFile:
        return cls(hashlib.sha256(data).hexdigest(), len(data))

    @property
    def name(self) -> str:
        return f"{FILES}/{self.digest}"


@dataclass(frozen=True)
class OriginPlace:
    """One of the places where the files lie; the lowest priority is asked first."""

    address: str
    priority: int


@dataclass(frozen=True)
class LineBuild:
    """`statement`: the signed statement; `places`: the list of where its content lies (rampa.core.delivery.places)."""

    offered: OfferedBuild
    statement_size: int
    places: SignedFile

    @property
    def statement(self) -> SignedFile:
        return SignedFile(self.offered.statement, self.statement_size)


@dataclass(frozen=True)
class SignedLine:
    """`title` is the title's identifier; `number` rises with every change; `builds` newest first."""

    title: str
    channel: str
    platform: str
    number: int
    builds: tuple[LineBuild, ...]
    origins: tuple[OriginPlace, ...] = ()
    reports: str = ""


def encode(line: SignedLine) -> bytes:
    body = asdict(line) | {"kind": KIND}
    return json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()


def decode(data: bytes) -> SignedLine:
    """Raises `Damaged`. The bytes are those of a target that holds: they are read with care all the same."""
    try:
        body = json.loads(data)
        if body["kind"] != KIND:
            raise Damaged("line.damaged", "the signed line is of a kind that is not known here")
        if len(body["builds"]) > MOST_BUILDS or len(body["origins"]) > MOST_ORIGINS:
            raise Damaged("line.damaged", "the signed line names too many builds or origins")
        return SignedLine(
            title=str(body["title"]),
            channel=str(body["channel"]),
            platform=str(body["platform"]),
            number=_number(body["number"]),
            builds=tuple(_build(each) for each in body["builds"]),
            origins=tuple(OriginPlace(str(o["address"]), _number(o["priority"])) for o in body["origins"]),
            reports=str(body["reports"]),
        )
    except RampaError:
        raise
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise Damaged("line.damaged", "the signed line cannot be read") from error


def _build(body: dict[str, Any]) -> LineBuild:
    said = body["offered"]
    offered = OfferedBuild(
        build=_number(said["build"]),
        code=_number(said["code"]),
        statement=str(said["statement"]),
        rollout=str(said["rollout"]),
        share=_number(said["share"]),
        held=said["held"] is True,
        back=said["back"] is True,
    )
    places = SignedFile(str(body["places"]["digest"]), _number(body["places"]["size"]))
    return LineBuild(offered, _number(body["statement_size"]), places)


def _number(said: Any) -> int:
    if type(said) is not int or not 0 <= said < 2**53:
        raise ValueError("a number that is none")
    return said


def must_be_line(line: SignedLine, title: str, platform: str) -> None:
    """Raises `Damaged` for another line's. The channel is told by the role that signed; its name may change."""
    if (line.title, line.platform) != (title, platform):
        said = f"the signed line is {line.channel} of {line.title} for {line.platform}"
        raise Damaged("line.other", said, hint=f"This device is for {platform} and {title}.")


def chosen(line: SignedLine, device: str, having: Having) -> LineBuild:
    """Raises `NotFound` where the line has nothing for this device."""
    found = must_build_for(line.channel, [b.offered for b in line.builds], device, having)
    return next(b for b in line.builds if b.offered == found)
