"""A title with a line of commits, and agents that say of each what is measured: for tests of finding the commit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from rampa.client import Client
from rampa.core.run.bisect import BisectState, By, Measured
from rampa.operations.runs import bisect_trials
from rampa.operations.sources import repository
from rampa.schema.bisects import Bisect, NewBisect
from rampa.schema.sources import SourceIn
from tests.agents import FakeAgent
from tests.conftest import Begun, World
from tests.gits import peatlight
from tests.samples import DOCUMENT, add_key

TITLE, PROFILE = "peatlight", "linux-release"
COUNT = 12
PHONE = """[profiles.phone]
platform = "android"
purpose = "testing"
code.architectures = ["arm64"]
display.orientation = "landscape"
display.touch_controls = true
launch.entry = "classes.dex"

"""


@dataclass
class Bench:
    """A title with twelve commits behind its first, and agents that answer for each by its place."""

    world: World
    client: Client
    commits: list[str]
    agents: list[FakeAgent]
    tried: list[int] = field(default_factory=list)

    def start(self, by: By = By.SELF_TEST, subject: str = "", **more: object) -> Bisect:
        ends = {"good": self.commits[0], "bad": self.commits[-1], "profile": PROFILE}
        asked = NewBisect.model_validate({**ends, "by": by, "subject": subject, **more})
        return self.client.bisects.start(TITLE, asked)

    def go(self, number: int, answer: Callable[[int], Measured | str]) -> Bisect:
        """Until it ends. `answer`: what is measured of the commit at a place, or the code of a failure."""
        for _ in range(40):
            bisect_trials.go_on(self.world.services)
            found = self.client.bisects.get(TITLE, number)
            if found.state != BisectState.WORKING:
                return found
            for agent in self.agents:
                work = agent.ask().work
                if work is None:
                    continue
                agent.holds.append(work.lease)
                assert work.trial
                assert work.steps[-1].name == "bundle", "nothing is signed or sent"
                place = self.commits.index(work.commit)
                self.tried.append(place)
                said = answer(place)
                if isinstance(said, str):
                    agent.end(work, "failed", code=said, step="export")
                elif said.self_test == "failed":
                    agent.end(work, "failed", code="bundle.self-test", measured=said)
                else:
                    agent.end(work, measured=said)
        raise AssertionError(f"it does not end: {found}")


def made_bench(world: World, client: Client, begun: Begun, root: Path) -> Bench:
    def fill() -> None:
        document = DOCUMENT.replace("[depots.base]", PHONE + "[depots.base]", 1)
        add_key(client)
        client.titles.add(document)
        repo = peatlight(root, document)
        for number in range(COUNT):
            repo.commit(f"Commit {number + 1}", {"data/night.txt": f"{number}\n"})
        repo.git("checkout", "-q", "-b", "aside", "main~6")
        repo.commit("Aside", {"data/aside.txt": "1\n"})
        repo.git("checkout", "-q", "main")
        client.sources.connect(TITLE, SourceIn(address=str(root), every=0))
        assert repository.fetch(world.services, TITLE)

    begun(fill)
    commits = [c.commit for c in client.sources.commits(TITLE, of="main")][::-1]
    return Bench(world, client, commits, [FakeAgent(client, world.services, "kiln-1")])


def from_(first: int, crash: str = "") -> Callable[[int], Measured]:
    return lambda place: Measured("failed" if place >= first else "passed", crash if place >= first else "")
