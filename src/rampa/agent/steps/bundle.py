"""The steps `bundle`, `sign`, `depots`, `complete` and `notify`."""

from __future__ import annotations

import time
from dataclasses import replace

from rampa.agent.context import AttemptContext, StepFailed, Stopped
from rampa.agent.self_test import self_test
from rampa.agent.steps.collect import symbols_of
from rampa.agent.steps.symbols import crash_place
from rampa.client.builds.parts import BuildParts, BuildProgress
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.written import DESKTOP
from rampa.core.check.bundle import check_bundle
from rampa.core.check.package import ExpectedPackage
from rampa.core.quantity import counted
from rampa.core.run.step import Step

MB = 1e6


def bundle(a: AttemptContext, step: Step) -> None:
    assert a.selection is not None
    build = a.open_build()

    def on(done: BuildProgress) -> None:
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
    a.file = a.parts.write_bundle(a.folder.bundle)
    a.report.say(f"Wrote {a.file.name}, {a.file.stat().st_size / MB:.1f} MB.")
    _look_at_package(a)
    if a.work.trial and a.work.trial.weigh:
        a.measured = replace(a.measured, size=tree.size_of(a.work.trial.weigh))
    if a.profile.settings.launch.self_test or (a.work.trial and a.work.trial.self_test):
        _self_test(a)
    if a.work.reproduces:
        _compare(a)


def _look_at_package(a: AttemptContext) -> None:
    """What a storefront would refuse shows on the file, before it is signed or sent."""
    assert a.file is not None
    build = a.open_build()
    expected = ExpectedPackage(
        a.profile.settings.purpose == "release",
        a.profile.settings.title.identifier,
        build.version_name,
        build.version_code,
        a.profile.settings.code.architectures,
    )
    if a.profile.settings.output.kind in DESKTOP:
        return
    with FileBytes(a.file) as source:
        found = check_bundle(source, expected)
    for f in found:
        level = {"blocker": "error", "warning": "warning"}.get(f.severity, "")
        a.report.say(f"{f'{level}: ' if level else ''}{f.message} ({f.where}). {f.hint}", level)  # type: ignore[arg-type]
    a.findings += found
    blockers = [f for f in found if f.severity == "blocker"]
    if blockers:
        raise StepFailed("bundle.blocked", blockers[0].message)


def _self_test(a: AttemptContext) -> None:
    assert a.file is not None
    form = a.work.trial.form if a.work.trial else ""
    done = self_test(
        a.file, a.profile.launch, a.profile.platform.name, place=a.place(), scratch=a.folder.tmp, form=form
    )
    for line in done.said.splitlines()[-20:]:
        a.report.say(f"  {line}")
    if not done.ran:
        a.report.say(f"The self-test did not run: {done.why}.")
        return
    crash = crash_place(a, done.crash) if done.crash else None
    told = "passed" if done.passed else "failed"
    a.measured = replace(
        a.measured, self_test=told, crash=crash.key if crash else "", place=crash.name if crash else ""
    )
    if not done.passed:
        where = f" in {crash.name}" if crash else ""
        raise StepFailed("bundle.self-test", f"{a.profile.launch} --self-test: {done.why}{where}")
    a.report.say(f"The self-test passed in {done.seconds:.1f} s, unpacked into an empty folder.")


def _compare(a: AttemptContext) -> None:
    """Building again gives the same bytes, or this says that it does not."""
    assert a.parts is not None
    before, there = a.work.expected_bare, f"{a.work.title}#{a.work.reproduces}"
    if before != a.parts.bare:
        raise StepFailed("bundle.differs", f"{there} has {before[:16] or 'no digest'}…, this has {a.parts.bare[:16]}…")
    a.report.say(f"The same bytes as {there} before its signature: SHA-256 {a.parts.bare}.")


def _send(a: AttemptContext) -> None:
    """Once, when nothing is changed in it any more."""
    assert a.parts is not None
    assert a.file is not None
    if a.bundle is None:
        a.bundle = a.parts.send_bundle(a.file)
        sent = a.parts.bundle_sent
        a.report.say(f"Sent {sent.uploaded / MB:.1f} MB of it; {sent.present / MB:.1f} MB were there already.")


def sign(a: AttemptContext, step: Step) -> None:
    assert a.parts is not None
    assert a.file is not None
    if not a.profile.settings.signing.identity:
        a.report.say("The profile names no signing identity: the bundle stays unsigned.")
        return
    if a.profile.signs_inside:
        about = a.parts.sign_inside(a.file)
        a.report.say(f"Signed inside by {about.identity}, certificate SHA-256 {about.fingerprint[:16]}….")
        return
    _send(a)
    assert a.bundle is not None
    signed = a.parts.sign(a.bundle)
    assert signed.bundle is not None
    a.report.say(f"Signed by {signed.bundle.identity}, certificate SHA-256 {signed.bundle.fingerprint[:16]}….")


def depots(a: AttemptContext, step: Step) -> None:
    assert a.parts is not None
    _send(a)
    a.parts.send_content()
    sent = a.parts.sent
    names = ", ".join(d.name for d in a.profile.depots)
    a.report.say(f"Depots {names}: sent {sent.uploaded / MB:.1f} MB; {sent.present / MB:.1f} MB were there already.")
    symbols = symbols_of(a)
    if symbols is not None:
        a.symbols = a.parts.send_symbols(symbols)
        a.report.say(f"Kept {counted(len(symbols.files), 'file')} of symbols beside the build.")


def complete(a: AttemptContext, step: Step) -> None:
    assert a.parts is not None
    assert a.bundle is not None
    tools = {a.chosen.toolchain.name: a.chosen.toolchain.version} if a.chosen else {}
    seconds = time.time() - a.parts.build.created_at.timestamp()
    made = a.parts.complete(a.bundle, max(0.0, seconds), symbols=a.symbols, tools=tools, findings=a.findings[:500])
    a.build = made
    a.report.say(f"{made.name} is ready: {made.files:,} files, {made.packed / MB:.1f} MB to download.")


def notify(a: AttemptContext, step: Step) -> None:
    a.client.agents.send_letter(a.settings.name, a.work.lease)
    a.report.say(f"A letter goes to {a.work.started_by}.")
