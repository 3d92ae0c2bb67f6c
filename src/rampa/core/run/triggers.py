"""When a trigger starts runs: patterns of branches and tags, changed paths, schedules, signed calls."""

from __future__ import annotations

import base64
import binascii
import datetime as dt
import hashlib
import hmac
import re
from collections.abc import Iterable, Mapping
from fnmatch import fnmatchcase

from croniter import CroniterError, croniter

from rampa.core.errors import Denied, Invalid
from rampa.core.patterns import read_patterns

MONTHS = {
    name: n
    for n, name in enumerate(["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"], 1)
}
WEEKDAYS = {name: n for n, name in enumerate(["sun", "mon", "tue", "wed", "thu", "fri", "sat"])}
FIELDS: tuple[tuple[str, int, int, dict[str, int]], ...] = (
    ("minute", 0, 59, {}),
    ("hour", 0, 23, {}),
    ("day", 1, 31, {}),
    ("month", 1, 12, MONTHS),
    ("weekday", 0, 7, WEEKDAYS),
)
PART = re.compile(r"(?:\*|(?P<first>[0-9]{1,2}|[a-z]{3})(?:-(?P<last>[0-9]{1,2}|[a-z]{3}))?)(?:/(?P<step>[0-9]{1,2}))?")
SCHEDULE = "it must have the five fields of crontab(5): minute, hour, day, month, weekday, such as 30 2 * * 1-5"
ANY_DAY = dt.datetime(2026, 1, 1, tzinfo=dt.UTC)
"""Whether a day comes at all is the same from every day on."""
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
    spec = read_patterns(lines)
    return any(spec.match_file(path) for path in changed)


def schedule_problem(text: str) -> str:
    """What is wrong with a schedule (five fields as in crontab(5), POSIX), or nothing."""
    fields = text.split(" ")
    if len(fields) != len(FIELDS):
        return SCHEDULE
    for (name, low, high, names), field in zip(FIELDS, fields, strict=True):
        if not all(_in_bounds(part.lower(), low, high, names) for part in field.split(",")):
            return f"its {name} is {field[:40]!r}, and may be {low} to {high}: *, 2, 1-5, */15, or several with commas"
    try:
        next_time(text, ANY_DAY)
    except CroniterError:
        return "that day never comes"
    return ""


def _in_bounds(part: str, low: int, high: int, names: Mapping[str, int]) -> bool:
    # The library takes more than the format has (random minutes, steps beyond the hour), and not all of it ends well.
    match = PART.fullmatch(part)
    if match is None:
        return False
    first, last, step = (_number(said, names) for said in match.group("first", "last", "step"))
    if first is not None and not low <= first <= (high if last is None else last) <= high:
        return False
    return step is None or 1 <= step <= high


def _number(said: str | None, names: Mapping[str, int]) -> int | None:
    """None where nothing is said; -1, which is in no bounds, for a name that is none."""
    if said is None:
        return None
    return int(said) if said.isdigit() else names.get(said, -1)


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
