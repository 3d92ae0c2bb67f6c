"""What every adapter must do, as a command: `python -m rampa.storefronts.conformance --folder DIR`, or `--address URL` with the
access token in RAMPA_STOREFRONT_TOKEN. It sends small made-up titles and withdraws them; use it on a storefront for tests.

Each check is a function; the tests run the same ones over each adapter.
"""

from __future__ import annotations

import argparse
import base64
import datetime as dt
import hashlib
import os
import random
import sys
import time
import uuid
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from rampa.core.bundle.sources import BytesSource
from rampa.core.errors import Conflict, Damaged, Invalid, NotFound, RampaError, Refused
from rampa.core.studio.verification import VerificationState
from rampa.core.submission.life import OVER, SubmissionState
from rampa.schema import storefronts as wire
from rampa.storefronts.port import Sending, StorefrontPort

SIZE = 300_000
PICTURE = base64.b64decode(
    "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAIAAACQd1PeAAAADElEQVR4nGOQl5YAAACvAFPCqWsmAAAAAElFTkSuQmCC"
)
"""A PNG of one dark pixel."""


@dataclass
class Trial:
    """One run: a title of its own, version codes that rise."""

    storefront: StorefrontPort
    identifier: str = field(default_factory=lambda: f"example.quillback.trial{uuid.uuid4().hex[:8]}")
    code: int = 0

    def next(self) -> tuple[wire.SubmissionIn, BytesSource]:
        """A submission with a bundle of its own; the bundle is not sent yet."""
        self.code += 1
        data = random.Random(self.code).randbytes(SIZE)
        picture = hashlib.sha256(PICTURE).hexdigest()
        texts = wire.ListingTexts(name="Peatlight", short="A night on the bog railway.", long="Fog lies on the bog.")
        listing = wire.ListingAt(
            main="en", texts={"en": texts}, category="puzzle", rating="for all", rated_by="Iida", licence="LicenseRef-Quillback",
            links={"support": "https://quillback.example/support"}, icon=picture,
            pictures={form: [picture] * 3 for form in ("desktop", "phone", "tablet", "headset")},
        )  # fmt: skip
        asked = wire.SubmissionIn(
            identifier=self.identifier, platform=self.storefront.about().platforms[0], version_code=self.code,
            version_name=f"1.{self.code}.0", upload=str(uuid.UUID(int=0)), sha256=hashlib.sha256(data).hexdigest(),
            listing=listing,
        )  # fmt: skip
        return asked, BytesSource(data)

    def tidy(self) -> None:
        """Withdraws what it put before reviewers. A title that was never made known has nothing."""
        with suppress(RampaError):
            for made in self.storefront.submissions(self.identifier):
                if "withdraw" in made.can:
                    self.storefront.act(made.id, wire.ActIn(act="withdraw"))

    def sent(self, **changed: object) -> wire.SubmissionIn:
        """The same, its bundle and pictures sent."""
        asked, bundle = self.next()
        self.storefront.send_picture(hashlib.sha256(PICTURE).hexdigest(), PICTURE)
        upload = self.storefront.send_bundle(bundle, asked.sha256, Sending())
        return asked.model_copy(update={"upload": upload, **changed})


def it_says_who_it_is(trial: Trial) -> None:
    about = trial.storefront.about()
    assert about.protocol == wire.VERSION, f"it speaks protocol {about.protocol}"
    assert about.platforms, "it takes no platform"
    assert trial.storefront.account().studio, "the account has no studio"


def a_title_is_known_once(trial: Trial) -> None:
    for name in ("Peatlight", "Peatlight", "Peatlight at night"):
        assert trial.storefront.register(trial.identifier, name).name == name
    assert trial.storefront.title(trial.identifier).highest_codes == {}
    raises(NotFound, lambda: trial.storefront.title(f"{trial.identifier}.none"))


def an_upload_goes_on_where_it_ended(trial: Trial) -> None:
    asked, bundle = trial.next()
    begun: list[str] = []
    seen: list[int] = []
    upload = trial.storefront.send_bundle(
        bundle, asked.sha256, Sending(on_begun=begun.append, on=lambda done, _: seen.append(done))
    )
    assert begun == [upload], "a new upload is told once, before it is whole"
    assert seen == sorted(seen), "progress goes back"
    assert seen[-1] == bundle.size, "the last progress is not the whole"
    again: list[str] = []
    assert trial.storefront.send_bundle(bundle, asked.sha256, Sending(begun=upload, on_begun=again.append)) == upload
    lost = str(uuid.uuid4())
    assert trial.storefront.send_bundle(bundle, asked.sha256, Sending(begun=lost)), (
        "an upload that is gone is begun anew"
    )


def what_arrives_is_what_was_announced(trial: Trial) -> None:
    asked, _ = trial.next()
    raises(
        (Damaged, Refused), lambda: trial.storefront.send_bundle(BytesSource(b"fog" * 9000), asked.sha256, Sending())
    )


def a_key_is_one_submission(trial: Trial) -> None:
    trial.storefront.register(trial.identifier, "Peatlight")
    asked, key = trial.sent(), f"key-{uuid.uuid4()}"
    first = trial.storefront.submit(asked, key)
    assert trial.storefront.submit(asked, key).id == first.id, "the same key was taken twice"
    assert [s.id for s in trial.storefront.submissions(trial.identifier)] == [first.id]
    assert trial.storefront.title(trial.identifier).highest_codes == {first.platform: first.version_code}
    assert (first.sha256, first.events[0].state in SubmissionState) == (asked.sha256, True)


def codes_rise(trial: Trial) -> None:
    trial.storefront.register(trial.identifier, "Peatlight")
    trial.storefront.submit(trial.sent(), f"key-{uuid.uuid4()}")
    same = trial.sent(version_code=trial.code)
    raises(Refused, lambda: trial.storefront.submit(same, f"key-{uuid.uuid4()}"))
    highest = trial.storefront.title(trial.identifier).highest_codes
    assert highest == {same.platform: trial.code - 1}, "a refused code was burned"


def a_bundle_is_sent_before_it_is_submitted(trial: Trial) -> None:
    trial.storefront.register(trial.identifier, "Peatlight")
    asked, _ = trial.next()
    raises((NotFound, Invalid), lambda: trial.storefront.submit(asked, f"key-{uuid.uuid4()}"))
    assert trial.storefront.submissions(trial.identifier) == [], "something was taken all the same"


def what_is_withdrawn_is_over(trial: Trial) -> None:
    trial.storefront.register(trial.identifier, "Peatlight")
    made = trial.storefront.submit(trial.sent(), f"key-{uuid.uuid4()}")
    assert "withdraw" in made.can
    over = trial.storefront.act(made.id, wire.ActIn(act="withdraw"))
    assert over.state in OVER, f"it is {over.state}"
    assert trial.storefront.submission(made.id).state is over.state
    raises((Conflict, Refused), lambda: trial.storefront.act(made.id, wire.ActIn(act="withdraw")))
    assert trial.storefront.title(trial.identifier).offered == []


def what_it_cannot_do_it_says(trial: Trial) -> None:
    trial.storefront.register(trial.identifier, "Peatlight")
    made = trial.storefront.submit(trial.sent(), f"key-{uuid.uuid4()}")
    for act in ("hold", "roll-back", "go-on"):
        raises((Conflict, Refused), lambda act=act: trial.storefront.act(made.id, wire.ActIn(act=act)))  # type: ignore[misc]
    raises(NotFound, lambda: trial.storefront.submission(str(uuid.uuid4())))


def where_the_studio_stands_is_said(trial: Trial) -> None:
    there = trial.storefront.verification()
    verified = there.state is VerificationState.VERIFIED
    assert trial.storefront.account().verified is verified, "the account and the verification say different things"
    assert len(there.needs) == len(set(there.needs)), "a document is asked for twice"
    digest = hashlib.sha256(PICTURE).hexdigest()
    raises((Damaged, Refused, Invalid), lambda: trial.storefront.send_document(digest, PICTURE + b"x"))
    if verified:
        asked = wire.StudioIn(
            legal_name="Quillback Works", postal_address="Alder Halt 1", contact="office@quillback.example"
        )
        raises(Conflict, lambda: trial.storefront.hand_in(asked))


CHECKS: tuple[Callable[[Trial], None], ...] = (
    it_says_who_it_is,
    a_title_is_known_once,
    an_upload_goes_on_where_it_ended,
    what_arrives_is_what_was_announced,
    a_key_is_one_submission,
    codes_rise,
    a_bundle_is_sent_before_it_is_submitted,
    what_is_withdrawn_is_over,
    what_it_cannot_do_it_says,
    where_the_studio_stands_is_said,
)


def raises(kinds: type[RampaError] | tuple[type[RampaError], ...], call: Callable[[], object]) -> None:
    try:
        call()
    except kinds:
        return
    names = [k.__name__ for k in (kinds if isinstance(kinds, tuple) else (kinds,))]
    raise AssertionError(f"it should have raised {' or '.join(names)}")


def run(storefront: StorefrontPort, say: Callable[[str], object]) -> int:
    """Answers how many checks failed."""
    failed = 0
    for check in CHECKS:
        words = check.__name__.replace("_", " ")
        trial = Trial(storefront)
        try:
            check(trial)
            say(f"✓ {words}")
        except (AssertionError, RampaError) as error:
            failed += 1
            say(f"✗ {words}: {error}")
        finally:
            trial.tidy()
    say(f"{len(CHECKS) - failed} of {len(CHECKS)} hold")
    return failed


def main() -> None:
    import httpx

    from rampa.storefronts.folder_storefront import FolderStorefront
    from rampa.storefronts.http_storefront import HttpStorefront

    parser = argparse.ArgumentParser(prog="python -m rampa.storefronts.conformance", description=__doc__)
    way = parser.add_mutually_exclusive_group(required=True)
    way.add_argument("--address", help="a storefront that speaks the protocol; its token is in RAMPA_STOREFRONT_TOKEN")
    way.add_argument("--folder", type=Path, help="a folder for hand-overs")
    said = parser.parse_args()
    if said.folder:
        storefront: StorefrontPort = FolderStorefront(
            said.folder, "A folder", ["linux"], lambda: dt.datetime.now(dt.UTC)
        )
    else:
        token = os.environ.get("RAMPA_STOREFRONT_TOKEN", "")
        http = httpx.Client(base_url=said.address, timeout=20, trust_env=False)
        storefront = HttpStorefront(http, lambda: token, lambda tries: time.sleep(min(2**tries, 30)))
    sys.exit(1 if run(storefront, print) else 0)


if __name__ == "__main__":
    main()
