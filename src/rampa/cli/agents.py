"""`rampa agent`: starting one on this machine, looking at all, pausing, tidying."""

from __future__ import annotations

import signal
import socket
import sys
import uuid
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from rampa.cli.base import home
from rampa.cli.base.common import JSON, YES, confirmed, signed_in
from rampa.cli.base.output import ago, duration, err, facts, mb, out, print_json, table
from rampa.core.errors import Invalid
from rampa.core.quantity import counted

if TYPE_CHECKING:
    from rampa.agent.settings import AgentSettings

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Agents: the machines that execute runs.")
NAME = typer.Argument(..., metavar="AGENT", help="The agent's name.")
FOLDER = typer.Option(None, "--folder", help="Where work folders and mirrors lie. [this user's data folder]")
NOTICE = 12.0
"""Seconds without an answer after which a report is sent again."""
ISOLATION = {
    "sandbox": "steps run in a sandbox",
    "user": "steps have a user of their own, and no sandbox",
    "none": "none: steps run as the agent's user",
}
KEEP = ("never", "failed", "always")


def _own_name() -> str:
    host = "".join(c if c.isalnum() else "-" for c in socket.gethostname().lower()).strip("-")
    return host[:40] or "agent"


def _settings(name: str, folder: Path | None) -> AgentSettings:
    from rampa.agent.settings import AgentSettings

    return AgentSettings(name, (folder or home.folder() / "agents" / name).resolve())


@app.command("start")
def start(
    name: str = typer.Option("", "--name", help="Its name among the agents. [this machine's]"),
    toolchains: list[Path] = typer.Option(
        [], "--toolchains", help="A folder of NAME.toolchain.toml files; repeatable."
    ),
    platform: list[str] = typer.Option([], "--platform", help="Take runs for this platform only; repeatable."),
    at_once: int = typer.Option(1, "--at-once", min=1, max=64, help="Runs side by side."),
    folder: Path = FOLDER,
    least_free: int = typer.Option(256, "--least-free", min=0, help="MiB of the disk that stay free."),
    keep: str = typer.Option("failed", "--keep", help="Work folders that stay: never, failed or always."),
    kept: int = typer.Option(3, "--kept", min=0, help="How many of them."),
    readable: list[Path] = typer.Option(
        [], "--readable", help="A folder that steps may read besides the system's own; repeatable."
    ),
    same_user: bool = typer.Option(
        False, "--same-user", help="Without a sandbox: steps run as root when the agent is root."
    ),
    code: str = typer.Option(
        "", "--code", envvar="RAMPA_AGENT_CODE", help="For the first start: what `rampa agent enrol` said."
    ),
    address: str = typer.Option("", "--address", help="The service's address. [the signed-in one]"),
) -> None:
    """Work on runs, until Ctrl-C. The first start takes a code of `rampa agent enrol`; a key that stays here does the rest."""
    from dataclasses import replace

    from rampa.agent import identity
    from rampa.agent.control_group import find_groups
    from rampa.agent.isolation import find_sandbox
    from rampa.agent.loop import AgentLoop
    from rampa.client import Client
    from rampa.client.connection import Connection

    if keep not in KEEP:
        raise Invalid("agent.keep", f"--keep is one of {', '.join(KEEP)}", where="--keep")
    for given in toolchains:
        if not given.is_dir():
            raise Invalid("agent.toolchains", "there is no such folder", where=str(given))
    at = address or home.address()
    sandbox, why_bare = find_sandbox([*toolchains, *readable])
    settings = replace(
        _settings(name or _own_name(), folder),
        toolchains=tuple(t.resolve() for t in toolchains),
        platforms=tuple(platform),
        at_once=at_once,
        least_free=least_free * 1024 * 1024,
        keep=keep,
        kept=kept,
        user=not same_user,
        sandbox=sandbox,
        why_bare=why_bare,
        groups=find_groups(),
    )

    asking = Client(at, connection=Connection(at, timeout=NOTICE, patience=NOTICE))
    if code:
        identity.save(identity.enrol(asking, settings.name, code), settings.folder)
    mine = identity.load(settings.folder, settings.name)
    bearer = identity.AgentBearer(asking, mine, uuid.uuid4().hex)

    def make_client(reporting: bool) -> Client:
        soon = Connection(at, bearer=bearer, timeout=NOTICE, patience=NOTICE) if reporting else None
        return Client(at, connection=soon or Connection(at, bearer=bearer))

    loop = AgentLoop(make_client, settings, bearer.instance, _say)
    for how in (signal.SIGTERM, signal.SIGINT):
        signal.signal(how, lambda *_: loop.stop())
    loop.run()


def _say(text: str) -> None:
    sys.stderr.write(text + "\n")
    sys.stderr.flush()


@app.command("enrol")
def enrol(name: str = NAME, as_json: bool = JSON) -> None:
    """Make a code with which one machine becomes this agent, once, within the hour."""
    with signed_in() as client:
        made = client.agents.make_code(name)
        at = client.connection.address
    if as_json:
        print_json(made)
        return
    err().print(f"On the machine that becomes {name}, until {made.expires_at.astimezone():%H:%M}:")
    out().print(f"rampa agent start --name {name} --address {at} --code {made.code}", soft_wrap=True)


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """All agents: their state, what they can do, what they are working on."""
    with signed_in() as client:
        found = client.agents.all()
    if as_json:
        print_json(found)
        return
    rows = []
    for a in found:
        chains = ", ".join(f"{t.name} {t.version}" for t in a.abilities.toolchains)
        works = ", ".join(f"run {r.run} {r.profile}{f' at {r.step}' if r.step else ''}" for r in a.runs)
        free = f"{len(a.runs)} of {a.at_once}"
        rows.append((a.name, a.state, free, works or "-", chains or "none", mb(a.abilities.disk), ago(a.seen_at)))
    head = ["agent", "state", ">busy", "~works on", "~toolchains", ">disk free", "heard of"]
    table(head, rows, "No agent is there. Enrol one: rampa agent enrol NAME")


@app.command("show")
def show(name: str = NAME, as_json: bool = JSON) -> None:
    """One agent: its abilities, its licences, what it is working on."""
    with signed_in() as client:
        a = client.agents.get(name)
    if as_json:
        print_json(a)
        return
    can = a.abilities
    facts(
        [
            ("agent", a.name),
            ("state", a.state),
            (
                "machine",
                f"{can.system}; {counted(can.cores, 'core')}, {mb(can.memory)} memory, {mb(can.disk)} disk free",
            ),
            ("isolation", ISOLATION[can.isolation]),
            ("limits", "held by the kernel" if can.kernel_limits else "watched by the agent"),
            ("platforms", ", ".join(can.platforms) or "all"),
            ("runs", f"{len(a.runs)} of {a.at_once} at once; {a.done:,} done"),
            ("started", f"{ago(a.started_at)}; last heard of {ago(a.seen_at)}"),
            ("enrolled by", a.enrolled_by),
        ]
    )
    out().print()
    rows = [
        (t.name, t.version, ", ".join(t.platforms) or "all", "; ".join(t.licences) or "none") for t in can.toolchains
    ]
    table(["toolchain", "version", "~exports for", "~licences accepted"], rows, "It has no toolchain.")
    for r in a.runs:
        out().print(f"{r.title} run {r.run}, {r.profile}: {r.step or 'begins'}, {duration(r.seconds)}")


@app.command("pause")
def pause(name: str = NAME, as_json: bool = JSON) -> None:
    """Give an agent nothing new; what it has goes on."""
    _change(name, True, as_json)


@app.command("resume")
def resume(name: str = NAME, as_json: bool = JSON) -> None:
    """Let a paused agent go on."""
    _change(name, False, as_json)


def _change(name: str, paused: bool, as_json: bool) -> None:
    with signed_in() as client:
        a = client.agents.change(name, paused=paused)
    if as_json:
        print_json(a)
        return
    out().print(f"{a.name} is {a.state}.")


@app.command("remove")
def remove(name: str = NAME, yes: bool = YES) -> None:
    """End an agent's key at once; what it is working on goes to another. What it did keeps its name."""
    with signed_in() as client:
        a = client.agents.get(name)
        err().print(f"{a.name} is {a.state}, last heard of {ago(a.seen_at)}; it did {counted(a.done, 'run')}.")
        for r in a.runs:
            err().print(f"It is working on {r.title} run {r.run}, {r.profile}: another agent begins that again.")
        if not confirmed("End its key, and forget it?", yes):
            raise typer.Exit(1)
        client.agents.remove(name)
    out().print(f"{name} is forgotten; its key opens nothing any more.")


@app.command("tidy")
def tidy(
    name: str = typer.Option("", "--name", help="The agent of this machine. [this machine's name]"),
    folder: Path = FOLDER,
    yes: bool = YES,
) -> None:
    """Remove kept work folders on this machine in which nothing runs."""
    from rampa.agent.work_folder import folders, tidy

    settings = _settings(name or _own_name(), folder)
    found = folders(settings)
    if not found:
        out().print(f"Nothing is kept in {settings.runs}.")
        return
    for path in found:
        err().print(f"  {path}")
    if not confirmed(f"Remove what of these {counted(len(found), 'folder')} nothing runs in?", yes):
        raise typer.Exit(1)
    count, size = tidy(settings)
    out().print(f"Removed {counted(count, 'folder')}, {mb(size)}.")
