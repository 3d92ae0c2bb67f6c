"""The errors of Rampa, one tree. It knows no HTTP, no exit codes: each edge has a table of its own.

RampaError
|-- Invalid        the input is wrong; the same call can never work
|-- NotFound       a named thing does not exist
|-- Denied         who asks may not
|-- Conflict       somebody else was first, or the state moved on
|-- Refused        a rule says no; the message says which and what frees it
|-- Damaged        bytes are not what their digest or signature promised
`-- Unavailable    not now: a service, a disk or a network; trying again can help
"""

from __future__ import annotations


class RampaError(Exception):
    """An error that a person can act on.

    `code` is stable and short (`title.unknown`), `message` says what was wrong, `where` the place
    (a path, `line 3, column 5`, a field), `hint` what to do.
    """

    kind = "error"
    """The branch of the tree, as it travels between processes."""

    def __init__(self, code: str, message: str, *, where: str = "", hint: str = "") -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.where = where
        self.hint = hint

    def __reduce__(self) -> tuple[object, ...]:
        # From a process apart: an exception's own way would give the message alone.
        return _again, (type(self), self.code, self.message, self.where, self.hint)

    def sentence(self) -> str:
        """What happened, where and what to do, for a terminal or a log line."""
        parts = [f"{self.where}: {self.message}" if self.where else self.message]
        if self.hint:
            parts.append(self.hint)
        return " ".join(p if p.endswith((".", "!", "?")) else p + "." for p in parts)


def _again(kind: type[RampaError], code: str, message: str, where: str, hint: str) -> RampaError:
    return kind(code, message, where=where, hint=hint)


class Invalid(RampaError):
    """The input is wrong."""

    kind = "invalid"


class NotFound(RampaError):
    """A named thing does not exist."""

    kind = "not-found"


class Denied(RampaError):
    """Who asks may not."""

    kind = "denied"


class Conflict(RampaError):
    """Somebody else was first, or the state moved on."""

    kind = "conflict"


class Refused(RampaError):
    """A rule says no."""

    kind = "refused"


class Damaged(RampaError):
    """Bytes are not what their digest or signature promised."""

    kind = "damaged"


class Unavailable(RampaError):
    """Not now: trying again can help."""

    kind = "unavailable"


KINDS: dict[str, type[RampaError]] = {
    e.kind: e for e in (Invalid, NotFound, Denied, Conflict, Refused, Damaged, Unavailable)
}
