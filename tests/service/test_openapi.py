"""schemathesis over the whole document: every answer is one that the document names, whatever is asked."""

from __future__ import annotations

from pathlib import Path

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings
from schemathesis.specs.openapi.checks import ignored_auth, positive_data_acceptance, unsupported_method

from tests.conftest import World
from tests.samples import add_key, build, import_title, make_folder


@pytest.fixture
def filled(world: World, tmp_path: Path) -> World:
    with world.client() as client:
        add_key(client)
        import_title(client)
        build(client, make_folder(tmp_path / "source", 50_000), tmp_path / "state")
    return world


# A document's own rules (a profile document, a PKCS#12 file) refuse what the schema lets through; our tests of roles and
# methods walk every route themselves.
NOT_OURS = [ignored_auth, positive_data_acceptance, unsupported_method]


def test_every_answer_is_documented(filled: World) -> None:
    schema = schemathesis.openapi.from_wsgi("/api/v1/openapi.json", filled.app)
    # The transport in this process reads no compressed answers.
    headers = {"Authorization": f"Bearer {filled.token()}", "Accept-Encoding": "identity"}
    few = settings(
        max_examples=2, deadline=None, suppress_health_check=list(HealthCheck), derandomize=True, database=None
    )
    operations = 0
    for result in schema.get_all_operations():
        operation = result.ok()  # type: ignore[union-attr]
        operations += 1

        @few
        @given(case=operation.as_strategy())
        def run(case: schemathesis.Case) -> None:
            if case.path.endswith("/work") and isinstance(case.body, dict):
                case.body["wait"] = 0  # an agent's question waits for work as long as it says
            case.call_and_validate(headers=headers, excluded_checks=NOT_OURS)

        run()
    assert operations > 40
