"""When a trigger starts runs: patterns of branches and tags, changed paths, schedules, signed calls."""

from __future__ import annotations

import base64
import binascii
import datetime as dt
import hashlib
import hmac
from collections.abc import Iterable
from fnmatch import fnmatchcase

import pathspec
from croniter import croniter

from rampa.core.errors import Denied, Invalid

CALL_AGE = 300
"""Seconds for which a signed call is taken."""


def matching(pattern: str, names: Iterable[str]) -> list[str]:
    """Names of branches or tags that the pattern matches: * any characters, ? one, [..] a set. In the order given."""
    return [n for n in names if fnmatchcase(n, pattern)]


def touches(patterns: Iterable[str], changed: Iterable[str]) -> bool:
    """Whether a changed path is one that the trigger looks at (patterns as in gitignore(5)); no pattern looks at all."""
    lines = list(patterns)
    if not lines:
        return True
    spec = pathspec.GitIgnoreSpec.from_lines(lines)
    return any(spec.match_file(path) for path in changed)


def schedule_problem(text: str) -> str:
    """What is wrong with a schedule (five fields as in crontab(5), POSIX), or nothing."""
    if len(text.split()) != 5 or not croniter.is_valid(text):
        return "it must have the five fields of crontab(5): minute, hour, day, month, weekday, such as 30 2 * * 1-5"
    return ""


def next_time(schedule: str, after: dt.datetime) -> dt.datetime:
    """The first moment after `after`, in UTC."""
    moment: dt.datetime = croniter(schedule, after.astimezone(dt.UTC)).get_next(dt.datetime)
    return moment


def call_signature(secret: bytes, time: str, body: bytes) -> str:
    """HMAC-SHA-256 (RFC 2104) over the time, a full stop and the body; base64. Goes as `sha-256=…`."""
    digest = hmac.new(secret, time.encode() + b"." + body, hashlib.sha256).digest()
    return "sha-256=" + base64.b64encode(digest).decode()


def check_call(secret: bytes, time: str, signature: str, body: bytes, now: dt.datetime) -> None:
    """Raises `Invalid` for a time that is none, `Denied` for a wrong signature or an old call."""
    if not (time.isascii() and time.isdigit() and len(time) < 13):
        raise Invalid("call.time", "the header Rampa-Time must hold seconds since 1970", where="Rampa-Time")
    if not hmac.compare_digest(call_signature(secret, time, body).encode(), signature.encode()):
        raise Denied("call.signature", "the signature of this call is wrong", where="Rampa-Hmac")
    if abs(now.timestamp() - int(time)) > CALL_AGE:
        raise Denied("call.old", "the call is too old, or its clock is wrong", where="Rampa-Time")


def new_secret(random: bytes) -> str:
    """What a caller is given to sign with, once."""
    return base64.urlsafe_b64encode(random).decode().rstrip("=")


def secret_bytes(text: str) -> bytes:
    try:
        return base64.urlsafe_b64decode(text + "=" * (-len(text) % 4))
    except (binascii.Error, ValueError) as error:
        raise Invalid("call.secret", "the secret is not one that was given here") from error
