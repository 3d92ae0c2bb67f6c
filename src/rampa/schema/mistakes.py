"""What is wrong with input, as sentences for people: each place with its own."""

from __future__ import annotations

import re

from pydantic import ValidationError
from pydantic_core import ErrorDetails

from rampa.schema.common import ProblemItem


def mistakes(error: ValidationError) -> list[ProblemItem]:
    """The first fifty of them."""
    return [
        ProblemItem(where=".".join(str(part) for part in found["loc"])[:300] or "body", message=_sentence(found))
        for found in error.errors(include_url=False, include_input=False)[:50]
    ]


def _sentence(found: ErrorDetails) -> str:
    """Choices are listed as they are sent, not as the code has them."""
    if found["type"] == "literal_error":
        expected = re.sub(r"<[\w.]+: ('[^']*')>", r"\1", found["ctx"]["expected"])
        return f"Input should be {expected}"
    return found["msg"][:500]
