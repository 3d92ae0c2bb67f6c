"""What the options of `rampa fleet run` say of builds: which ones devices begin with, and what goes wrong with them."""

from __future__ import annotations

import re
import tempfile
from collections import defaultdict
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from rampa.client import Client
from rampa.client.builds.symbols import bring_symbols
from rampa.core.errors import Invalid

if TYPE_CHECKING:
    from rampa.core.health.crash import CrashReport
    from rampa.standin.fleet_plan import Begin, Faults

SHARE = re.compile(r"(\d{1,9})=(0|0?\.\d+|1(?:\.0+)?)(?:@([A-Za-z0-9._ +-]{1,40}))?")
AT = re.compile(r"(\d{1,9})=([^:\s]{1,300}):(\d{1,7})")
HOURS = re.compile(r"(\d{1,2})-(\d{1,2})")


def begins_of(client: Client, slug: str, said: Sequence[str]) -> list[Begin]:
    """Raises `Invalid`, `NotFound`."""
    from rampa.standin.fleet_plan import Begin

    shares = {build: share for build, share, _ in _shares(said, "--begin")}
    if sum(shares.values()) > 1:
        raise Invalid("fleet.begin", "the shares come to more than 1", where="--begin", hint="The rest begins without.")
    return [Begin(build, client.builds.get(slug, build).version_code, share) for build, share in shares.items()]


def faults_of(
    client: Client,
    slug: str,
    crash: Sequence[str],
    crash_at: Sequence[str],
    installs: Sequence[str],
    launches: Sequence[str],
) -> dict[int, Faults]:
    """Build -> how often what goes wrong. Raises `Invalid`, `NotFound`."""
    from rampa.standin.fleet_plan import Faults

    crashes: dict[int, dict[str, float]] = defaultdict(dict)
    for build, share, form in _shares(crash, "--crash", form=True):
        crashes[build][form] = share
    failing = {build: share for build, share, _ in _shares(installs, "--fail-installs")}
    stuck = {build: share for build, share, _ in _shares(launches, "--fail-launches")}
    places = _places(client, slug, crash_at)
    without = sorted(places.keys() - crashes.keys())
    if without:
        hint = f"Say how often: --crash {without[0]}=0.3."
        raise Invalid("fleet.crash", f"build {without[0]} never crashes", where="--crash-at", hint=hint)
    return {
        build: Faults(crashes[build], failing.get(build, 0.0), stuck.get(build, 0.0), places.get(build))
        for build in {*crashes, *failing, *stuck}
    }


def hours_of(said: str) -> tuple[int, int] | None:
    """Raises `Invalid`."""
    if not said:
        return None
    match = HOURS.fullmatch(said)
    if match is None or int(match[1]) > 23 or not 0 < int(match[2]) <= 24 or match[1] == match[2]:
        hint = "Such as 18-23, or 22-2 over midnight; UTC."
        raise Invalid("fleet.hours", f"{said!r} is not FROM-UNTIL", where="--hours", hint=hint)
    return int(match[1]), int(match[2])


def _shares(said: Sequence[str], option: str, *, form: bool = False) -> list[tuple[int, float, str]]:
    found = []
    for text in said:
        match = SHARE.fullmatch(text)
        if match is None or (match[3] and not form):
            hint = "Such as 14=0.3" + (" or 14=0.3@visor-2." if form else ".")
            raise Invalid("fleet.share", f"{text!r} is not BUILD=SHARE", where=option, hint=hint)
        found.append((int(match[1]), float(match[2]), match[3] or ""))
    return found


def _places(client: Client, slug: str, said: Sequence[str]) -> dict[int, CrashReport]:
    """Build -> what its devices report of a crash."""
    from rampa.standin.crash_site import report_at

    found = {}
    for text in said:
        match = AT.fullmatch(text)
        if match is None:
            hint = "Such as 14=src/fog.c:21."
            raise Invalid("fleet.crash", f"{text!r} is not BUILD=FILE:LINE", where="--crash-at", hint=hint)
        build = int(match[1])
        with tempfile.TemporaryDirectory(prefix="rampa-symbols-") as scratch:
            bring_symbols(client, slug, build, Path(scratch))
            found[build] = report_at(Path(scratch), match[2], int(match[3]))
    return found
