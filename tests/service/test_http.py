"""The wire itself: problem details, ranges, request ids, the OpenAPI document."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import World
from tests.samples import add_key, build, import_title, make_folder


@pytest.fixture
def http(world: World):  # type: ignore[no-untyped-def]
    client = world.app.test_client()  # type: ignore[attr-defined]
    client.environ_base["HTTP_AUTHORIZATION"] = f"Bearer {world.token()}"
    return client


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "code"),
    [
        ("GET", "/api/v1/nothing", None, 404, "http.404"),
        ("GET", "/api/v1/titles/fog", None, 404, "title.unknown"),
        ("GET", "/api/v1/titles/NOT%20A%20SLUG", None, 422, "request.invalid"),
        ("PUT", "/api/v1/titles", None, 405, "http.405"),
        ("POST", "/api/v1/titles", b"{not json", 422, "request.invalid"),
        ("POST", "/api/v1/titles", b"[" * 100_000, 422, "request.invalid"),
        ("POST", "/api/v1/titles", b'{"document": "x", "mesage": "y"}', 422, "request.invalid"),
        ("POST", "/api/v1/titles", b'{"document": "x = 1"}', 422, "document.invalid"),
        ("GET", "/api/v1/titles?limit=9999", None, 200, ""),
        ("GET", "/api/v1/events?limit=9999", None, 422, "request.invalid"),
        ("GET", "/api/v1/packs/" + "0" * 64, None, 404, "content.unknown"),
        ("GET", "/api/v1/packs/..%2f..%2fetc%2fpasswd", None, 404, "http.404"),
    ],
)
def test_problems_are_problem_details(http, method, path, body, status, code) -> None:  # type: ignore[no-untyped-def]
    answer = http.open(path, method=method, data=body, content_type="application/json")
    assert answer.status_code == status
    if status == 200:
        return
    assert answer.content_type == "application/problem+json"
    assert answer.json["code"] == code
    assert answer.json["type"].endswith(code)
    assert answer.json["detail"]
    if status == 405:
        assert "GET" in answer.headers["Allow"]
    if code == "document.invalid":
        assert answer.json["problems"][0]["line"] == 1


def test_request_ids_come_back(http) -> None:  # type: ignore[no-untyped-def]
    assert http.get("/api/v1/titles", headers={"X-Request-ID": "fog-12345"}).headers["X-Request-ID"] == "fog-12345"
    odd = http.get("/api/v1/titles", headers={"X-Request-ID": "<script>"}).headers["X-Request-ID"]
    assert len(odd) == 32


def test_packs_are_ranged_immutable_and_strong(world: World, http, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    with world.client() as client:
        add_key(client)
        import_title(client)
        build(client, make_folder(tmp_path / "source"), tmp_path / "state")
    pack = next((tmp_path / "store/packs").rglob("*.pack"))
    at, data = f"/api/v1/packs/{pack.stem}", pack.read_bytes()
    whole = http.get(at)
    assert whole.data == data
    assert whole.headers["ETag"] == f'"{pack.stem}"'
    assert "immutable" in whole.headers["Cache-Control"]
    part = http.get(at, headers={"Range": "bytes=10-29"})
    assert (part.status_code, part.data) == (206, data[10:30])
    assert http.get(at, headers={"Range": f"bytes={len(data)}-"}).status_code == 416
    assert http.get(at, headers={"If-None-Match": f'"{pack.stem}"'}).status_code == 304


def test_it_can_be_watched(http, world: World) -> None:  # type: ignore[no-untyped-def]
    assert http.get("/healthz").status_code == 200
    assert http.get("/readyz").status_code == 200
    http.get("/api/v1/titles")
    text = http.get("/metrics").text
    assert 'rampa_requests_total{method="GET",route="/api/v1/titles",status="200"}' in text
    world.services.db.engine.dispose()


def test_the_document_is_3_1_and_names_every_call(http) -> None:  # type: ignore[no-untyped-def]
    document = http.get("/api/v1/openapi.json").json
    assert document["openapi"].startswith("3.1")
    operations = [o for p in document["paths"].values() for o in p.values()]
    assert len({o["operationId"] for o in operations}) == len(operations) > 40
    assert all(o.get("summary") for o in operations)
    assert "application/problem+json" in operations[0]["responses"]["404"]["content"]


def test_the_reference_in_docs_is_current() -> None:
    from rampa.service.reference import reference

    kept = Path(__file__).parents[2] / "docs/http.md"
    assert kept.read_text() == reference(), "run: python -m rampa.service.reference > docs/http.md"
