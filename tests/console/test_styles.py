"""Styles come with the page that uses them: a file uses classes of the look, or of a style file that it imports itself.

A page that is opened by its address loads its own styles only; what another page would have brought is not there.
"""

from __future__ import annotations

import re
from collections import defaultdict
from pathlib import Path

CONSOLE = Path(__file__).parents[2] / "console/src"
LOOK = CONSOLE / "app/look.css"


def classes_of(style: Path) -> set[str]:
    text = re.sub(r"/\*.*?\*/", "", style.read_text(), flags=re.DOTALL)
    return {name for head in re.findall(r"([^{}]+)\{", text) for name in re.findall(r"\.([a-zA-Z][\w-]*)", head)}


def used_in(text: str) -> set[str]:
    said = re.findall(r'className=(?:"([^"]*)"|\{([^}]*(?:\{[^}]*\}[^}]*)*)\})', text)
    # A word that is put together is not looked for: only its parts stand in the file.
    said = [(plain, re.sub(r"\S*\$\{[^}]*\}?\S*", "", computed)) for plain, computed in said]
    words = [plain or " ".join(re.findall(r'["`]([^"`$]*)', computed)) for plain, computed in said]
    return {word for part in words for word in part.split()}


def test_a_page_brings_the_styles_that_it_uses() -> None:
    made_in: dict[str, set[Path]] = defaultdict(set)
    for style in CONSOLE.rglob("*.css"):
        for name in classes_of(style):
            made_in[name].add(style)
    assert {"rows", "panel", "halves"} <= set(made_in), "the styles are read"
    wrong = []
    for file in CONSOLE.rglob("*.tsx"):
        text = file.read_text()
        brought = {(file.parent / name).resolve() for name in re.findall(r'import "([^"]+\.css)"', text)} | {LOOK}
        wrong += [f"{file.name}: {name}" for name in used_in(text) if made_in.get(name) and not made_in[name] & brought]
    assert wrong == []
