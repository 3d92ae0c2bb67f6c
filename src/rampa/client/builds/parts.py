"""The parts of making a build, each repeatable: reading, writing and sending the bundle, sending content, completing.

`rampa build create` does them in one go; an agent does them step by step.
"""

from __future__ import annotations

import base64
import hashlib
import tempfile
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from rampa.client.client import Client
from rampa.client.content.upload import BuildUpload, Sent, upload
from rampa.core.bundle.package_signature import PackageSigner, Signatures, sign_package
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.written import members_of, plan_of, write_bundle
from rampa.core.check.findings import Finding
from rampa.core.content.depots.depots import split
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.pack.compression import PackingRules
from rampa.core.content.scan.files import read_tree
from rampa.core.content.scan.folder_index import FolderIndex
from rampa.core.content.select.selection import Selection, only_file, select
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import RampaError
from rampa.core.files import disk_error, sha256_of
from rampa.core.install.player_files import mark_player_files
from rampa.core.profile.resolved import ResolvedProfile
from rampa.schema.builds import builds as wire

SYMBOLS, BUNDLE = "symbols", "bundle"
SMALL = 1024 * 1024
"""Bundles below so many bytes are sent at once: asking for them to be written takes as long."""


@dataclass(frozen=True)
class BuildProgress:
    """`phase` is read, upload, write, bundle or sign; bytes. `present` bytes were there already."""

    phase: str
    done: int
    total: int
    present: int = 0


Listener = Callable[[BuildProgress], None]


@dataclass
class BuildParts:
    """One open build, made of a selection. `state` is a folder for folder indexes; `lease` an agent's, of its run."""

    client: Client
    title: str
    build: wire.Build
    profile: ResolvedProfile
    selection: Selection
    state: Path
    on: Listener = lambda _: None
    lease: str = ""
    sent: Sent = field(default_factory=Sent)
    bundle_sent: Sent = field(default_factory=Sent)
    tree: Tree | None = None
    bare: str = ""
    """SHA-256 of the bundle as it was written, before any signature."""

    def read(self) -> Tree:
        """Every selected file, cut into chunks; what did not change since the last time is not read again."""
        total, done = self.selection.files.size, 0

        def progress(size: int) -> None:
            nonlocal done
            done += size
            self.on(BuildProgress("read", done, total))

        name = hashlib.sha256(str(self.selection.root.resolve()).encode()).hexdigest()[:32]
        index = FolderIndex(self.state / "folders" / f"{name}.index", DEFAULT, time.time_ns())
        read = read_tree(self.selection, DEFAULT, index=index, progress=progress)
        self.tree = mark_player_files(
            read, self.profile.settings.content.player_files, self.profile.settings.content.player_files_updates
        )
        return self.tree

    def send_content(self) -> None:
        """Once: a bundle can want it before its own step comes."""
        if self.sent.content:
            return
        rules = PackingRules(self.profile.settings.content.compression, self.profile.settings.content.packing)
        self.sent = self._upload("upload", self._tree(), self.selection.sources, rules)

    def bundle(self, keep: Path | None) -> wire.BundleIn:
        """Written to a file of its own, sent as chunks: what did not change since the last bundle does not travel."""
        try:
            with tempfile.TemporaryDirectory(prefix="rampa-") as scratch:
                folder = keep or Path(scratch)
                file = self.write_bundle(folder)
                if self.profile.settings.signing.identity and self.profile.signs_inside:
                    self.sign_inside(file)
                return self.send_bundle(file)
        except OSError as error:
            raise disk_error(error, keep or Path(tempfile.gettempdir())) from error

    def write_bundle(self, folder: Path) -> Path:
        """Unsigned; a package says of itself what was reserved for it."""
        folder.mkdir(parents=True, exist_ok=True)
        kind = self.profile.settings.output.kind
        file = folder / f"{self.build.bundle_name}.{kind}"
        plan = plan_of(self.profile, self.build.bundle_name, self.build.version_name, self.build.version_code)
        members = members_of(self._tree(), self.selection.sources)
        write_bundle(file, plan, members, progress=self._writing(self._tree().size))
        self.bare = sha256_of(file)
        return file

    def sign_inside(self, file: Path) -> wire.SignaturesOut:
        """Signs a package in place. The service is sent the package, works out what is to be signed, and keeps the key."""
        unsigned = wire.SignBundleIn(bundle=self.send_bundle(file), lease=self.lease)
        given = self.client.builds.sign_inside(self.title, self.build.number, unsigned)
        signatures = Signatures(*(base64.b64decode(part) for part in (given.jar, given.v2, given.v3)))
        signed = file.with_name(f"{file.name}.signed")
        with FileBytes(file) as source:
            sign_package(
                source,
                signed,
                signatures.part_of,
                PackageSigner(given.ec, tuple(given.contents)),
                self.profile.settings.signing.schemes or None,
                progress=self._writing(2 * source.size),
            )
        signed.replace(file)
        return given

    def send_bundle(self, file: Path) -> wire.BundleIn:
        """As chunks, where the service cannot write the very same bundle out of the content."""
        tree = read_tree(select(file.parent, only_file(file.name)))
        bundle = wire.BundleIn(
            name=file.name,
            size=file.stat().st_size,
            sha256=sha256_of(file),
            chunks=[wire.ChunkIn(digest=c.digest.hex(), size=c.size) for c in tree.files[0].chunks],
            bare=self.bare,
        )
        if self._written_there(bundle):
            self.bundle_sent = Sent(content=bundle.size, present=bundle.size)
        else:
            self.bundle_sent = self._upload("bundle", tree, {file.name: file})
        return bundle

    def _written_there(self, bundle: wire.BundleIn) -> bool:
        """Whether the service wrote it. Why it could not is nothing to stop for: the bundle travels then."""
        if bundle.size < SMALL:
            return False
        self.send_content()
        content = wire.ManifestIn(depot=BUNDLE, data=_encode(Manifest(BUNDLE, self._tree(), DEFAULT)))
        wanted = wire.WriteBundleIn(bundle=bundle, content=content, lease=self.lease)
        state = ""
        try:
            for far in self.client.builds.write_bundle(self.title, self.build.number, wanted):
                self.on(BuildProgress("bundle", far.done, far.total))
                state = far.state
        except RampaError:
            return False
        return state == "written"

    def sign(self, bundle: wire.BundleIn) -> wire.Build:
        return self.client.builds.sign_bundle(
            self.title, self.build.number, wire.SignBundleIn(bundle=bundle, lease=self.lease)
        )

    def send_symbols(self, selection: Selection) -> wire.ManifestIn:
        """Files that are kept with the build and never delivered."""
        tree = read_tree(selection)
        self._upload("upload", tree, selection.sources)
        return wire.ManifestIn(depot=SYMBOLS, data=_encode(Manifest(SYMBOLS, tree, DEFAULT)))

    def complete(
        self,
        bundle: wire.BundleIn,
        seconds: float,
        *,
        symbols: wire.ManifestIn | None = None,
        tools: dict[str, str] | None = None,
        findings: list[Finding] | None = None,
    ) -> wire.Build:
        self.on(BuildProgress("sign", 0, 1))
        trees, undelivered = split(self._tree(), self.profile.depots)
        asked = wire.CompleteBuild(
            manifests=[
                wire.ManifestIn(depot=name, data=_encode(Manifest(name, tree, DEFAULT))) for name, tree in trees.items()
            ],
            undelivered=undelivered,
            left_out=[
                wire.LeftOutIn(path=o.path[:1000], size=o.size, why=o.why, origin=o.origin)
                for o in self.selection.left_out
            ],
            bundle=bundle,
            figures=wire.Figures(
                uploaded=self.sent.uploaded + self.bundle_sent.uploaded,
                present=self.sent.present + self.bundle_sent.present,
                seconds=round(seconds, 3),
            ),
            symbols=symbols,
            tools=tools or {},
            findings=findings or [],
            lease=self.lease,
        )
        built = self.client.builds.complete(self.title, self.build.number, asked)
        self.on(BuildProgress("sign", 1, 1))
        return built

    def _tree(self) -> Tree:
        return self.tree if self.tree is not None else self.read()

    def _upload(self, phase: str, tree: Tree, sources: Mapping[str, Path], rules: PackingRules | None = None) -> Sent:
        def on(done: int, total: int, present: int) -> None:
            self.on(BuildProgress(phase, done, total, present))

        return upload(BuildUpload(self.client, self.title, self.build.number), tree, sources, on, rules)

    def _writing(self, total: int) -> Callable[[int], None]:
        done = 0

        def progress(size: int) -> None:
            nonlocal done
            # What a package adds of its own, and what signing reads unpacked, is more than was counted before.
            done = min(total, done + size)
            self.on(BuildProgress("write", done, total))

        return progress


def _encode(manifest: Manifest) -> str:
    return base64.b64encode(manifest_format.encode(manifest)).decode()
