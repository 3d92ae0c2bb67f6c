"""Making a build from a folder: select, reserve, read, upload, bundle, complete. Each step can be repeated."""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path

from rampa.client.builds.attempts import attempt
from rampa.client.builds.parts import BuildParts, BuildProgress, Listener
from rampa.client.client import Client
from rampa.client.content.upload import Sent
from rampa.core.build.life import BuildState
from rampa.core.check.selection import check_selection
from rampa.core.content.select.selection import Selection, select
from rampa.core.errors import Refused
from rampa.core.profile.document import read_document
from rampa.core.profile.resolved import resolve
from rampa.schema.builds import builds as wire

__all__ = ["BuildProgress", "Listener", "MadeBuild", "make_build"]


@dataclass(frozen=True)
class MadeBuild:
    """The build, what stayed out, and what was sent for content and bundle."""

    build: wire.Build
    selection: Selection
    content: Sent
    bundle: Sent
    seconds: float
    resumed: bool
    kept: Path | None = None
    """The folder that the bundle was left in."""


def make_build(
    client: Client,
    title: str,
    profile_name: str,
    folder: Path,
    *,
    version_name: str | None = None,
    notes: str = "",
    state: Path,
    keep_bundle: Path | None = None,
    on: Listener = lambda _: None,
) -> MadeBuild:
    """`state` is a folder for attempts and folder indexes; `keep_bundle` one that the bundle is also copied to."""
    started = time.monotonic()
    described = client.titles.get(title)
    document = read_document(client.titles.revision(title, described.revision).document.encode())
    profile = resolve(document, profile_name)
    selection = select(folder, profile.rules)
    keep_bundle = keep_bundle or _output(folder, profile.settings.output.folder)
    asked = wire.NewBuild(profile=profile_name, revision=described.revision, notes=notes)
    if version_name:
        asked = asked.model_copy(update={"version_name": version_name})
        asked.model_fields_set.add("version_name")
    what = (client.connection.address, title, str(folder.resolve()), asked.model_dump_json())
    with attempt(state / "attempts", *what) as (key, remembered):
        build = client.builds.open(title, asked, key)
        build = client.builds.get(title, build.number)
        if build.state != BuildState.OPEN:
            # The attempt ended elsewhere (abandoned, or completed just before a kill): this is a new one.
            key += "-next" if build.state == BuildState.READY else "-again"
            build = client.builds.open(title, asked, key)
        resumed = (time.time() - build.created_at.timestamp()) > 5
        parts = BuildParts(client, title, build, profile, selection, state, on)
        parts.read()
        parts.send_content()
        found = check_selection(selection, profile)
        done = parts.complete(parts.bundle(keep_bundle), time.monotonic() - started, findings=found)
        if remembered:
            remembered.unlink(missing_ok=True)
    return MadeBuild(done, selection, parts.sent, parts.bundle_sent, time.monotonic() - started, resumed, keep_bundle)


def _output(folder: Path, said: str) -> Path | None:
    """Where the document wants the bundle left: beside the source folder, never in it, wherever links lead."""
    if not said:
        return None
    # Resolved: a link beside the folder can lead into it, and each build would then hold the one before.
    out = (folder / Path(said).expanduser()).resolve()
    if out.is_relative_to(folder.resolve()):
        hint = "Name a folder that lies outside in output.folder, or say one with --bundle-to."
        raise Refused("output.inside", "the output folder lies in the source folder", where=str(out), hint=hint)
    return out
