"""rampa fleet …"""

from __future__ import annotations

import base64
import datetime as dt
import re
import tempfile
import threading
import time
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import JSON, TITLE, signed_in, the_title
from rampa.cli.base.output import err, facts, out, print_json
from rampa.client import Client
from rampa.client.builds.symbols import bring_symbols
from rampa.core.errors import Invalid
from rampa.core.signing.offer import Offer, verify

if TYPE_CHECKING:
    from rampa.core.health.crash import CrashReport
    from rampa.standin.fleet import Faults, FleetSummary

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="A fleet of simulated devices: they ask, play and report."
)
CRASH = re.compile(r"(\d{1,9})=(0?\.\d+|[01](?:\.0+)?)(?:@([A-Za-z0-9._ +-]{1,40}))?")
AT = re.compile(r"(\d{1,9})=([^:\s]{1,300}):(\d{1,7})")
FRESH = 1.0
"""Seconds for which one answer is everybody's: as a cache in front of the service has it."""


@app.callback()
def noun() -> None:
    """A noun with one verb so far is a noun all the same."""


@app.command("run")
def run(
    on: str = typer.Option("studio", "--on", help="The channel that they follow."),
    platform: str = typer.Option("linux", "--platform", help="What they run."),
    devices: int = typer.Option(500, "--devices", min=1, max=100_000, help="How many."),
    form: list[str] = typer.Option(None, "--class", help="A class of device, such as visor-2. Repeatable."),
    level: list[str] = typer.Option(None, "--level", help="A system level. Repeatable."),
    crash: list[str] = typer.Option(None, "--crash", help="BUILD=SHARE of sessions, or BUILD=SHARE@CLASS. Repeatable."),
    crash_at: list[str] = typer.Option(
        None, "--crash-at", help="Where: BUILD=FILE:LINE, looked up in the symbols that the build keeps. Repeatable."
    ),
    sessions: float = typer.Option(2.0, "--sessions", min=0, help="Sessions of a device an hour."),
    offline: float = typer.Option(0.05, "--offline", min=0, max=1, help="Share of reports that wait for the next one."),
    speed: float = typer.Option(60.0, "--speed", min=0.1, help="Seconds of the fleet's time in one of ours."),
    seconds: float = typer.Option(60.0, "--seconds", min=0.1, help="For how long, in our time."),
    seed: int = typer.Option(1, "--seed", help="The same seed is the same fleet."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Run a fleet until interrupted or for so many seconds; then say what it did. It is simulated, and its reports say so."""
    from rampa.standin.fleet import Fleet, FleetPlan

    with signed_in() as client:
        found = client.titles.get(the_title(client, title))
        faults = _faults(crash or [], _places(client, found.slug, crash_at or []))
        key = bytes.fromhex(found.manifest_key)
        lock, kept = threading.Lock(), list[tuple[float, Offer]]()

        def ask() -> Offer:
            with lock:
                if kept and time.monotonic() - kept[0][0] < FRESH:
                    return kept[0][1]
                offer = verify(base64.b64decode(client.channels.offer(found.slug, on, platform).signed), key)
                kept[:] = [(time.monotonic(), offer)]
                return offer

        plan = FleetPlan(
            devices, form or ["desk-1"], level or ["1"], seed, sessions, offline=offline, speed=speed, faults=faults
        )
        fleet = Fleet(plan, ask, lambda batch: client.health.report(found.identifier, batch))
        _go(fleet, speed, seconds, as_json)
    if as_json:
        print_json({"simulated": True, "devices": devices, **asdict(fleet.summary)})
        return
    _summary(fleet.summary, devices, found.slug)


def _go(fleet: object, speed: float, seconds: float, quiet: bool) -> None:
    from rampa.standin.fleet import Fleet

    assert isinstance(fleet, Fleet)
    began = told = time.monotonic()
    try:
        while (passed := time.monotonic() - began) < seconds:
            fleet.step(passed * speed, dt.datetime.now(dt.UTC))
            if not quiet and time.monotonic() - told > 2:
                told = time.monotonic()
                s = fleet.summary
                rate = s.asks / max(passed, 0.001)
                have = ", ".join(f"#{b}: {n}" for b, n in sorted(s.having.items()) if b)
                left = f"{seconds - passed:.0f} s left"
                err().print(
                    f"{s.asks:,} asks ({rate:.0f}/s), {s.crashes:,} crashes in {s.sessions:,} sessions; {have}; {left}"
                )
            time.sleep(max(0.0, min(0.2, fleet.next_at / speed - passed, seconds - passed)))
        # A machine that was too slow for its time does what is left of it.
        fleet.step(seconds * speed, dt.datetime.now(dt.UTC))
    except KeyboardInterrupt:
        err().print("Interrupted.")


def _places(client: Client, slug: str, said: list[str]) -> dict[int, CrashReport]:
    """Build -> what its devices report of a crash. Raises `Invalid`, `NotFound`."""
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


def _faults(said: list[str], places: Mapping[int, CrashReport]) -> dict[int, Faults]:
    from rampa.standin.fleet import Faults

    crashes: dict[int, dict[str, float]] = defaultdict(dict)
    for text in said:
        match = CRASH.fullmatch(text)
        if match is None:
            hint = "Such as 14=0.3 or 14=0.3@visor-2."
            raise Invalid("fleet.crash", f"{text!r} is not BUILD=SHARE", where="--crash", hint=hint)
        crashes[int(match[1])][match[3] or ""] = float(match[2])
    return {build: Faults(by_form, crash=places.get(build)) for build, by_form in crashes.items()}


def _summary(summary: FleetSummary, devices: int, slug: str) -> None:
    have = ", ".join(f"{slug}#{b} on {n:,}" for b, n in sorted(summary.having.items()) if b)
    facts(
        [
            ("fleet", f"{devices:,} simulated devices"),
            ("asks", f"{summary.asks:,}, {summary.failed_asks:,} of them without an answer"),
            ("updates", f"{summary.updates:,}"),
            ("sessions", f"{summary.sessions:,}, {summary.crashes:,} of them ended by a crash"),
            ("reported", f"{summary.reported:,}, {summary.refused:,} refused"),
            ("have", have or "nothing yet"),
        ]
    )
    out().print("Everything here is simulated, and says so where it is shown.", style="dim")
