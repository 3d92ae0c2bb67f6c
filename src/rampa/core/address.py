"""Mail addresses: whether one is one, and whether two are the same."""

from __future__ import annotations

import unicodedata

from rampa.core.errors import Invalid

LONGEST = 200


def normal(email: str) -> str:
    """An address as it is looked up and counted: however it is written, it is one."""
    return unicodedata.normalize("NFKC", email).strip().casefold()


def checked(text: str) -> str:
    """The address as it is written to: RFC 5321 and RFC 6532, its domain by IDNA 2008. Raises `Invalid` with what is wrong."""
    from email_validator import EmailNotValidError, validate_email

    try:
        found = validate_email(text, check_deliverability=False).normalized
    except EmailNotValidError as error:
        raise Invalid("address.invalid", str(error).rstrip("."), where=text[:80]) from error
    if len(found) > LONGEST:
        raise Invalid("address.invalid", f"the address is longer than {LONGEST} characters")
    return found
