"""Ways to form a version code, and the documented layout of packed ones.

    counter   the next whole number that was never given
    packed    MAJOR * 10^6 + MINOR * 10^4 + PATCH * 10^2 + STAGE
    commits   the number of commits that lead to the built one
    offset    CODE * 10 + the architecture's digit, for packages that are split by architecture

STAGE orders what comes before a release: alpha.N is N (0 to 29), beta.N 30 + N, rc.N 60 + N, and the release itself is 99. Build
metadata ("+...") does not order (SemVer 2.0.0, section 10) and is not packed.
"""

from __future__ import annotations

from rampa.core.errors import Invalid, Refused
from rampa.core.version.name import VersionName, parse

PLACES = 100
STAGES = {"alpha": (0, 30), "beta": (30, 30), "rc": (60, 39)}
"""Name -> (first, how many)."""
RELEASE = 99
ARCHITECTURES = {"arm32": 1, "x86": 2, "arm64": 5, "x86_64": 6}
"""The digit of an architecture: a device that runs several gets the highest, its own 64-bit one."""
OTHER = 0
PLACE = 10
"""What a code is multiplied by to make room for the digit."""


def packed_code(text: str, limit: int) -> int:
    """The code of a SemVer name. Raises `Invalid` with the part that does not fit, `Refused` above the platform's limit."""
    name = parse(text)
    if name is None:
        raise Invalid("version.packed", f"{text!r} is no SemVer name, and cannot be packed", where="version.name",
                      hint='Set version.code = "counter" for free-form names.')  # fmt: skip
    for word, value in (("minor", name.minor), ("patch", name.patch)):
        if value >= PLACES:
            raise Invalid(
                "version.packed",
                f"the {word} number {value} of {text} has no room: {PLACES - 1} is the highest that is packed",
                where="version.name",
                hint=f"Raise the number before it, or set version.code = {'counter'!r}.",
            )
    code = ((name.major * PLACES + name.minor) * PLACES + name.patch) * PLACES + _stage(name, text)
    if code > limit:
        highest = limit // PLACES**3
        raise Refused("version.exhausted", f"{text} packs to {code:,}, above this platform's limit of {limit:,}",
                      where="version.name", hint=f"The major number can be {highest} at most.")  # fmt: skip
    if code < 1:
        raise Invalid("version.packed", f"{text} packs to 0, and codes begin at 1", where="version.name")
    return code


def _stage(name: VersionName, text: str) -> int:
    if not name.before:
        return RELEASE
    word, number = name.before[0], name.before[1] if len(name.before) > 1 else "0"
    first, room = STAGES.get(word, (0, 0))
    if not room or not number.isdecimal() or len(name.before) > 2:
        known = ", ".join(f"{s}.N" for s in STAGES)
        raise Invalid("version.packed", f"the stage of {text} cannot be packed", where="version.name",
                      hint=f"Packed codes know {known}.")  # fmt: skip
    if int(number) >= room:
        raise Invalid("version.packed", f"{word}.{number} has no room: {word}.{room - 1} is the highest that is packed",
                      where="version.name", hint="Go on to the next stage.")  # fmt: skip
    return first + int(number)


def unpacked(code: int) -> str:
    """The name that a packed code stands for."""
    rest, stage = divmod(code, PLACES)
    rest, patch = divmod(rest, PLACES)
    major, minor = divmod(rest, PLACES)
    text = f"{major}.{minor}.{patch}"
    for word, (first, room) in STAGES.items():
        if first <= stage < first + room:
            return f"{text}-{word}.{stage - first}"
    return text


def code_for_architecture(code: int, architecture: str, limit: int = 2_100_000_000) -> int:
    """The code of a split package. Raises `Refused` above the platform's limit."""
    offset = code * PLACE + ARCHITECTURES.get(architecture, OTHER)
    if offset > limit:
        hint = f"Split packages have room for codes up to {limit // PLACE - 1:,}."
        raise Refused("version.exhausted", f"code {code:,} has no room for the architecture's digit", hint=hint)
    return offset
