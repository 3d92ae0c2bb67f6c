"""Prints the OpenAPI document, for the console's types and the docs. Needs no database."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from rampa.db import Database
from rampa.operations.base import Services
from rampa.service.wiring import make_app
from rampa.store.folder import FolderStore


def openapi_document() -> dict[str, object]:
    with tempfile.TemporaryDirectory() as scratch:
        services = Services(Database("postgresql+psycopg://"), FolderStore(Path(scratch)), bytes(32))
        document: dict[str, object] = make_app(services).api_doc
        return document


if __name__ == "__main__":
    json.dump(openapi_document(), sys.stdout, indent=1, sort_keys=True)
    sys.stdout.write("\n")
