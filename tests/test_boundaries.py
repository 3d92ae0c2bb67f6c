"""The house's walls, from the outside."""

from __future__ import annotations

import ast
import importlib
import subprocess
import sys
from enum import StrEnum
from pathlib import Path

ROOT = Path(__file__).parents[1]


def test_the_client_library_brings_neither_flask_nor_sqlalchemy() -> None:
    code = (
        "from rampa.client import Client; from rampa.client.profiles import documents\nimport sys\n"
        "print([m for m in ('flask', 'sqlalchemy', 'typer') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_checking_a_document_needs_neither_the_network_nor_a_database() -> None:
    imports = "import rampa.client.profiles.documents, sys"
    code = imports + "\nprint([m for m in ('httpx', 'PIL', 'numpy', 'flask') if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_help_brings_neither_the_network_nor_the_wire_types() -> None:
    code = (
        "import sys\nfrom rampa.cli.main import main\ntry:\n main(['--help'])\nexcept SystemExit:\n pass\n"
        "print([m for m in ('httpx', 'pydantic', 'rich', 'numpy') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines()[-1] == "[]"


def states() -> set[str]:
    """Every state of every table."""
    enums = ("agent.life", "build.life", "placement.life", "run.life", "store.check_life", "content.patch.life")
    found = set()
    for name in enums:
        module = importlib.import_module(f"rampa.core.{name}")
        kinds = [k for k in vars(module).values() if isinstance(k, type) and issubclass(k, StrEnum)]
        found |= {str(s) for k in kinds if k.__name__.endswith("State") for s in k}
    return found


def compared(node: ast.AST) -> list[ast.expr]:
    """What is compared with, or handed in as, a state."""
    if isinstance(node, ast.Compare):
        sides = [node.left, *node.comparators]
        names = [s.attr if isinstance(s, ast.Attribute) else getattr(s, "id", "") for s in sides]
        return sides if "state" in names else []
    return [node.value] if isinstance(node, ast.keyword) and node.arg == "state" else []


def test_a_state_is_a_member_of_its_table_and_never_its_text() -> None:
    known, said = states(), []
    assert {"open", "ready", "whole", "growing", "working", "running"} <= known
    for path in sorted((ROOT / "src/rampa").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            texts = [c.value for side in compared(node) for c in ast.walk(side) if isinstance(c, ast.Constant)]
            said += [f"{path.relative_to(ROOT)}:{node.lineno}: {t}" for t in texts if t in known]  # type: ignore[attr-defined]
    assert said == []
