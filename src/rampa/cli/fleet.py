"""rampa fleet …"""

from __future__ import annotations

import base64
import datetime as dt
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import JSON, TITLE, signed_in, the_title
from rampa.cli.base.output import err, facts, mb, out, print_json
from rampa.cli.fleet_options import begins_of, faults_of, hours_of
from rampa.client import Client
from rampa.client.devices.delivery import HttpDelivery
from rampa.core.signing.offer import Offer, verify
from rampa.schema.titles.titles import Title

if TYPE_CHECKING:
    from rampa.standin.fleet import Ask, Bring, Fleet
    from rampa.standin.fleet_plan import FleetSummary

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="A fleet of simulated devices: they ask, play and report."
)
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
    begin: list[str] = typer.Option(None, "--begin", help="BUILD=SHARE of them has it at the start. Repeatable."),
    crash: list[str] = typer.Option(None, "--crash", help="BUILD=SHARE of sessions, or BUILD=SHARE@CLASS. Repeatable."),
    crash_at: list[str] = typer.Option(
        None, "--crash-at", help="Where: BUILD=FILE:LINE, looked up in the symbols that the build keeps. Repeatable."
    ),
    fail_installs: list[str] = typer.Option(None, "--fail-installs", help="BUILD=SHARE of its installs. Repeatable."),
    fail_launches: list[str] = typer.Option(None, "--fail-launches", help="BUILD=SHARE of its launches. Repeatable."),
    sessions: float = typer.Option(2.0, "--sessions", min=0, help="Sessions of a device an hour."),
    hours: str = typer.Option("", "--hours", help="When they play, FROM-UNTIL in UTC, such as 18-23. [all day]"),
    offline: float = typer.Option(0.05, "--offline", min=0, max=1, help="Share of reports that wait for the next one."),
    download: bool = typer.Option(
        False, "--download", help="Really download, each device for itself; bytes are dropped."
    ),
    disk: Path = typer.Option(
        None, "--disk", help="A folder for all: keep what the first device of each update installs."
    ),
    bandwidth: list[float] = typer.Option(
        None, "--bandwidth", min=0.001, help="Mbit/s of a device, in the fleet's time; with --download. Repeatable."
    ),
    speed: float = typer.Option(60.0, "--speed", min=0.1, help="Seconds of the fleet's time in one of ours."),
    seconds: float = typer.Option(60.0, "--seconds", min=0.1, help="For how long, in our time."),
    seed: int = typer.Option(1, "--seed", help="The same seed is the same fleet."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Run a fleet until interrupted or for so many seconds; then say what it did. It is simulated, and its reports say so."""
    from rampa.standin.fleet import Fleet
    from rampa.standin.fleet_plan import FleetPlan

    with signed_in() as client:
        found = client.titles.get(the_title(client, title))
        plan = FleetPlan(
            devices,
            form or ["desk-1"],
            level or ["1"],
            seed,
            sessions,
            hours=hours_of(hours),
            offline=offline,
            speed=speed,
            bandwidths=[mbit * 1e6 / 8 for mbit in bandwidth or []],
            begins=begins_of(client, found.slug, begin or []),
            faults=faults_of(client, found.slug, crash or [], crash_at or [], fail_installs or [], fail_launches or []),
        )
        with _bringing(client, found, download=download or disk is not None, disk=disk) as bring:
            asking = _asking(client, found, on, platform)
            fleet = Fleet(plan, asking, lambda batch: client.health.report(found.identifier, batch), bring)
            _go(fleet, speed, seconds, as_json)
    if as_json:
        print_json({"simulated": True, "devices": devices, **asdict(fleet.summary)})
        return
    _summary(fleet.summary, devices, found.slug)


def _asking(client: Client, title: Title, on: str, platform: str) -> Ask:
    key = bytes.fromhex(title.manifest_key)
    lock, kept = threading.Lock(), list[tuple[float, Offer]]()

    def ask() -> Offer:
        with lock:
            if kept and time.monotonic() - kept[0][0] < FRESH:
                return kept[0][1]
            offer = verify(base64.b64decode(client.channels.offer(title.slug, on, platform).signed), key)
            kept[:] = [(time.monotonic(), offer)]
            return offer

    return ask


@contextmanager
def _bringing(client: Client, title: Title, *, download: bool, disk: Path | None) -> Iterator[Bring]:
    from rampa.standin.fleet import nothing
    from rampa.standin.routes import Routes

    if not download:
        yield nothing
        return
    with TemporaryDirectory(prefix="rampa-fleet-") as scratch:
        yield Routes(
            disk or Path(scratch),
            title.identifier,
            bytes.fromhex(title.manifest_key),
            lambda build: HttpDelivery(client, title.slug, build),
            lambda build: client.builds.statement(title.slug, build),
        ).bring


def _go(fleet: Fleet, speed: float, seconds: float, quiet: bool) -> None:
    began = told = time.monotonic()
    try:
        while (passed := time.monotonic() - began) < seconds:
            fleet.step(passed * speed, dt.datetime.now(dt.UTC))
            if not quiet and time.monotonic() - told > 2:
                told = time.monotonic()
                err().print(_progress(fleet.summary, told - began, seconds))
            time.sleep(max(0.0, min(0.2, fleet.next_at / speed - passed, seconds - passed)))
        # A machine that was too slow for its time does what is left of it.
        fleet.step(seconds * speed, dt.datetime.now(dt.UTC))
    except KeyboardInterrupt:
        err().print("Interrupted.")


def _progress(s: FleetSummary, passed: float, seconds: float) -> str:
    have = ", ".join(f"#{b}: {n}" for b, n in sorted(s.having.items()) if b)
    down = f", {mb(s.downloaded)} downloaded ({mb(round(s.downloaded / passed))}/s)" if s.downloaded else ""
    left = f"{max(0.0, seconds - passed):.0f} s left"
    asks = f"{s.asks:,} asks ({s.asks / passed:.0f}/s){down}"
    return f"{asks}, {s.crashes:,} crashes in {s.sessions:,} sessions; {have}; {left}"


def _summary(summary: FleetSummary, devices: int, slug: str) -> None:
    have = ", ".join(f"{slug}#{b} on {n:,}" for b, n in sorted(summary.having.items()) if b)
    down = f", {mb(summary.downloaded)} downloaded" if summary.downloaded else ""
    facts(
        [
            ("fleet", f"{devices:,} simulated devices"),
            ("asks", f"{summary.asks:,}, {summary.failed_asks:,} of them without an answer"),
            ("updates", f"{summary.updates:,}, and {summary.failed_updates:,} failed{down}"),
            ("sessions", f"{summary.sessions:,}, {summary.crashes:,} of them ended by a crash"),
            ("launches", f"{summary.failed_launches:,} failed"),
            ("reported", f"{summary.reported:,}, {summary.refused:,} refused"),
            ("have", have or "nothing yet"),
        ]
    )
    out().print("Everything here is simulated, and says so where it is shown.", style="dim")
