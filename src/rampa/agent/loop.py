"""The agent itself: registers, asks for work, has each run worked on in a thread of its own, ends in good order."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from rampa.agent.attempt import work_on
from rampa.agent.settings import SLOTS, AgentSettings, abilities
from rampa.agent.work_folder import end_leftovers
from rampa.client import Client
from rampa.core.errors import Conflict, Denied, NotFound, RampaError, Unavailable
from rampa.core.quantity import counted
from rampa.core.run.abilities import Isolation
from rampa.schema.agents import AbilitiesWire, AskIn, RegisterIn, Work, WorkOut

WAIT = 8.0
"""Seconds that one question waits for an answer; less than the service's patience with a silent agent."""
LOOK_AGAIN = 5.0
"""Seconds after which toolchains and disk are looked at again: a licence may have been accepted meanwhile."""
GOODBYE = 15.0


class _Leaving(Exception):
    """Ends a question that waits for an answer."""


class AgentLoop:
    """`say` takes lines for whoever started it; `instance` names this start, 32 hexadecimal digits.

    `make_client` gives a connection: True for one that soon notices when the network is gone, for reporting; False for one
    that waits while the service checks a large build.
    """

    def __init__(
        self, make_client: Callable[[bool], Client], settings: AgentSettings, instance: str, say: Callable[[str], None]
    ) -> None:
        self._make_client, self._settings, self._instance, self._say = make_client, settings, instance, say
        self._stop = threading.Event()
        self._asking = False
        self._held: dict[str, tuple[threading.Thread, int]] = {}
        self._lock = threading.Lock()
        self._looked = 0.0
        self._abilities: AbilitiesWire | None = None

    def stop(self) -> None:
        """Ends after what it has was given back. For a signal's handler in the thread that runs: a waiting question ends at
        once."""
        self._stop.set()
        if self._asking:
            raise _Leaving

    def run(self) -> None:
        """Until `stop`. Raises `Conflict` when another process runs under the same name, `Denied` when the agent was removed."""
        left = end_leftovers(self._settings)
        if left:
            self._say(f"Ended {left} programs that an earlier start had left behind.")
        with self._make_client(True) as client:
            self._register(client)
            while not self._stop.is_set():
                self._ask(client)
        with self._make_client(True) as client:
            self._leave(client)

    def _can(self) -> AbilitiesWire:
        now = time.monotonic()
        if self._abilities is None or now - self._looked > LOOK_AGAIN:
            self._abilities, self._looked = abilities(self._settings, self._settings.find()), now
        return self._abilities

    def _register(self, client: Client) -> None:
        can = self._can()
        asked = RegisterIn(instance=self._instance, abilities=can, at_once=self._settings.at_once)
        client.agents.register(self._settings.name, asked)
        if can.isolation != Isolation.SANDBOX:
            said = self._settings.why_bare or "it was started without"
            self._say(f"No sandbox for the programs of a run ({said}): it gets runs only of titles that allow that.")
        chains = ", ".join(f"{t.name} {t.version}" for t in can.toolchains) or "no toolchain"
        where = ", ".join(can.platforms) or "every platform"
        self._say(f"Agent {self._settings.name} is there: {chains}; for {where}; {self._settings.at_once} at once.")

    def _ask(self, client: Client) -> None:
        with self._lock:
            holds = list(self._held)
        asked = AskIn(instance=self._instance, abilities=self._can(), holds=holds, wait=WAIT)
        try:
            answer = self._wait_for_work(client, asked)
        except _Leaving:
            return  # work that came in that moment goes back with the goodbye
        except Unavailable as error:
            self._say(f"{error.message}; trying again.")
            self._stop.wait(2)
            return
        # A name that two processes hold would get each run twice: this one must end, and a person must look. One that was
        # removed is nobody any more.
        except (Conflict, Denied, NotFound):
            raise
        except RampaError as error:
            self._say(error.sentence())
            self._stop.wait(5)
            return
        if answer.work is not None:
            self._begin(answer.work)
        elif answer.stop or answer.lost:
            self._stop.wait(0.3)  # its own signs of life tell the run; it ends in a moment

    def _wait_for_work(self, client: Client, asked: AskIn) -> WorkOut:
        self._asking = not self._stop.is_set()
        try:
            return client.agents.ask_for_work(self._settings.name, asked)
        finally:
            self._asking = False

    def _begin(self, work: Work) -> None:
        with self._lock:
            # The lowest free number: the run's user goes by it, and two runs side by side must not share one.
            slot = next(n for n in range(SLOTS) if n not in {s for _, s in self._held.values()})
            thread = threading.Thread(target=self._work, args=(work, slot), name=f"run-{work.run}")
            self._held[work.lease] = (thread, slot)
        thread.start()

    def _work(self, work: Work, slot: int) -> None:
        again = f", attempt {work.attempt}" if work.attempt > 1 else ""
        self._say(f"{work.title} run {work.run}, {work.profile}{again}: begins.")
        started = time.monotonic()
        try:
            # A connection of its own for signs of life: those must get through while the other is busy with a large
            # upload.
            with self._make_client(False) as client, self._make_client(True) as reporting:
                result = work_on(client, reporting, self._settings, work, slot)
        except Exception as error:  # one run's defect must not end the others
            result = f"failed by a defect ({type(error).__name__}: {error})"
        finally:
            with self._lock:
                self._held.pop(work.lease, None)
        self._say(f"{work.title} run {work.run}, {work.profile}: {result} after {time.monotonic() - started:.0f} s.")

    def _leave(self, client: Client) -> None:
        """What it has goes back to the service, which gives it to another agent."""
        with self._lock:
            threads = [t for t, _ in self._held.values()]
        try:
            client.agents.say_goodbye(self._settings.name, self._instance)
        except RampaError as error:
            self._say(error.sentence())
        for thread in threads:
            thread.join(GOODBYE)
        self._say("Gone." if not threads else f"Gone; given back: {counted(len(threads), 'run')}.")
