"""A title that can be submitted to a simulated storefront on loopback, and the service's jobs in a test's hand."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import pytest
from sqlalchemy import select

from rampa.client import Client
from rampa.core.submission.course import Course
from rampa.core.submission.life import SubmissionState
from rampa.db import SubmissionRow
from rampa.operations.base import Services
from rampa.operations.submissions import following, going, sending
from rampa.schema.submissions import NewSubmissions, SubmissionOut
from tests.clock import Clock
from tests.conftest import Begun, World
from tests.listings import TITLE, send, write_listing
from tests.samples import DOCUMENT, add_key, build, import_title, make_folder
from tests.service.test_storefronts import connected, opens, quay
from tests.shops import Quay

__all__ = ["Submitting", "opens", "quay", "submitting"]
PROFILE = """[pictures]
icon = "art/icon.png"

[profiles.linux-release]
storefront = "northquay"
content.languages = ["en", "fi"]"""
FOR_QUAY = DOCUMENT.replace("[profiles.linux-release]", PROFILE)


def make_submittable(client: Client, root: Path) -> None:
    """Peatlight for Northquay: a build, a listing, an affirmed rating."""
    folder = root / "title"
    import_title(client, FOR_QUAY)
    add_key(client)
    make_folder(folder)
    (folder / "rampa.toml").write_text(FOR_QUAY)
    build(client, folder, root / "state")
    send(client, write_listing(root / "listing"), "The first one.")
    client.listings.affirm(TITLE, 1, "Iida")


def work(services: Services) -> None:
    """What is due is sent, looked at, let go live: as the worker does it."""
    sending.go_on_connected(services)
    with services.db.transaction() as session:
        due = select(SubmissionRow.id).where(
            SubmissionRow.course == Course.SENDING, SubmissionRow.next_at <= services.now()
        )
        found = list(session.scalars(due))
    for ident in found:
        sending.send(services, ident)
    following.follow_due(services)
    going.go_live_due(services)


@dataclass
class Submitting:
    """`client` is the owner's; Northquay's machines decide, unless a test's own reviewer does."""

    world: World
    client: Client
    quay: Quay
    clock: Clock
    folder: Path
    state: Path

    def work(self, seconds: float = 5) -> None:
        """Time goes by; the storefront and the service's jobs do once what is due."""
        self.clock.pass_(seconds=seconds)
        self.quay.now = self.clock.now
        self.quay.pass_(0)
        work(self.world.services)

    def build(self, change: str = "", **more: object) -> int:
        """The next build; `change` is put into its program."""
        if change:
            (self.folder / "bin/peatlight").write_text(f"#!/bin/sh\necho {change}\n")
        number = build(self.client, self.folder, self.state, **more).build.number  # type: ignore[arg-type]
        self.client.listings.affirm(TITLE, 1, "Iida")
        return number

    def make(self, number: int = 1, **more: object) -> int:
        made = self.client.submissions.make(TITLE, NewSubmissions(build=number, **more))
        return made[0].number

    def at(self, number: int) -> SubmissionOut:
        return self.client.submissions.get(TITLE, number)

    def until(self, number: int, state: SubmissionState, tries: int = 60) -> SubmissionOut:
        for _ in range(tries):
            seen = self.at(number)
            if seen.state is state:
                return seen
            self.work()
        raise AssertionError(f"never {state}: {self.at(number)}")

    def there(self, number: int) -> str:
        """Its number at the storefront."""
        with self.world.services.db.transaction() as session:
            return session.scalars(select(SubmissionRow.there_id).where(SubmissionRow.number == number)).one()

    def review(self, number: int, act: str, text: str = "", about: str = "") -> None:
        self.until(number, SubmissionState.WAITING)
        self.quay.review(self.there(number), "claim")
        self.quay.review(self.there(number), act, text, about)
        self.work()


@pytest.fixture
def submitting(
    client: Client, world: World, begun: Begun, tmp_path: Path, request: pytest.FixtureRequest
) -> Submitting:
    def fill() -> None:
        make_submittable(client, tmp_path)

    begun(fill)
    # Afterwards: what the folder held before is not there any more.
    shop, address = request.getfixturevalue("quay")
    clock = Clock(world)
    shop.now = clock.now
    connected(client, address)
    return Submitting(world, client, shop, clock, tmp_path / "title", tmp_path / "state")
