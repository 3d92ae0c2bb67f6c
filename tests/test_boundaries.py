"""The house's walls, from the outside."""

from __future__ import annotations

import subprocess
import sys


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
