"""Which devices a growing placement reaches, and which of the live builds one device has to have.

A device's place in a rollout is the first 64 bits of SHA-256 (FIPS 180-4) over the rollout's own number, a zero byte and the
device's number, as a fraction of 2^64. It does not change: who is in stays in as the share grows. Each rollout has another
number, so that no device is always among the first.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

from rampa.core.errors import Invalid, NotFound

ALL = 1000
"""Shares are counted in per mille of a line's devices."""


@dataclass(frozen=True)
class OfferedBuild:
    """One of a line's live builds. `rollout` is the rollout's own number; `statement` the SHA-256 of the build's statement.

    `held`: who has it keeps it, and nobody else gets it. `back`: rolled back to, so that devices go down to its code.
    """

    build: int
    code: int
    statement: str
    rollout: str
    share: int
    held: bool = False
    back: bool = False


@dataclass(frozen=True)
class Having:
    """What a device has installed; 0 and 0: nothing."""

    build: int = 0
    code: int = 0


def reaches(rollout: str, device: str, share: int) -> bool:
    """Whether a device is among `share` per mille of a rollout."""
    digest = hashlib.sha256(rollout.encode() + b"\0" + device.encode()).digest()
    return int.from_bytes(digest[:8], "big") * ALL < share << 64


def build_for(offered: Sequence[OfferedBuild], device: str, having: Having) -> OfferedBuild | None:
    """What a device is to have of a line's builds, newest first; None: nothing but what it has.

    A build that nobody told it to leave stays: a device goes down only where somebody rolled back.
    """
    for each in offered:
        if each.build == having.build:
            return each
        if not each.held and reaches(each.rollout, device, each.share):
            return each if each.back or each.code >= having.code else None
    return None


def must_build_for(channel: str, offered: Sequence[OfferedBuild], device: str, having: Having) -> OfferedBuild:
    """Raises `NotFound` where the line has nothing for this device."""
    found = build_for(offered, device, having)
    if found is None:
        what = "nothing newer" if having.build else "nothing yet"
        raise NotFound("offer.nothing", f"{channel} has {what} for this device")
    return found


def read_share(text: str, where: str = "share") -> int:
    """`5`, `0.5 %`, `all` in per mille. Raises `Invalid` outside 0 to 100, or finer than a tenth."""
    said = text.strip().removesuffix("%").strip()
    if said == "all":
        return ALL
    try:
        share = Decimal(said) * 10
    except InvalidOperation as error:
        raise Invalid(
            "share.unread", f"{text[:40]!r} is no share", where=where, hint="Such as 5, 0.5 or all."
        ) from error
    if not share.is_finite() or not 0 <= share <= ALL:
        raise Invalid(
            "share.outside", f"a share lies between 0 and 100 %, and this is {text[:40].strip()}", where=where
        )
    if share != int(share):
        raise Invalid("share.fine", f"shares go in tenths of a percent, and this is {text[:40].strip()}", where=where)
    return int(share)


def share_of(percentage: float, where: str = "share") -> int:
    """The same of a number."""
    return read_share(f"{percentage:.6f}".rstrip("0").rstrip("."), where)


def percent(share: int) -> str:
    """`0.5 %`, `20 %`."""
    return f"{share / 10:g} %"


def must_grow(before: int, after: int, name: str) -> None:
    """Raises `Invalid` for a share that falls: who was told to install would be told to go back."""
    if not 0 <= after <= ALL:
        raise Invalid("share.outside", f"a share lies between 0 and 100 %, and this is {percent(after)}", where="share")
    if after <= before:
        hint = "Hold it, withdraw it, or roll back to the build before."
        raise Invalid(
            "share.falling", f"{name} has {percent(before)} already: a share only grows", where="share", hint=hint
        )
