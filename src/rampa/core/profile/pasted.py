"""Rules of packing by themselves, as they are proposed: read as if they were pasted below `[content]` of a document."""

from __future__ import annotations

import tomllib

from rampa.core.errors import Invalid
from rampa.core.profile.edits import Edit, apply_edits

KEYS = ("compression", "packing", "player_frame")


def with_rules(text: str, document: str) -> str:
    """A whole profile document is given back as it is. Raises `Invalid` for other keys than those of packing."""
    try:
        values = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError):
        return text  # whoever reads it as a document says where it is wrong
    if "profiles" in values:
        return text
    content = values["content"] if list(values) == ["content"] and isinstance(values["content"], dict) else values
    unknown = [key for key in content if key not in KEYS]
    if unknown or not content:
        said = f"{', '.join(unknown)} cannot be said here" if unknown else "nothing is said in it"
        raise Invalid(
            "rules.unknown",
            f"these are no rules of packing: {said}",
            where="rules",
            hint=f"Give {', '.join(KEYS)}, or a whole profile document, which can say depots, too.",
        )
    return apply_edits(document, [Edit(("content", key), value) for key, value in content.items()])
