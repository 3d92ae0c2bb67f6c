"""Making a build from a folder: select, reserve, read, upload, bundle, complete. Each step can be repeated."""

from __future__ import annotations

import base64
import hashlib
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from rampa.client.attempts import attempt
from rampa.client.client import Client
from rampa.client.uploading import Sent, upload
from rampa.core.bundle.zip_writer import Member, write_zip
from rampa.core.content import manifest as manifest_format
from rampa.core.content.depots import split
from rampa.core.content.disk import disk_error
from rampa.core.content.folder_index import FolderIndex
from rampa.core.content.manifest import Manifest
from rampa.core.content.pack import LEVEL
from rampa.core.content.parameters import DEFAULT
from rampa.core.content.reading import read_tree
from rampa.core.content.selecting import ContentRules, Pattern, Selection, select
from rampa.core.content.tree import Tree
from rampa.core.errors import Refused
from rampa.core.profile.document import read_document
from rampa.core.profile.resolved import ResolvedProfile, resolve
from rampa.schema import builds as wire


@dataclass(frozen=True)
class Step:
    """`phase` is read, upload, write, bundle or sign; bytes. `present` bytes were there already."""

    phase: str
    done: int
    total: int
    present: int = 0


@dataclass(frozen=True)
class Made:
    """The build, what stayed out, and what was sent for content and bundle."""

    build: wire.Build
    selection: Selection
    content: Sent
    bundle: Sent
    seconds: float
    resumed: bool
    kept: Path | None = None
    """The folder that the bundle was left in."""


Listener = Callable[[Step], None]


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
) -> Made:
    """`state` is a folder for attempts and folder indexes; `keep_bundle` one that the bundle is also copied to."""
    started = time.monotonic()
    described = client.title(title)
    document = read_document(client.revision(title, described.revision).document.encode())
    profile = resolve(document, profile_name)
    selection = select(folder, profile.rules)
    keep_bundle = keep_bundle or _output(folder, profile.output)
    asked = wire.NewBuild(profile=profile_name, revision=described.revision, notes=notes)
    if version_name:
        asked = asked.model_copy(update={"version_name": version_name})
        asked.model_fields_set.add("version_name")
    what = (client.connection.address, title, str(folder.resolve()), asked.model_dump_json())
    with attempt(state / "attempts", *what) as (key, remembered):
        build = client.open_build(title, asked, key)
        build = client.build(title, build.number)
        if build.state != "open":
            # The attempt ended elsewhere (abandoned, or completed just before a kill): this is a new one.
            key += "-next" if build.state == "ready" else "-again"
            build = client.open_build(title, asked, key)
        resumed = (time.time() - build.created_at.timestamp()) > 5
        run = _Run(client, title, build, profile, selection, state, on)
        done = run.all(keep_bundle, started)
        if remembered:
            remembered.unlink(missing_ok=True)
    return Made(done, selection, run.sent, run.bundle_sent, time.monotonic() - started, resumed, keep_bundle)


def _output(folder: Path, said: str) -> Path | None:
    """Where the document wants the bundle left: beside the source folder, never in it, wherever links lead."""
    if not said:
        return None
    out = (folder / Path(said).expanduser()).resolve()
    if out.is_relative_to(folder.resolve()):
        hint = "Name a folder that lies outside in output.folder, or say one with --bundle-to."
        raise Refused("output.inside", "the output folder lies in the source folder", where=str(out), hint=hint)
    return out


class _Run:
    """The steps after a build is open."""

    def __init__(
        self,
        client: Client,
        title: str,
        build: wire.Build,
        profile: ResolvedProfile,
        selection: Selection,
        state: Path,
        on: Listener,
    ) -> None:
        self._client = client
        self._title = title
        self._build = build
        self._profile = profile
        self._selection = selection
        self._state = state
        self._on = on
        self.sent = Sent()
        self.bundle_sent = Sent()

    def all(self, keep_bundle: Path | None, started: float) -> wire.Build:
        tree = self._read()
        sources = {f.path: self._selection.root / f.disk for f in self._selection.files}
        self.sent = self._upload("upload", tree, sources, self._profile.compression)
        trees, nowhere = split(tree, self._profile.depots)
        bundle = self._bundle(tree, sources, keep_bundle)
        self._on(Step("sign", 0, 1))
        complete = wire.CompleteBuild(
            manifests=[
                wire.ManifestIn(depot=name, data=_encode(Manifest(name, own, DEFAULT))) for name, own in trees.items()
            ],
            nowhere=nowhere,
            left_out=[
                wire.LeftOutIn(path=o.path[:1000], size=o.size, why=o.why, origin=o.origin)
                for o in self._selection.left_out
            ],
            bundle=bundle,
            figures=wire.Figures(
                uploaded=self.sent.uploaded + self.bundle_sent.uploaded,
                present=self.sent.present + self.bundle_sent.present,
                seconds=round(time.monotonic() - started, 3),
            ),
        )
        built = self._client.complete_build(self._title, self._build.number, complete)
        self._on(Step("sign", 1, 1))
        return built

    def _read(self) -> Tree:
        total, done = sum(f.size for f in self._selection.files), 0

        def progress(size: int) -> None:
            nonlocal done
            done += size
            self._on(Step("read", done, total))

        name = hashlib.sha256(str(self._selection.root.resolve()).encode()).hexdigest()[:32]
        index = FolderIndex(self._state / "folders" / f"{name}.index", DEFAULT, time.time_ns())
        tree = read_tree(self._selection, DEFAULT, index=index, progress=progress)
        index.save()
        return tree

    def _upload(self, phase: str, tree: Tree, sources: dict[str, Path], level: int = LEVEL) -> Sent:
        def on(done: int, total: int, present: int) -> None:
            self._on(Step(phase, done, total, present))

        return upload(self._client, self._title, self._build.number, tree, sources, on, level)

    def _bundle(self, tree: Tree, sources: dict[str, Path], keep: Path | None) -> wire.BundleIn:
        """Written to a file of its own, sent as chunks: what did not change since the last bundle does not travel."""
        name = f"{self._build.bundle_name}.zip"
        try:
            with tempfile.TemporaryDirectory(prefix="rampa-") as scratch:
                folder = keep or Path(scratch)
                folder.mkdir(parents=True, exist_ok=True)
                file = folder / name
                with file.open("wb") as out:
                    write_zip(out, self._members(tree, sources), progress=self._writing(tree.size))
                own = read_tree(select(folder, _only(name)))
                self.bundle_sent = self._upload("bundle", own, {name: file})
                return wire.BundleIn(
                    name=name,
                    size=file.stat().st_size,
                    sha256=_sha256(file),
                    chunks=[wire.ChunkIn(digest=c.digest.hex(), size=c.size) for c in own.files[0].chunks],
                )
        except OSError as error:
            raise disk_error(error, keep or Path(tempfile.gettempdir())) from error

    def _writing(self, total: int) -> Callable[[int], None]:
        done = 0

        def progress(size: int) -> None:
            nonlocal done
            done += size
            self._on(Step("write", done, total))

        return progress

    def _members(self, tree: Tree, sources: dict[str, Path]) -> list[Member]:
        top = self._build.bundle_name
        files = [Member(f"{top}/{f.path}", sources[f.path], f.size, f.executable) for f in tree.files]
        links = [Member(f"{top}/{k.path}", k.target, len(k.target)) for k in tree.links]
        return sorted([*files, *links], key=lambda m: m.name)


def _encode(manifest: Manifest) -> str:
    return base64.b64encode(manifest_format.encode(manifest)).decode()


def _only(name: str) -> ContentRules:
    escaped = "".join(f"\\{c}" if c in "*?[]!#\\ " else c for c in name)
    return ContentRules((Pattern(f"/{escaped}", "the bundle"),), ())


def _sha256(file: Path) -> str:
    with file.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()
