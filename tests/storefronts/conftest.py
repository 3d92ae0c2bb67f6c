"""Simulated storefronts for the adapters' tests."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from rampa.local.postgres import Postgres
from rampa.schema.storefronts import Ability
from rampa.standin.storefront.character import Character, ReviewPolicy
from tests.conftest import NUMBERS
from tests.memory import drop_database, make_database, plain
from tests.shops import Quay, open_quay

Opens = Callable[..., Quay]


@pytest.fixture
def opens(postgres: Postgres, tmp_path: Path) -> Iterator[Opens]:
    """`opens("mossgate", policy=…, abilities=…)`: a storefront with an empty database of its own."""
    made: list[tuple[Quay, str]] = []
    admin, _ = plain(postgres.url())

    def open_(name: str, policy: ReviewPolicy | None = None, abilities: tuple[Ability, ...] | None = None) -> Quay:
        database = f"shop_{os.getpid()}_{next(NUMBERS)}"
        make_database(admin, database, "template0")
        url = postgres.url().rsplit("/", 1)[0] + f"/{database}"

        def change(character: Character) -> Character:
            if policy is not None:
                character = replace(character, policy=policy)
            return replace(character, abilities=abilities) if abilities is not None else character

        quay = open_quay(name, url, tmp_path / database, change)
        made.append((quay, database))
        return quay

    yield open_
    for quay, database in made:
        quay.shop.engine.dispose()
        drop_database(admin, database)
