"""What looking into a bundle and verifying it say: plain values, light to import."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Part:
    """A folder or a kind of content: bytes as stored in the bundle and as unpacked."""

    name: str
    files: int
    stored: int
    size: int


@dataclass(frozen=True)
class Twin:
    """The same content under several names; `wasted` bytes are stored more than once."""

    names: tuple[str, ...]
    size: int
    wasted: int


@dataclass(frozen=True)
class Leftover:
    """Something that is likely not meant to ship, and why."""

    name: str
    size: int
    why: str


@dataclass(frozen=True)
class Who:
    """A signer. `fingerprint` is its certificate's SHA-256."""

    fingerprint: str
    subject: str
    not_after: str
    algorithm: str


@dataclass(frozen=True)
class PlatformLevel:
    """What platform levels from `first` to `last` (None: all after) look at: the scheme, and whether they install it."""

    first: int
    last: int | None
    scheme: str
    installs: bool
    why: str
