"""An installation: one build of a title is installed, swapped for another as a whole, verified, repaired.

Order of an update: verify the statement, verify the manifests, fill making (every chunk and file checked), sync, rename
making into builds, swap the link, remove the old build. Until the swap the old build starts; after it the new one does.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from pathlib import Path

from rampa.core import parallel
from rampa.core.ambient import Clock
from rampa.core.content.depots.choice import EVERYTHING, Choice
from rampa.core.content.patch.locations import NO_PLACES, Locations
from rampa.core.content.tree.regions import LocalContent, local_content
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged, NotFound, Refused
from rampa.core.files import disk_error, must_fit, sync
from rampa.core.install.delivery import Delivery
from rampa.core.install.fill import Filling
from rampa.core.install.folder import Installed, InstallFolder, write_release
from rampa.core.install.integrity import good_chunks, intact, link_holds, still_to_write
from rampa.core.install.located import Manifests, read_located, size_of
from rampa.core.install.plan import plan_update
from rampa.core.install.player_files import carry_over
from rampa.core.install.progress import FillReport, Progress
from rampa.core.install.release_manifests import fetch_manifests, key_of, lines_for, manifest_file, tree_of
from rampa.core.signing import statement as statement_format
from rampa.core.signing.statement import DepotLine, Statement

Listener = Callable[[Progress], None]
NOWHERE = Locations(NO_PLACES)


class Installation:
    """`public_key` is the title's manifest key (raw Ed25519, 32 bytes), pinned when the device was registered.

    `keep_previous`: the build before stays on the disk, so that it can be rolled back to without a network; files that both
    builds share are there once.
    """

    def __init__(
        self,
        root: Path,
        title: str,
        public_key: bytes,
        clock: Clock,
        *,
        keep_previous: bool = False,
        threads: int = parallel.WORKERS,
    ) -> None:
        """`threads`: each holds a request's bytes and a piece of what it unpacks to; a small device takes one."""
        self.root = root
        self._folder = InstallFolder(root, keep_previous)
        self._threads = threads
        self._title = title
        self._public_key = public_key
        self._clock = clock
        self.room: int | None = None
        """Bytes that are free on a simulated disk."""

    def current(self) -> Installed | None:
        """What is installed, verified against the pinned key. Raises `Damaged` when its release manifests are."""
        return self._folder.installed("current", self._verify)

    def previous(self) -> Installed | None:
        """The build that `roll_back` goes to, if one is kept whole."""
        try:
            return self._folder.installed("previous", self._verify)
        except Damaged:
            return None

    def tree_folder(self, installed: Installed) -> Path:
        return self._folder.tree(installed.key)

    def update(
        self,
        envelope: bytes,
        delivery: Delivery,
        on: Listener = lambda _: None,
        choice: Choice = EVERYTHING,
        *,
        back: bool = False,
    ) -> FillReport:
        """Installs what `choice` takes of a signed statement's build, from whatever is there.

        `back`: a lower version code is taken; only a signed offer that rolls back may say so. Safe to run again after any
        interruption.
        """
        started = self._clock.seconds()
        statement = self._verify(envelope)
        now = self._current_or_nothing()
        lines = lines_for(statement, choice)
        key = key_of(statement, envelope, lines)
        # The same content signed again (another channel, another statement) is another key: what is installed always
        # has its own manifests.
        if now is not None and now.key == key:
            self._folder.clean(key)
            return FillReport(files=len(now.tree.files), seconds=self._clock.seconds() - started)
        # Whoever holds an old statement could otherwise bring a device back to a build with known holes.
        if now is not None and not back and statement.version_code < now.statement.version_code:
            raise Refused(
                "statement.older",
                f"version code {statement.version_code} is older than the installed {now.statement.version_code}",
                hint="Nothing was replaced. Devices take only rising version codes.",
            )
        kept = self.previous()
        try:
            if kept is not None and kept.key == key and not self._bad(kept, on):
                return self._go_to_kept(kept, now, started)
            # What was kept can be the same content under another code: then nothing but its statement travels.
            again = kept is not None and {d.manifest for d in lines} <= {d.manifest for d in kept.depots}
            start = kept if again else now
            held = {} if start is None else {d.manifest: self._folder.release(start.key) for d in start.depots}
            old = {d.depot: self._encoded(start, d) for d in start.depots} if start else {}
            encoded, fetched = fetch_manifests(lines, delivery, held, old)
            tree = tree_of(statement, encoded)
            report = self._fill(key, lines, envelope, encoded, tree, (now, start), delivery, on)
            self._folder.swap(key)
        except OSError as error:
            raise disk_error(error, self.root) from error
        report.metadata += fetched + len(envelope)
        report.depots = [d.depot for d in lines]
        report.seconds = self._clock.seconds() - started
        return report

    def verify(self, on: Listener = lambda _: None) -> list[str]:
        """Paths of files that are missing or not what the signed manifest says."""
        return self._bad(self._must_be_installed(), on)

    def _bad(self, now: Installed, on: Listener) -> list[str]:
        tree_at = self.tree_folder(now)
        total, done, bad = now.tree.size, 0, []
        on(Progress("verify", 0, total))
        with parallel.pool(self._threads) as threads:
            checked = parallel.in_order(threads, lambda f: (f, intact(tree_at / f.path, f)), now.tree.files, ahead=64)
            for file, sound in checked:
                done += file.size
                on(Progress("verify", done, total))
                if not sound:
                    bad.append(file.path)
        bad += [k.path for k in now.tree.links if not link_holds(tree_at / k.path, k.target)]
        return bad

    def repair(self, delivery: Delivery, on: Listener = lambda _: None) -> FillReport:
        """Makes damaged files again from their good chunks and downloads of the bad ones; the rest is not touched."""
        started = self._clock.seconds()
        now = self._must_be_installed()
        bad = set(self.verify(on))
        files = (f for f in now.tree.files if f.path in bad)
        links = tuple(k for k in now.tree.links if k.path in bad)
        report = FillReport()
        if bad:
            try:
                report = self._replace(now, Tree(files, links), delivery, on)
            except OSError as error:
                raise disk_error(error, self.root) from error
        report.repaired = sorted(bad)
        report.seconds = self._clock.seconds() - started
        return report

    def _replace(self, now: Installed, damaged: Tree, delivery: Delivery, on: Listener) -> FillReport:
        tree_at = self.tree_folder(now)
        # A chunk that is asked for must be one that the disk proves: the list of what the old tree should hold is not
        # enough here.
        have = good_chunks(tree_at, now.tree)
        beside = self._folder.making(f"repair-{now.key}")
        shutil.rmtree(beside, ignore_errors=True)
        located = delivery.locations([d.depot for d in now.depots])
        filling = Filling(beside, tree_at, delivery, self._clock, on, self._threads)
        report = filling.run(damaged, have, read_located(located, self._manifests(now), None))
        sync(beside)
        for path in [*damaged.files.paths] + [k.path for k in damaged.links]:
            target = tree_at / path
            target.parent.mkdir(parents=True, exist_ok=True)
            # Something else can lie at the path since: rename(2) replaces a file, never a folder.
            if target.is_dir() and not target.is_symlink():
                shutil.rmtree(target)
            os.replace(beside / path, target)
        shutil.rmtree(beside, ignore_errors=True)
        report.metadata += size_of(located)
        return report

    def _fill(
        self,
        key: str,
        lines: tuple[DepotLine, ...],
        envelope: bytes,
        encoded: dict[str, bytes],
        tree: Tree,
        before: tuple[Installed | None, Installed | None],
        delivery: Delivery,
        on: Listener,
    ) -> FillReport:
        """`before`: what is installed, and what the content is made of; the same but where a kept build has more of it."""
        now, start = before
        making = self._folder.making(key)
        self._folder.drop_other_making(key)
        names = [d.depot for d in lines]
        have = local_content(start.tree) if start else LocalContent()
        have_root = self.tree_folder(start) if start else None
        filling = Filling(making / "tree", have_root, delivery, self._clock, on, self._threads)
        new = Manifests(encoded, tree)
        # A kept build that is taken up again holds all there is: where it was touched, the whole list is asked for.
        locations, asked = self._locate(delivery, names, now, new) if start is now else (NOWHERE, 0)
        filling.report.metadata += asked

        # Asked only where differences failed: the whole list is many times as large as that of an update.
        def whole() -> Locations:
            every = delivery.locations(names)
            filling.report.metadata += size_of(every)
            return read_located(every, new, None)

        # Before the first byte travels, and less what an interrupted run has written: going on must not need the room
        # twice.
        if asked:
            must_fit(self.root, still_to_write(plan_update(tree, have, locations), making / "tree"), self.room)
        report = filling.run(tree, have, locations, whole)
        if now is not None:
            aside = self._folder.aside(now.statement.build)
            carried = carry_over(now.tree, self.tree_folder(now), tree, making / "tree", aside)
            report.kept, report.aside = carried
        write_release(making / "release", envelope, lines, encoded)
        # Content first, then its name: after a power cut the link must not name a build whose files are not on the
        # disk.
        sync(making)
        return report

    def _locate(
        self, delivery: Delivery, names: list[str], now: Installed | None, new: Manifests
    ) -> tuple[Locations, int]:
        """Where what is new lies, and the bytes in which that was told."""
        base, depots = (now.statement.build, [d.depot for d in now.depots]) if now else (0, [])
        located = delivery.locations(names, base, depots)
        if not located:
            return NOWHERE, 0
        return read_located(located, new, self._manifests(now) if now else None), size_of(located)

    def roll_back(self) -> Installed:
        """Starts the kept build again from now on; what was installed is removed. Needs no network.

        Raises `NotFound` when none is kept, `Damaged` when it is not whole any more.
        """
        now, before = self._must_be_installed(), self.previous()
        if before is None:
            raise NotFound(
                "install.no-previous",
                "no build is kept to roll back to",
                where=str(self.root),
                hint="Builds are kept from the next update on when the installation keeps the previous one.",
            )
        bad = self._bad(before, lambda _: None)
        if bad:
            hint = "Nothing was changed. Update to a build that the channel has."
            raise Damaged("install.damaged", "the kept build is not whole any more", where=bad[0], hint=hint)
        try:
            self._take_up(before, now)
        except OSError as error:
            raise disk_error(error, self.root) from error
        return before

    def _take_up(self, kept: Installed, now: Installed | None) -> tuple[list[str], list[str]]:
        """The kept build is what starts from now on; the player files that stayed, and those that were set aside."""
        carried: tuple[list[str], list[str]] = ([], [])
        if now is not None:
            aside = self._folder.aside(now.statement.build)
            carried = carry_over(now.tree, self.tree_folder(now), kept.tree, self.tree_folder(kept), aside)
        self._folder.take_up(kept.key)
        return carried

    def _go_to_kept(self, kept: Installed, now: Installed | None, started: float) -> FillReport:
        """An update to the build that was kept: nothing travels."""
        stayed, aside = self._take_up(kept, now)
        seconds = self._clock.seconds() - started
        return FillReport(files=len(kept.tree.files), reused=kept.tree.size, seconds=seconds, kept=stayed, aside=aside)

    def uninstall(self) -> int:
        """Removes what is installed; returns the bytes of its files. What the player changed goes to ROOT/aside first."""
        now = self._must_be_installed()
        try:
            aside = self._folder.aside(now.statement.build)
            carry_over(now.tree, self.tree_folder(now), Tree(), self.root, aside)
            self._folder.remove()
        except OSError as error:
            raise disk_error(error, self.root) from error
        return now.tree.size

    def _current_or_nothing(self) -> Installed | None:
        """An installation whose release manifests are damaged is installed again, not mourned."""
        try:
            return self.current()
        except Damaged:
            return None

    def _must_be_installed(self) -> Installed:
        now = self.current()
        if now is None:
            raise NotFound("install.none", "nothing is installed here yet", where=str(self.root))
        return now

    def _manifests(self, now: Installed) -> Manifests:
        return Manifests({d.depot: self._encoded(now, d) for d in now.depots}, now.tree)

    def _encoded(self, now: Installed, line: DepotLine) -> bytes:
        return manifest_file(self._folder.release(now.key), line).read_bytes()

    def _verify(self, envelope: bytes) -> Statement:
        statement = statement_format.verify(envelope, self._public_key)
        if statement.title != self._title:
            raise Damaged(
                "statement.title",
                f"the statement is of another title: {statement.title}",
                hint="Nothing was replaced.",
            )
        return statement
