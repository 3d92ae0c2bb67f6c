"""Reporting a run: its log in batches, its steps, signs of life. Knows when the run is to be stopped, or is lost.

Lines wait in a bounded buffer: while the service does not take them, the program that writes them waits, too, and memory
does not grow. A batch that was sent and not answered is sent again with its number.
"""

from __future__ import annotations

import codecs
import re
import threading
import time
from collections import deque
from collections.abc import Callable
from functools import partial
from typing import Literal, TypeVar

from rampa.client import Client
from rampa.core.errors import Conflict, Denied, RampaError, Unavailable
from rampa.core.run.life import StepState
from rampa.core.run.log_lines import clean, level_of
from rampa.core.run.mask import Masker
from rampa.schema.agents import EndIn, Level, LogIn, LogLine, StepIn, Work

LINES = 60_000
"""Lines that wait to be sent."""
BATCH = 5000
OFTEN = 0.1
BEAT = 2.0
TAIL = 60
PROGRESS = re.compile(r"(?<![\d.])(\d{1,3})(?:\.\d+)?\s?%")
Row = LogLine
State = Literal["working", "done", "failed", "left-out", "stopped"]
T = TypeVar("T")


class Reporter:
    """One attempt's report. `stop` is set when the run was cancelled, `lost` when another agent has it or it is over."""

    def __init__(self, client: Client, agent: str, work: Work) -> None:
        self._client, self._agent, self._work = client, agent, work
        self._masker = Masker(work.secrets.values())
        self._decoder = codecs.getincrementaldecoder("utf-8")("replace")
        self._rest = ""
        self._began = time.monotonic()
        self._waiting: deque[Row] = deque()
        self._room = threading.Condition()
        self._batch = 0
        self._over = threading.Event()
        self.stop = threading.Event()
        self.lost = threading.Event()
        self.halt = threading.Event()
        """Set with either: what runs must end."""
        self.position = -1
        self.progress: float | None = None
        self.tail: deque[str] = deque(maxlen=TAIL)
        self.first_error = ""
        """Of the step that runs."""
        self._threads = [threading.Thread(target=t, daemon=True) for t in (self._send_all, self._beat_all)]
        for thread in self._threads:
            thread.start()

    # Lines

    def output(self, data: bytes) -> None:
        """What a program wrote, cut anywhere."""
        # A character can be cut between two pieces, and so can a secret: both decoder and masker hold back what could
        # go on.
        self._take(self._masker.feed(self._decoder.decode(data)))

    def end_output(self) -> None:
        """The program ended: what was held back is no secret."""
        self._take(self._masker.feed(self._decoder.decode(b"", final=True)) + self._masker.flush())
        if self._rest:
            self._add(self._rest)
            self._rest = ""
        self._decoder.reset()

    def _take(self, text: str) -> None:
        *lines, self._rest = (self._rest + text).split("\n")
        for line in lines:
            self._add(line)
        # A progress line is written over and over without an end; only its last form counts.
        if "\r" in self._rest:
            self._see_progress(clean(self._rest))
            self._rest = self._rest[self._rest.rindex("\r") :]
        # A program that never ends its line must not fill the memory.
        if len(self._rest) > 64_000:
            self._add(self._rest)
            self._rest = ""

    def _add(self, line: str) -> None:
        text = clean(line)
        self._see_progress(text)
        level = level_of(text)
        if level == "error" and not self.first_error:
            self.first_error = text.strip()
        self._put(level, text)

    def _see_progress(self, text: str) -> None:
        found = PROGRESS.findall(text)
        if found and int(found[-1]) <= 100:
            self.progress = int(found[-1]) / 100

    def say(self, text: str, level: Level = "") -> None:
        """A line of the agent's own."""
        for line in text.split("\n"):
            self._put(level, self._masker.once(clean(line)))

    def _put(self, level: Level, text: str) -> None:
        self.tail.append(text)
        row: Row = (int((time.monotonic() - self._began) * 1000), self.position, level, text)
        with self._room:
            # While the service does not take lines, the program waits here: its pipe fills, and it stops writing.
            while len(self._waiting) >= LINES and not self.halt.is_set():
                self._room.wait(1)
            self._waiting.append(row)

    # Steps, signs of life, the end

    def step(self, position: int, state: State, tries: int = 1, said: str = "") -> None:
        if state == StepState.WORKING.value:
            self.position, self.progress, self.first_error = position, None, ""
        self.flush()
        sent = StepIn(position=position, state=state, tries=tries, said=self._masker.once(said)[:500])
        answer = self._call(partial(self._client.agents.report_step, self._agent, self._work.lease, sent))
        if answer is not None and answer.stop:
            self._stop(self.stop)

    def flush(self, seconds: float = 120) -> None:
        """Waits until everything that was said has arrived."""
        end = time.monotonic() + seconds
        with self._room:
            while self._waiting and not self.lost.is_set() and time.monotonic() < end:
                self._room.wait(0.5)

    def end(self, end: EndIn) -> None:
        """The last word; nothing is sent after it."""
        self.end_output()
        self.flush()
        self._over.set()
        for thread in self._threads:
            thread.join(30)
        if not self.lost.is_set():
            masked = end.model_copy(update={"detail": self._masker.once(end.detail)[:800]})
            self._call(partial(self._client.agents.end_run, self._agent, self._work.lease, masked))

    def give_up(self) -> None:
        """The run is somebody else's: nothing more is said of it."""
        self._over.set()

    def _stop(self, which: threading.Event) -> None:
        which.set()
        self.halt.set()
        with self._room:
            self._room.notify_all()

    def _call(self, call: Callable[[], T]) -> T | None:
        """Goes on asking while the service does not answer. None when the run is lost."""
        wait = 0.5
        while not self.lost.is_set():
            try:
                return call()
            except Unavailable:
                time.sleep(wait)
                wait = min(wait * 1.5, 5)
            except (Conflict, Denied):
                self._stop(self.lost)
        return None

    def _send_all(self) -> None:
        while not (self._over.is_set() and not self._waiting) and not self.lost.is_set():
            with self._room:
                rows = [self._waiting[n] for n in range(min(BATCH, len(self._waiting)))]
            if not rows:
                self._over.wait(OFTEN)
                continue
            # Taken out only after the answer: a batch that got lost on the way is sent again, and the service knows it
            # by its number.
            batch = LogIn.model_construct(batch=self._batch + 1, lines=rows)
            if self._call(partial(self._client.agents.send_log, self._agent, self._work.lease, batch)) is not None:
                self._batch += 1
                with self._room:
                    for _ in rows:
                        self._waiting.popleft()
                    self._room.notify_all()
            if len(rows) < BATCH:
                self._over.wait(OFTEN)

    def _beat_all(self) -> None:
        while not self._over.wait(BEAT) and not self.lost.is_set():
            try:
                answer = self._client.agents.beat(self._agent, self._work.lease, self.progress)
            except Unavailable:
                continue
            except RampaError:
                self._stop(self.lost)
                return
            if answer.stop:
                self._stop(self.stop)
