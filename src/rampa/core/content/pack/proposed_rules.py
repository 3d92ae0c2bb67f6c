"""What was measured as rules for a profile document, to be pasted."""

from __future__ import annotations

import json

from rampa.core.content.layout.rules import USUAL_RULES
from rampa.core.content.pack.compression import LEVEL
from rampa.core.content.pack.trials import Tuned

LEAST = 0.001
"""Of the content: a rule for less saves nobody anything."""


def rule_of(ending: str, rule: str) -> tuple[str, str]:
    """The pattern of files of one ending, and how they are packed."""
    return "*" if ending == "(none)" else f"*{ending}", "stored" if rule == "stored" else f"{LEVEL} {rule}"


def rules_text(found: Tuned, frame: int = 0) -> str:
    """Keys of the `[content]` table; only what differs from the usual. `frame`: MiB, of packs for players, where they were
    tried."""
    lines = []
    if found.best != LEVEL:
        lines.append(f"compression = {found.best}")
    rules = dict(rule_of(e.ending, e.rule) for e in found.endings if e.rule and e.size >= LEAST * found.size)
    if rules:
        # What JSON writes for texts, TOML reads.
        said = ", ".join(f"{json.dumps(p, ensure_ascii=False)} = {json.dumps(r)}" for p, r in rules.items())
        lines.append(f"packing = {{ {said} }}")
    if frame not in (0, USUAL_RULES.frame):
        lines.append(f"player_frame = {frame}")
    return "\n".join(lines)
