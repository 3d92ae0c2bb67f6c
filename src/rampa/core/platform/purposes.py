"""What a purpose means, as rules: development is debuggable, release carries nothing of that."""

from __future__ import annotations

from rampa.core.platform.requirements import OneOf, Set
from rampa.core.platform.rules import Rule

PURPOSES = ("development", "testing", "release")

PURPOSE_RULES: dict[str, tuple[Rule, ...]] = {
    "development": (
        Rule(
            "code.not-debuggable",
            "code.debug_helpers",
            OneOf((True,)),
            "a development build is there to be debugged",
            "warning",
        ),
    ),
    "testing": (
        Rule(
            "code.debug-helpers",
            "code.debug_helpers",
            OneOf((False,)),
            "testers would play with debug helpers in it: what they measure is not what players get",
            "warning",
        ),
        Rule(
            "signing.identity-missing",
            "signing.identity",
            Set("the name of a signing identity"),
            "the bundle would not be signed, and no channel takes it",
            "note",
            unset=True,
        ),
    ),
    "release": (
        Rule("code.debug-helpers", "code.debug_helpers", OneOf((False,)), "players would get the debug helpers"),
        Rule("code.diagnostics", "code.diagnostics", OneOf((False,)), "players would get the diagnostics"),
        Rule(
            "code.symbols-shipped",
            "code.symbols",
            OneOf(("split", "none")),
            "players would download the symbols, and anyone could read them",
        ),
        Rule(
            "signing.identity-missing",
            "signing.identity",
            Set("the name of a signing identity"),
            "the bundle would not be signed, and no channel takes it",
            unset=True,
        ),
    ),
}
