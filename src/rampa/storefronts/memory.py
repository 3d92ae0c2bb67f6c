"""A storefront in memory, for tests: it forgets everything with its process, and says so by its name."""

from __future__ import annotations

import datetime as dt
import hashlib
import uuid
from collections.abc import Callable

from rampa.core.bundle.sources import ByteSource, read_through
from rampa.core.errors import Damaged, NotFound, Refused
from rampa.core.studio.verification import TRANSITIONS as VERIFYING
from rampa.core.studio.verification import VerificationEvent, VerificationState
from rampa.core.submission.life import TRANSITIONS, WORDS, SubmissionEvent, SubmissionState
from rampa.core.transitions import advance
from rampa.schema import storefronts as wire
from rampa.storefronts.port import Sending

EVENTS = {"answer": SubmissionEvent.ANSWER, "withdraw": SubmissionEvent.WITHDRAW, "go-live": SubmissionEvent.GO_LIVE}


class MemoryStorefront:
    """Nobody reviews here; `decide` does what a reviewer would."""

    def __init__(self, now: Callable[[], dt.datetime] = lambda: dt.datetime(2026, 11, 29, tzinfo=dt.UTC)) -> None:
        self._now = now
        self._titles: dict[str, str] = {}
        self._uploads: dict[str, str] = {}
        self._pictures: set[str] = set()
        self._documents: set[str] = set()
        self._verification = VerificationState.VERIFIED
        self._held: dict[str, wire.SubmissionAt] = {}
        self._keys: dict[str, str] = {}

    def about(self) -> wire.About:
        return wire.About(
            name="memory", title="In memory", protocol=wire.VERSION, simulated=True, note="For tests.", platforms=["linux"],
            abilities=[], scopes=list(wire.SCOPES), rules=1,
        )  # fmt: skip

    def account(self) -> wire.AccountAt:
        until = self._now() + dt.timedelta(hours=1)
        return wire.AccountAt(studio="Quillback Works", verified=True, scopes=list(wire.SCOPES), until=until)

    def verification(self) -> wire.VerificationAt:
        return wire.VerificationAt(state=self._verification, since=self._now(), needs=[], usual_days=0)

    def send_document(self, digest: str, data: bytes) -> None:
        if hashlib.sha256(data).hexdigest() != digest:
            raise Refused("storefront.document", "the document is not what its digest says")
        self._documents.add(digest)

    def hand_in(self, asked: wire.StudioIn) -> wire.VerificationAt:
        if any(digest not in self._documents for digest in asked.documents.values()):
            raise NotFound("storefront.document", "a document was not sent")
        self._verification = advance(VERIFYING, self._verification, VerificationEvent.HAND_IN, "the verification")
        return self.verification()

    def title(self, identifier: str) -> wire.TitleAt:
        if identifier not in self._titles:
            raise NotFound("storefront.title", f"there is no title {identifier} here")
        mine = sorted((s for s in self._held.values() if s.identifier == identifier), key=lambda s: s.version_code)
        return wire.TitleAt(
            identifier=identifier, name=self._titles[identifier], first_pending=False, hand_in_at="",
            highest_codes={s.platform: s.version_code for s in mine},
            offered=[_offered(s) for s in self._held.values() if _shown(s, identifier)],
        )  # fmt: skip

    def register(self, identifier: str, name: str) -> wire.TitleAt:
        self._titles[identifier] = name
        return self.title(identifier)

    def send_picture(self, digest: str, data: bytes) -> None:
        if hashlib.sha256(data).hexdigest() != digest:
            raise Refused("storefront.picture", "the picture is not what its digest says")
        self._pictures.add(digest)

    def send_bundle(self, bundle: ByteSource, sha256: str, sending: Sending) -> str:
        made = hashlib.sha256()
        for piece in read_through(bundle, 0, bundle.size):
            made.update(piece)
        if made.hexdigest() != sha256:
            raise Damaged("storefront.damaged", "what arrived is not what was announced")
        upload = sending.begun or str(uuid.uuid4())
        sending.on_begun(upload)
        sending.on(bundle.size, bundle.size)
        self._uploads[upload] = sha256
        return upload

    def submit(self, asked: wire.SubmissionIn, key: str) -> wire.SubmissionAt:
        if key in self._keys:
            return self._held[self._keys[key]]
        highest = self.title(asked.identifier).highest_codes.get(asked.platform, 0)
        if self._uploads.get(asked.upload) != asked.sha256:
            raise NotFound("storefront.upload", "the bundle is not whole here")
        if asked.version_code <= highest:
            raise Refused("storefront.code", f"version code {asked.version_code:,} is not above {highest:,}")
        made = wire.SubmissionAt(
            id=str(uuid.uuid4()), identifier=asked.identifier, platform=asked.platform, version_code=asked.version_code,
            version_name=asked.version_name, sha256=asked.sha256, state=SubmissionState.WAITING, there="in line", ahead=0,
            going=asked.going, going_at=asked.at, share=asked.share, held=False, words=[], findings=[],
            events=[wire.Happened(at=self._now(), state=SubmissionState.WAITING, by="memory")], can=["withdraw"],
        )  # fmt: skip
        self._held[made.id], self._keys[key] = made, made.id
        return made

    def submission(self, submission: str) -> wire.SubmissionAt:
        if submission not in self._held:
            raise NotFound("storefront.submission", "there is no such submission here")
        return self._held[submission]

    def submissions(self, identifier: str) -> list[wire.SubmissionAt]:
        return [s for s in reversed(self._held.values()) if s.identifier == identifier]

    def notify(self, address: str) -> str:
        return ""

    def act(self, submission: str, asked: wire.ActIn) -> wire.SubmissionAt:
        if asked.act not in EVENTS:
            raise Refused("storefront.cannot", f"this storefront cannot do that: {asked.act}")
        return self.decide(submission, EVENTS[asked.act])

    def decide(self, submission: str, event: SubmissionEvent) -> wire.SubmissionAt:
        row = self.submission(submission)
        state = advance(TRANSITIONS, row.state, event, f"version code {row.version_code:,}")
        happened = wire.Happened(at=self._now(), state=state, by="memory")
        said = {"state": state, "there": WORDS[state], "events": [*row.events, happened]}
        self._held[submission] = row.model_copy(update=said)
        return self._held[submission]


def _shown(row: wire.SubmissionAt, identifier: str) -> bool:
    return row.identifier == identifier and row.state is SubmissionState.LIVE


def _offered(row: wire.SubmissionAt) -> wire.Offered:
    return wire.Offered(
        platform=row.platform, version_code=row.version_code, version_name=row.version_name, sha256=row.sha256,
        share=100, held=False, submission=row.id,
    )  # fmt: skip
