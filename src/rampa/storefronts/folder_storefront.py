"""A storefront that a person works off: each submission is a folder with the bundle, its pictures and a hand-over sheet.

FOLDER/titles.json                            the titles that were made known
FOLDER/pictures/SHA256                        the listing's pictures
FOLDER/studio                                 the studio's verification (rampa.storefronts.folder_verification)
FOLDER/IDENTIFIER/PLATFORM-CODE/bundle        what is handed over
                               /sheet.json    what the storefront is told (SubmissionIn)
                               /sheet.md      the same for a person, step by step
                               /outcome.toml  what the person writes as it goes on: state, said, about, share
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import re
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from rampa.core.bundle.sources import ByteSource, read_through
from rampa.core.errors import Conflict, Damaged, Invalid, NotFound, Refused
from rampa.core.files import replace_file, replacing
from rampa.core.studio.verification import VerificationState
from rampa.core.submission.life import ON_SHOW, OVER, WORDS, SubmissionState
from rampa.schema import storefronts as wire
from rampa.storefronts.folder_verification import FolderVerification
from rampa.storefronts.outcome import OUTCOME, read_outcome
from rampa.storefronts.port import Sending
from rampa.storefronts.sheet import sheet_for

SAYS = frozenset({"state", "said", "about", "by", "share", "held"})
IDENTIFIER = re.compile(r"[A-Za-z0-9]([A-Za-z0-9._-]{0,198}[A-Za-z0-9])?")


class FolderStorefront:
    """`title` is the storefront's name for people, `platforms` what it takes."""

    def __init__(self, folder: Path, title: str, platforms: list[str], now: Callable[[], dt.datetime]) -> None:
        self._folder, self._title, self._platforms, self._now = folder, title, platforms, now
        (folder / "pictures").mkdir(parents=True, exist_ok=True)
        self._studio = FolderVerification(folder, title, now)

    def about(self) -> wire.About:
        note = "A person works it off: nothing goes anywhere by itself."
        return wire.About(
            name="folder", title=self._title, protocol=wire.VERSION, simulated=False, note=note,
            platforms=self._platforms, abilities=[], scopes=list(wire.SCOPES), rules=1,
        )  # fmt: skip

    def account(self) -> wire.AccountAt:
        until = self._now() + dt.timedelta(days=3650)
        verified = self._studio.look().state is VerificationState.VERIFIED
        return wire.AccountAt(studio="by hand", verified=verified, scopes=list(wire.SCOPES), until=until)

    def verification(self) -> wire.VerificationAt:
        return self._studio.look()

    def send_document(self, digest: str, data: bytes) -> None:
        self._studio.send_document(digest, data)

    def hand_in(self, asked: wire.StudioIn) -> wire.VerificationAt:
        return self._studio.hand_in(asked)

    def title(self, identifier: str) -> wire.TitleAt:
        names = self._names()
        if identifier not in names:
            raise NotFound("storefront.title", f"{identifier} was not made known here", where="identifier")
        there = self.submissions(identifier)
        return wire.TitleAt(
            identifier=identifier, name=names[identifier], first_pending=False, hand_in_at="",
            highest_codes={s.platform: s.version_code for s in reversed(there)},
            offered=[_offered(s) for s in there if s.state in ON_SHOW],
        )  # fmt: skip

    def register(self, identifier: str, name: str) -> wire.TitleAt:
        _checked(identifier)
        names = self._names() | {identifier: name}
        replace_file(self._folder / "titles.json", json.dumps(names, ensure_ascii=False, indent=1).encode())
        return self.title(identifier)

    def send_picture(self, digest: str, data: bytes) -> None:
        if hashlib.sha256(data).hexdigest() != digest:
            raise Refused("storefront.picture", "the picture is not what its digest says")
        replace_file(self._folder / "pictures" / digest, data)

    def send_bundle(self, bundle: ByteSource, sha256: str, sending: Sending) -> str:
        upload = sending.begun if re.fullmatch(r"[0-9a-f-]{36}", sending.begun) else str(uuid.uuid4())
        sending.on_begun(upload)
        target, digest, done = self._folder / "uploads" / upload, hashlib.sha256(), 0
        if not target.is_file():
            target.parent.mkdir(exist_ok=True)
            with replacing(target) as out:
                for piece in read_through(bundle, 0, bundle.size):
                    digest.update(piece)
                    done += out.write(piece)
                    sending.on(done, bundle.size)
                if digest.hexdigest() != sha256:
                    raise Damaged("storefront.damaged", "what was written is not what was announced")
        sending.on(bundle.size, bundle.size)
        return upload

    def submit(self, asked: wire.SubmissionIn, key: str) -> wire.SubmissionAt:
        at = self._at(asked)
        sheet = at / "sheet.json"
        if sheet.is_file():
            if json.loads(sheet.read_text()).get("key") != key:
                raise Refused("storefront.code", f"version code {asked.version_code:,} was handed over before")
            return self._read(at)
        highest = self.title(asked.identifier).highest_codes.get(asked.platform, 0)
        if asked.version_code <= highest:
            raise Refused("storefront.code", f"version code {asked.version_code:,} is not above {highest:,}")
        upload = self._folder / "uploads" / asked.upload
        if not upload.is_file():
            raise NotFound("storefront.upload", "the bundle is not whole here", where="upload")
        at.mkdir(parents=True, exist_ok=True)
        # The sheet last: a folder without one was not handed over yet.
        upload.rename(at / "bundle")
        replace_file(at / "sheet.md", sheet_for(self._title, asked).encode())
        said = asked.model_dump(mode="json") | {"key": key, "made_at": self._now().isoformat(), "id": str(uuid.uuid4())}
        replace_file(sheet, json.dumps(said, ensure_ascii=False, indent=1).encode())
        return self._read(at)

    def submission(self, submission: str) -> wire.SubmissionAt:
        for at in self._all():
            if json.loads((at / "sheet.json").read_text()).get("id") == submission:
                return self._read(at)
        raise NotFound("storefront.submission", "there is no such submission in the folder")

    def submissions(self, identifier: str) -> list[wire.SubmissionAt]:
        there = [self._read(at) for at in self._all() if at.parent.name == identifier]
        return sorted(there, key=lambda s: -s.version_code)

    def notify(self, address: str) -> str:
        return ""

    def act(self, submission: str, asked: wire.ActIn) -> wire.SubmissionAt:
        """A withdrawal is written where the person sees it; everything else is theirs to do and to write down."""
        found = self.submission(submission)
        if asked.act != "withdraw":
            hint = f"Do it there, and write it into {OUTCOME}."
            raise Refused("storefront.cannot", "a person does this by hand on the storefront", hint=hint)
        if found.state in OVER:
            raise Conflict("state.conflict", f"it is {WORDS[found.state]}: withdraw is not possible now")
        at = self._folder / found.identifier / f"{found.platform}-{found.version_code}"
        replace_file(at / OUTCOME, b'state = "withdrawn"\nsaid = "withdrawn by the studio"\n')
        return self.submission(submission)

    def _read(self, at: Path) -> wire.SubmissionAt:
        sheet = json.loads((at / "sheet.json").read_text())
        asked = wire.SubmissionIn.model_validate(
            {k: v for k, v in sheet.items() if k in wire.SubmissionIn.model_fields}
        )
        outcome = _outcome(at / OUTCOME)
        state = SubmissionState(outcome.get("state", SubmissionState.SENT))
        made = dt.datetime.fromisoformat(sheet["made_at"])
        events = [wire.Happened(at=made, state=SubmissionState.SENT, by="Rampa")]
        words = []
        if outcome:
            moment = dt.datetime.fromtimestamp((at / OUTCOME).stat().st_mtime, dt.UTC)
            by, said = str(outcome.get("by", "whoever handed it over")), str(outcome.get("said", ""))
            events.append(wire.Happened(at=moment, state=state, by=by, said=said))
            if said:
                words.append(wire.WordSaid(at=moment, by=by, text=said, about=str(outcome.get("about", ""))))
        return wire.SubmissionAt(
            id=sheet["id"], identifier=asked.identifier, platform=asked.platform, version_code=asked.version_code,
            version_name=asked.version_name, sha256=asked.sha256, state=state, there=WORDS[state], ahead=None,
            going=asked.going, going_at=asked.at, share=int(outcome.get("share", 100)), held=bool(outcome.get("held", False)),
            words=words, findings=[], events=events, can=[] if state in OVER else ["withdraw"],
        )  # fmt: skip

    def _at(self, asked: wire.SubmissionIn) -> Path:
        return self._folder / _checked(asked.identifier) / f"{asked.platform}-{asked.version_code}"

    def _all(self) -> Iterator[Path]:
        return (sheet.parent for sheet in sorted(self._folder.glob("*/*/sheet.json")))

    def _names(self) -> dict[str, str]:
        file = self._folder / "titles.json"
        return json.loads(file.read_text()) if file.is_file() else {}


def _outcome(file: Path) -> dict[str, Any]:
    return read_outcome(file, SAYS, list(SubmissionState), _must_make_sense)


def _must_make_sense(said: dict[str, Any]) -> None:
    int(said.get("share", 100))


def _checked(identifier: str) -> str:
    if not IDENTIFIER.fullmatch(identifier) or ".." in identifier:
        raise Invalid("storefront.title", "this is no identifier of a title", where="identifier")
    return identifier


def _offered(row: wire.SubmissionAt) -> wire.Offered:
    return wire.Offered(
        platform=row.platform, version_code=row.version_code, version_name=row.version_name, sha256=row.sha256,
        share=row.share, held=row.held, submission=row.id,
    )  # fmt: skip
