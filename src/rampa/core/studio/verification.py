"""A studio's verification, at a storefront or for Rampa's own lines: documents are handed in, somebody looks at them, and says.

not-begun --hand-in--> handed-in --take-up--> looking --verify--> verified --end--> ended
                           ^                     |--ask--> asked ----.                |
                           |                     `--refuse-> refused |                |
                           `------------hand-in----------------'-----'----------------'
"""

from __future__ import annotations

import datetime as dt
from enum import StrEnum

from rampa.core.errors import Invalid


class VerificationState(StrEnum):
    NOT_BEGUN = "not-begun"
    HANDED_IN = "handed-in"
    LOOKING = "looking"
    ASKED = "asked"
    REFUSED = "refused"
    VERIFIED = "verified"
    ENDED = "ended"


class VerificationEvent(StrEnum):
    HAND_IN = "hand-in"
    TAKE_UP = "take-up"
    ASK = "ask"
    REFUSE = "refuse"
    VERIFY = "verify"
    END = "end"


_S, _E = VerificationState, VerificationEvent
TRANSITIONS: dict[tuple[VerificationState, VerificationEvent], VerificationState] = {
    **{(s, _E.HAND_IN): _S.HANDED_IN for s in (_S.NOT_BEGUN, _S.ASKED, _S.REFUSED, _S.ENDED)},
    (_S.HANDED_IN, _E.TAKE_UP): _S.LOOKING,
    (_S.LOOKING, _E.ASK): _S.ASKED,
    (_S.LOOKING, _E.REFUSE): _S.REFUSED,
    (_S.LOOKING, _E.VERIFY): _S.VERIFIED,
    (_S.VERIFIED, _E.END): _S.ENDED,
}
WAITING = (_S.HANDED_IN, _S.LOOKING)
"""Somebody else's turn."""
OURS = (_S.NOT_BEGUN, _S.ASKED, _S.REFUSED, _S.ENDED)
"""The studio's turn."""
WORDS = {
    _S.NOT_BEGUN: "not begun",
    _S.HANDED_IN: "handed in",
    _S.LOOKING: "being looked at",
    _S.ASKED: "something was asked",
    _S.REFUSED: "refused",
    _S.VERIFIED: "verified",
    _S.ENDED: "ended",
}


class DocumentKind(StrEnum):
    REGISTER = "register"
    ADDRESS = "address"
    SIGNATORY = "signatory"


DOCUMENTS = {
    DocumentKind.REGISTER: "an extract from the register of companies",
    DocumentKind.ADDRESS: "a bill or letter of an authority that shows the studio's address",
    DocumentKind.SIGNATORY: "who may sign for the studio",
}
LARGEST_DOCUMENT = 8 << 20
MEDIA = {b"%PDF-": "application/pdf", b"\x89PNG\r\n\x1a\n": "image/png", b"\xff\xd8\xff": "image/jpeg"}
OWN = "rampa"
"""Who verifies for Rampa's own lines: the studio's reviewers, under this name. No storefront has it."""
OWN_NEEDS = (DocumentKind.REGISTER,)


def media_of(data: bytes) -> str:
    """What a document is, by its first bytes. Raises `Invalid` for what is none."""
    if not 0 < len(data) <= LARGEST_DOCUMENT:
        raise Invalid(
            "document.size", f"a document has 1 byte to {LARGEST_DOCUMENT >> 20} MiB, this has {len(data):,} bytes"
        )
    found = next((media for head, media in MEDIA.items() if data.startswith(head)), "")
    if not found:
        raise Invalid("document.form", "this is no PDF, PNG or JPEG", hint="Save it as one of them.")
    return found


def days_waited(since: dt.datetime, now: dt.datetime) -> int:
    """Whole days, none below 0: clocks differ."""
    return max(0, (now - since).days)
