"""The port to storefronts: what Rampa asks of whoever brings a title to its players. Adapters lie beside it, one a way to speak.

What every adapter must do is the suite in conformance.py, which is a command: `python -m rampa.storefronts.conformance`. How to
write one for a storefront is in docs/storefronts.md.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from rampa.core.bundle.sources import ByteSource
from rampa.schema import storefronts as wire

Progress = Callable[[int, int], None]
"""(bytes that are there, bytes in all)."""


def _silent(done: int, total: int) -> None:
    pass


def _forgotten(upload: str) -> None:
    pass


@dataclass(frozen=True, slots=True)
class Sending:
    """How a bundle is sent. `begun`: an upload that was begun before; `on_begun` is told of a new one, to be gone on with."""

    begun: str = ""
    on_begun: Callable[[str], None] = _forgotten
    on: Progress = _silent


class StorefrontPort(Protocol):
    """Every call can be made again with the same words: what is done already is no error, and nothing is taken twice.

    Raises `Unavailable` when the storefront does not answer, is being looked after, or answers what cannot be read; `Denied` when
    it does not let the account do it (the code says: `storefront.expired`, `.revoked`, `.scope`); `Refused` with its words when
    a rule of it says no; `Conflict` for an act that the state does not take; `NotFound` for what it does not have.
    """

    def about(self) -> wire.About:
        """Who it is and what it can do."""
        ...

    def account(self) -> wire.AccountAt:
        """The studio's account there."""
        ...

    def verification(self) -> wire.VerificationAt:
        """Where the studio's verification is there."""
        ...

    def send_document(self, digest: str, data: bytes) -> None:
        """`digest` is the document's SHA-256."""
        ...

    def hand_in(self, asked: wire.StudioIn) -> wire.VerificationAt:
        """Who the studio is, with documents that were sent. Raises `Conflict` where the state does not take it."""
        ...

    def title(self, identifier: str) -> wire.TitleAt: ...

    def register(self, identifier: str, name: str) -> wire.TitleAt:
        """Makes the title known there; again it takes the new name."""
        ...

    def send_picture(self, digest: str, data: bytes) -> None:
        """`digest` is the picture's SHA-256."""
        ...

    def send_bundle(self, bundle: ByteSource, sha256: str, sending: Sending) -> str:
        """Answers the upload's number. Goes on where an earlier one ended. Raises `Damaged` when something else arrived."""
        ...

    def submit(self, asked: wire.SubmissionIn, key: str) -> wire.SubmissionAt:
        """The same key is the same submission, however often it is sent."""
        ...

    def submission(self, submission: str) -> wire.SubmissionAt: ...

    def submissions(self, identifier: str) -> list[wire.SubmissionAt]:
        """The newest first."""
        ...

    def notify(self, address: str) -> str:
        """Changes are told to that address from now on. Answers the key that signs them (Standard Webhooks 1.0), empty where
        nothing is told."""
        ...

    def act(self, submission: str, asked: wire.ActIn) -> wire.SubmissionAt: ...
