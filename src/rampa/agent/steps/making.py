"""The steps `bundle`, `sign`, `split`, `publish` and `notify`."""

from __future__ import annotations

import time

from rampa.agent.context import Attempt, Stopped
from rampa.agent.steps.collecting import symbols_of
from rampa.client.build_parts import BuildParts, Step
from rampa.schema.agents import StepWire

MB = 1e6


def bundle(a: Attempt, step: StepWire) -> None:
    assert a.selection is not None
    build = a.open_build()

    def on(done: Step) -> None:
        if a.report.halt.is_set():
            raise Stopped
        if done.total:
            a.report.progress = done.done / done.total

    # Where a work folder lies is new in every run: the folder index of the agent helps only within one.
    a.parts = BuildParts(
        a.client, a.work.title, build, a.profile, a.selection, a.folder.root / "state", on, a.work.lease
    )
    tree = a.parts.read()
    a.report.say(f"Read {len(tree.files):,} files, {tree.size / MB:.1f} MB.")
    file = a.parts.write_bundle(a.folder.bundle)
    a.report.say(f"Wrote {file.name}, {file.stat().st_size / MB:.1f} MB.")
    a.bundle = a.parts.send_bundle(file)
    sent = a.parts.bundle_sent
    a.report.say(f"Sent {sent.uploaded / MB:.1f} MB of it; {sent.present / MB:.1f} MB were there already.")


def sign(a: Attempt, step: StepWire) -> None:
    assert a.parts is not None
    assert a.bundle is not None
    if not a.profile.identity:
        a.report.say("The profile names no signing identity: the bundle stays unsigned.")
        return
    signed = a.parts.sign(a.bundle)
    assert signed.bundle is not None
    a.report.say(f"Signed by {signed.bundle.identity}, certificate SHA-256 {signed.bundle.fingerprint[:16]}….")


def split(a: Attempt, step: StepWire) -> None:
    assert a.parts is not None
    a.parts.send_content()
    sent = a.parts.sent
    names = ", ".join(d.name for d in a.profile.depots)
    a.report.say(f"Depots {names}: sent {sent.uploaded / MB:.1f} MB; {sent.present / MB:.1f} MB were there already.")
    symbols = symbols_of(a)
    if symbols is not None:
        a.symbols = a.parts.send_symbols(symbols)
        a.report.say(f"Kept {len(symbols.files)} files of symbols beside the build.")


def publish(a: Attempt, step: StepWire) -> None:
    assert a.parts is not None
    assert a.bundle is not None
    tools = {a.chosen.toolchain.name: a.chosen.toolchain.version} if a.chosen else {}
    seconds = time.time() - a.parts.build.created_at.timestamp()
    made = a.parts.complete(a.bundle, max(0.0, seconds), symbols=a.symbols, tools=tools, findings=a.findings[:500])
    a.build = made
    a.report.say(f"{made.name} is ready: {made.files:,} files, {made.packed / MB:.1f} MB to download.")


def notify(a: Attempt, step: StepWire) -> None:
    a.client.send_letter(a.settings.name, a.work.lease)
    a.report.say(f"A letter goes to {a.work.started_by}.")
