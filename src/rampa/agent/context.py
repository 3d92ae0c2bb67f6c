"""What the steps of one attempt share."""

from __future__ import annotations

import os
from dataclasses import dataclass, field
from pathlib import Path

from rampa.agent.isolation import Place
from rampa.agent.reporter import Reporter
from rampa.agent.settings import AgentSettings
from rampa.agent.toolchains import Found
from rampa.agent.work_folder import WorkFolder
from rampa.client import Client
from rampa.client.builds.parts import BuildParts
from rampa.core.check.findings import Finding
from rampa.core.content.select.selection import Selection
from rampa.core.profile.document import Document, read_document
from rampa.core.profile.resolution import Resolved
from rampa.core.profile.resolved import ResolvedProfile, resolve
from rampa.core.run.bisect import Measured
from rampa.core.run.step import Step
from rampa.schema.agents import Work
from rampa.schema.builds import builds as builds_wire

PATH = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin"


class StepFailed(Exception):
    """A step came to a bad end: a cause's code (rampa.core.run.causes) and what there is to say."""

    def __init__(self, code: str, detail: str) -> None:
        super().__init__(detail)
        self.code, self.detail = code, detail


class Stopped(Exception):
    """The run was cancelled, or is somebody else's."""


@dataclass
class AttemptContext:
    """`root` is what the content is collected from: the source, or what an export made."""

    client: Client
    settings: AgentSettings
    work: Work
    folder: WorkFolder
    report: Reporter
    toolchains: list[Found]
    chosen: Found | None = None
    root: Path | None = None
    selection: Selection | None = None
    build: builds_wire.Build | None = None
    parts: BuildParts | None = None
    file: Path | None = None
    """The bundle, as it was written."""
    bundle: builds_wire.BundleIn | None = None
    symbols: builds_wire.ManifestIn | None = None
    findings: list[Finding] = field(default_factory=list)
    pointers: list[str] = field(default_factory=list)
    measured: Measured = field(default_factory=Measured)
    """What it found out about what it made."""

    def __post_init__(self) -> None:
        self.document: Document = read_document(self.work.document.encode())
        self.resolved: Resolved = self.document.profile(self.work.profile)
        self.profile: ResolvedProfile = resolve(self.document, self.work.profile)

    @property
    def version(self) -> str:
        return self.work.version_name or self.profile.settings.version.name

    def open_build(self) -> builds_wire.Build:
        """Reserves the version code, once an attempt."""
        # Reserved when it is first needed: a run that fails before burns no version code.
        if self.build is None:
            asked = builds_wire.NewBuild(
                profile=self.work.profile, revision=self.work.revision, notes=self.work.notes, lease=self.work.lease
            )
            if self.work.version_name:
                asked = builds_wire.NewBuild(**asked.model_dump(exclude={"version_name"}), version_name=self.version)
            self.build = self.client.builds.open(self.work.title, asked)
            self.report.say(
                f"This is {self.build.name}: version {self.build.version_name}, code {self.build.version_code}."
            )
        return self.build

    def put_in(self, text: str) -> str:
        """Placeholders of a command; a version code is reserved when one asks for it."""
        if "{" not in text:
            return text
        words = {
            "source": str(self.folder.source),
            "out": str(self.folder.out),
            "profile": self.work.profile,
            "platform": self.profile.platform.name,
            "purpose": self.profile.settings.purpose,
            "version": self.version,
            "commit": self.work.commit,
            "kind": self.profile.settings.output.kind,
            "identifier": self.profile.settings.title.identifier,
            "minimum": self.resolved.settings.system.minimum,
            "architectures": ",".join(self.profile.settings.code.architectures),
        }
        if "{code}" in text:
            words["code"] = str(self.open_build().version_code)
        for name, value in words.items():
            text = text.replace(f"{{{name}}}", value)
        return text

    def place(self, *more: Path, network: bool = False) -> Place:
        """Where its programs run, and what they may write: the run's own folders, and `more`."""
        own = (self.folder.source, self.folder.out, self.folder.home, self.folder.tmp)
        readable = [p for found in ([self.chosen] if self.chosen else self.toolchains) for p in found.readable]
        return self.settings.place(self.folder.user, (*own, *more), readable, network=network)

    def environment(self, step: Step) -> dict[str, str]:
        """Only what is meant for the steps: nothing of the agent's own, least of all its token."""
        settled = {
            "PATH": os.environ.get("PATH", PATH),
            "HOME": str(self.folder.home),
            "TMPDIR": str(self.folder.tmp),
            "LANG": "C.UTF-8",
            "RAMPA_TITLE": self.work.title,
            "RAMPA_RUN": str(self.work.run),
            "RAMPA_PROFILE": self.work.profile,
            "RAMPA_PLATFORM": self.profile.platform.name,
            "RAMPA_PURPOSE": self.profile.settings.purpose,
            "RAMPA_VERSION": self.version,
            "RAMPA_COMMIT": self.work.commit,
            "RAMPA_SOURCE": str(self.folder.source),
            "RAMPA_OUT": str(self.folder.out),
        }
        # A title's own variables come first, so that none of them can stand for a path or the name of the run.
        said = dict(v.split("=", 1) for v in step.variables)
        secrets = {name: value for name, value in self.work.secrets.items() if name in step.secrets}
        return {**self.work.variables, **secrets, **said, **settled}
