"""A list of people to invite, as it is pasted or as CSV (RFC 4180): who is right, and what is wrong with each line that is not.

    kaisa@quillback.example                 an address alone
    Kaisa <kaisa@quillback.example>         as mail programs copy it (RFC 5322, section 3.4)
    Kaisa, kaisa@quillback.example          cells in any order, with commas, semicolons or tabs between them

A first line that names columns is passed over. Addresses may hold any Unicode (RFC 6532).
"""

from __future__ import annotations

import csv
import unicodedata
from collections.abc import Iterator
from dataclasses import dataclass
from email.utils import parseaddr

from rampa.core.address import checked, normal
from rampa.core.errors import Invalid

MOST_LINES = 50_000
LONGEST_NAME, LONGEST_SHOWN = 100, 80
SEPARATORS = "\t;,"


@dataclass(frozen=True)
class Addressee:
    """`email` is normal (RFC 6532 and IDNA 2008); `name` empty where the line has none."""

    line: int
    email: str
    name: str


@dataclass(frozen=True)
class LineMistake:
    line: int
    text: str
    said: str


@dataclass(frozen=True)
class AddressList:
    good: tuple[Addressee, ...]
    mistakes: tuple[LineMistake, ...]


def read_addresses(text: str) -> AddressList:
    """Raises `Invalid` for a list that is empty or has more than 50,000 lines."""
    good: list[Addressee] = []
    mistakes: list[LineMistake] = []
    seen: dict[str, int] = {}
    for line, cells in _rows(text):
        shown = ", ".join(cells)[:LONGEST_SHOWN]
        try:
            found = _addressee(line, cells)
            first = seen.setdefault(normal(found.email), line)
            if first != line:
                raise Invalid("address.invalid", f"the same address as on line {first}")
            good.append(found)
        except Invalid as error:
            mistakes.append(LineMistake(line, shown, error.message))
    if not good and not mistakes:
        raise Invalid("addresses.none", "the list holds no address", hint="Write one address a line.")
    return AddressList(tuple(good), tuple(mistakes))


def _rows(text: str) -> Iterator[tuple[int, list[str]]]:
    """The lines that are not empty, each with its number from 1."""
    lines = text.lstrip("\ufeff").splitlines()
    if len(lines) > MOST_LINES:
        said = f"the list has {len(lines):,} lines, and {MOST_LINES:,} are the most at once"
        raise Invalid("addresses.many", said, hint="Send it in parts.")
    first = next((line for line in lines if line.strip()), "")
    comma = next((s for s in SEPARATORS if s in first), ",")
    header = True
    for number, line in enumerate(lines, 1):
        # Each line by itself: a quotation mark that is never closed would swallow all that follow.
        cells = [" ".join(cell.split()) for row in csv.reader([line], delimiter=comma) for cell in row]
        if any(cells):
            if not (header and _names_columns(cells)):
                yield number, [cell for cell in cells if cell]
            header = False


def _names_columns(cells: list[str]) -> bool:
    words = {cell.casefold() for cell in cells}
    return not any("@" in cell for cell in cells) and bool(words & {"email", "e-mail", "mail", "address"})


def _addressee(line: int, cells: list[str]) -> Addressee:
    with_address = [cell for cell in cells if "@" in cell]
    if not with_address:
        raise Invalid("address.invalid", "there is no address on this line")
    if len(with_address) > 1:
        raise Invalid("address.invalid", "there are two addresses on this line; write one a line")
    named, address = "", with_address[0]
    if address.endswith(">"):
        named, address = parseaddr(address)
    names = [cell for cell in (named, *(c for c in cells if c is not with_address[0])) if cell]
    name = names[0] if names else ""
    if len(name) > LONGEST_NAME:
        raise Invalid("address.invalid", f"the name is longer than {LONGEST_NAME} characters")
    if any(unicodedata.category(c) == "Cc" for c in name):
        raise Invalid("address.invalid", "the name holds a control character")
    return Addressee(line, checked(address), name)
