"""A player's simulated device at a storefront: it finds titles there, fetches their bundles, proves and installs them.

It speaks to the storefront as any player's device would, over HTTP; nobody tells it anything else.

FOLDER/titles/IDENTIFIER    what is installed of a title (rampa.core.install.from_bundle)
"""

from __future__ import annotations

import re
import threading
from dataclasses import dataclass, replace
from pathlib import Path

from rampa.core.ambient import Clock
from rampa.core.devices.player import TRANSITIONS, PlayerEvent, PlayerState
from rampa.core.errors import Conflict, Damaged, Invalid, NotFound, RampaError, Refused
from rampa.core.files import disk_error
from rampa.core.install.from_bundle import BundleInstallation, InstalledBundle, Promised
from rampa.core.transitions import advance
from rampa.standin.storefront_asked import Connect, FetchStopped, StorefrontAsked

IDENTIFIER = re.compile(r"[A-Za-z0-9]([A-Za-z0-9._-]*[A-Za-z0-9])?")
LONGEST = 200


@dataclass(frozen=True, slots=True)
class PlayerTitle:
    """One title on the device. `done` and `total` in bytes, `rate` in bytes a second, while something is under way."""

    identifier: str
    state: PlayerState = PlayerState.READY
    installed: InstalledBundle | None = None
    offered: Promised | None = None
    done: int = 0
    total: int = 0
    rate: float = 0.0
    trouble: str = ""

    @property
    def update(self) -> bool:
        """What is offered is newer than what is there. A storefront that went back offers an older one: what is there stays."""
        return self.offered is not None and (
            self.installed is None or self.offered.version_code > self.installed.promised.version_code
        )

    @property
    def busy(self) -> bool:
        return self.state in (PlayerState.FETCHING, PlayerState.INSTALLING)

    @property
    def seconds_left(self) -> float | None:
        return (self.total - self.done) / self.rate if self.rate else None


class PlayerDevice:
    """Calls may come from any thread; `install` takes as long as it takes."""

    def __init__(self, folder: Path, number: str, platform: str, connect: Connect, clock: Clock) -> None:
        self.folder, self.number, self.platform = folder, number, platform
        self._shop = StorefrontAsked(connect, number, platform, clock)
        self._lock = threading.Lock()
        self._titles = {t: self._found(t) for t in self._identifiers()}
        self._stops: set[str] = set()

    def _identifiers(self) -> list[str]:
        at = self.folder / "titles"
        return sorted(p.name for p in at.iterdir()) if at.is_dir() else []

    def _at(self, identifier: str) -> BundleInstallation:
        return BundleInstallation(self.folder / "titles" / identifier)

    def _found(self, identifier: str) -> PlayerTitle:
        """After a start: what is there, and what had begun to arrive."""
        at = self._at(identifier)
        try:
            there, trouble = at.current(), ""
        except Damaged as error:
            there, trouble = None, error.sentence()
        state = PlayerState.STOPPED if at.has_begun() else PlayerState.READY
        return PlayerTitle(identifier, state, there, trouble=trouble)

    def titles(self) -> list[PlayerTitle]:
        with self._lock:
            return [t for t in self._titles.values() if t.installed or t.state is not PlayerState.READY or t.trouble]

    def title(self, identifier: str) -> PlayerTitle:
        """Raises `Invalid` for what is no identifier: it names a folder."""
        if not IDENTIFIER.fullmatch(identifier) or len(identifier) > LONGEST:
            raise Invalid("player.identifier", "this is no title's identifier", where="title")
        return self._titles.get(identifier, PlayerTitle(identifier))

    def look(self, identifier: str) -> PlayerTitle:
        """Asks the storefront what it offers this device. Raises `Unavailable` where it does not answer."""
        self.title(identifier)
        try:
            offered: Promised | None = self._shop.offer(identifier)
        except NotFound:
            offered = None
        with self._lock:
            now = replace(self.title(identifier), offered=offered)
            if offered is not None or identifier in self._titles:
                self._titles[identifier] = now
            return now

    def begin(self, identifier: str) -> PlayerTitle:
        """What `install` does next. Raises `Conflict` while it is under way."""
        with self._lock:
            now = self.title(identifier)
            state = advance(TRANSITIONS, now.state, PlayerEvent.FETCH, identifier)
            self._stops.discard(identifier)
            self._titles[identifier] = replace(now, state=state, trouble="", done=0, total=0, rate=0.0)
            return self._titles[identifier]

    def stop(self, identifier: str) -> None:
        """Raises `Conflict` where nothing arrives."""
        with self._lock:
            if self.title(identifier).state is not PlayerState.FETCHING:
                raise Conflict("player.still", "nothing arrives that could be stopped", where=identifier)
            self._stops.add(identifier)

    def stop_all(self) -> None:
        with self._lock:
            self._stops |= set(self._titles)

    def install(self, identifier: str) -> PlayerTitle:
        """Fetches what is offered, from where the last try ended, and installs it; after `begin`. What goes wrong stands in
        `trouble`, and what was installed before stays."""
        try:
            made = self._install(identifier)
            self._move(identifier, PlayerEvent.FINISH)
            return self._change(identifier, installed=made)
        except FetchStopped:
            trouble = ""
        except RampaError as error:
            trouble = error.sentence()
        except OSError as error:
            trouble = disk_error(error, self.folder).sentence()
        self._move(identifier, PlayerEvent.STOP)
        return self._change(identifier, trouble=trouble)

    def _install(self, identifier: str) -> InstalledBundle:
        promised, at = self._shop.offer(identifier), self._at(identifier)
        bundle = at.arriving(promised)
        self._change(identifier, offered=promised, total=promised.size)
        self._shop.fetch(
            promised,
            bundle,
            lambda done, rate: self._change(identifier, done=done, rate=rate),
            lambda: identifier in self._stops,
        )
        self._move(identifier, PlayerEvent.ARRIVE)
        self._change(identifier, done=0, rate=0.0)
        try:
            made = at.install(promised, bundle, lambda size: self._count(identifier, size))
        except (Damaged, Refused):
            # It will be no better: what was fetched goes, so that the next try begins anew.
            bundle.unlink(missing_ok=True)
            raise
        bundle.unlink(missing_ok=True)
        return made

    def remove(self, identifier: str) -> None:
        """Raises `Conflict` while something of it is under way."""
        with self._lock:
            if self.title(identifier).busy:
                raise Conflict("player.busy", "it is being installed", where=identifier, hint="Stop that first.")
            self._titles.pop(identifier, None)
            self._at(identifier).remove()

    def _count(self, identifier: str, size: int) -> None:
        self._change(identifier, done=self.title(identifier).done + size)

    def _move(self, identifier: str, event: PlayerEvent) -> None:
        with self._lock:
            now = self._titles[identifier]
            self._titles[identifier] = replace(now, state=advance(TRANSITIONS, now.state, event, identifier))

    def _change(self, identifier: str, **changed: object) -> PlayerTitle:
        with self._lock:
            self._titles[identifier] = replace(self.title(identifier), **changed)  # type: ignore[arg-type]
            return self._titles[identifier]
