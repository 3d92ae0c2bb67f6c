"""What can be named is named by a test: commands, error codes, finding codes, pages of the console.

Read from the sources, so that what nobody tests is noticed on the day that it is written.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path

from rampa.cli import main as cli
from rampa.core import errors
from tests.cli.test_tree import commands

ROOT = Path(__file__).parents[1]
CODE = re.compile(r"[a-z_]+(?:[.-][a-z0-9_-]+)*\.[a-z0-9_-]+")
SEVERITIES = {"blocker", "warning", "note"}
RULES = {"Rule"}
"""Classes whose first value is a finding's code."""


@cache
def parsed(folder: str) -> dict[Path, ast.Module]:
    return {path: ast.parse(path.read_text()) for path in sorted((ROOT / folder).rglob("*.py"))}


def said(node: ast.expr) -> str:
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else ""


def called(node: ast.Call) -> str:
    return node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")


def calls() -> Iterator[tuple[Path, ast.Call]]:
    for path, tree in parsed("src/rampa").items():
        yield from ((path, node) for node in ast.walk(tree) if isinstance(node, ast.Call) and node.args)


@cache
def makers() -> set[str]:
    """The classes of errors, those that derive from them, and functions that hand a `code` to one of either."""
    known = {c.__name__ for c in errors.KINDS.values()} | {"RampaError", "StepFailed"}
    while True:
        found = {name for tree in parsed("src/rampa").values() for name in _makers(tree, known)} - known
        if not found:
            return known
        known |= found


def _makers(tree: ast.Module, known: set[str]) -> Iterator[str]:
    for node in ast.walk(tree):
        if isinstance(node, ast.ClassDef) and any(isinstance(b, ast.Name) and b.id in known for b in node.bases):
            yield node.name
        if isinstance(node, ast.FunctionDef) and [a.arg for a in node.args.args][:1] == ["code"]:
            inner = (n for n in ast.walk(node) if isinstance(n, ast.Call) and n.args and called(n) in known)
            if any(isinstance(n.args[0], ast.Name) and n.args[0].id == "code" for n in inner):
                yield node.name


def error_codes() -> dict[str, str]:
    """Code -> where it is raised."""
    return {
        said(call.args[0]): f"{path.relative_to(ROOT)}:{call.lineno}"
        for path, call in calls()
        if called(call) in makers() and CODE.fullmatch(said(call.args[0]))
    }


def finding_codes() -> dict[str, str]:
    found = {}
    for path, call in calls():
        words = [said(a) for a in call.args[:2]]
        code = words[0] if called(call) in RULES else words[-1] if words[0] in SEVERITIES else ""
        if CODE.fullmatch(code):
            found[code] = f"{path.relative_to(ROOT)}:{call.lineno}"
    return found


@cache
def named() -> set[str]:
    """Every string of the tests, and what stands in them between quotation marks, blanks or slashes."""
    words: set[str] = set()
    for path, tree in parsed("tests").items():
        if path != Path(__file__):
            texts = [n.value for n in ast.walk(tree) if isinstance(n, ast.Constant) and isinstance(n.value, str)]
            words.update(w for t in texts for w in (t, *re.split(r"[\s\"'|,/]+", t)))
    return words


def missing(codes: dict[str, str]) -> list[str]:
    return sorted(f"{code} ({place})" for code, place in codes.items() if code not in named())


def test_the_sources_are_understood() -> None:
    assert {"bad_zip", "StepFailed", "Damaged"} <= makers()
    assert len(error_codes()) > 300
    assert len(finding_codes()) > 60


def test_every_error_code_is_named_by_a_test() -> None:
    assert missing(error_codes()) == []


def test_every_finding_code_is_named_by_a_test() -> None:
    assert missing(finding_codes()) == []


def invocations() -> set[tuple[str, ...]]:
    """The first two words of every call of a test; `alone` runs what needs no service: bundles."""
    found: set[tuple[str, ...]] = set()
    for tree in parsed("tests").values():
        for node in ast.walk(tree):
            if isinstance(node, ast.Call | ast.Tuple | ast.List):
                words = [said(a) for a in (node.args if isinstance(node, ast.Call) else node.elts)[:2]]
                found.add(tuple(words))
                on = getattr(getattr(node, "func", None), "value", None)
                if isinstance(on, ast.Name) and on.id == "alone":
                    found.add(("bundle", *words[:1]))
    return found


def test_every_command_is_invoked_by_a_test() -> None:
    found = invocations()
    assert [name for name, _ in commands() if tuple(name.split()) not in found] == []
    assert [name for name in cli.COMMANDS if not any(words[:1] == (name,) for words in found)] == []


def test_every_page_of_the_console_is_opened_by_a_test() -> None:
    routing = (ROOT / "console/src/app/Routing.tsx").read_text()
    paths = [p for p in re.findall(r'<Route path="([^"]+)"', routing) if p != "*"]
    assert len(paths) > 30
    opened = "\n".join(path.read_text() for path in (ROOT / "tests/console").glob("*.py"))

    def pattern(path: str) -> str:
        """A parameter is any word; a test may put a constant for what all its pages begin with."""
        parts = [re.sub(r":\w+", r"[^/\\s\"'?]+", part) for part in path.split("/")]
        ways = ["/".join(parts), *(r"\{[A-Z]+\}/" + "/".join(parts[n:]) for n in range(1, len(parts)))]
        return rf"(?<![\w/])/?(?:{'|'.join(ways)})(?=[\"'?#\s])"

    assert [p for p in paths if not re.search(pattern(p), opened)] == []
