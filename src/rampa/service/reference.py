"""Prints docs/http.md from the OpenAPI document: `python -m rampa.service.reference > docs/http.md`."""

from __future__ import annotations

import sys
from typing import Any

from rampa.service.document import openapi_document

HEAD = """\
# HTTP

Made from the OpenAPI 3.1 document (`/api/v1/openapi.json`) by `python -m rampa.service.reference`; do not edit.

Send `Authorization: Bearer TOKEN`. Errors are problem details (RFC 9457) with a stable `type`, `code`, `where` and `hint`.
Lists give `next` and a `Link` header (RFC 8288); send it as `cursor`. Creating calls take `Idempotency-Key`: the same call
with the same key gives the same answer for seven days. Calls that change something seen before need `If-Match` with the
ETag that was answered (428 without, 412 when it moved), or `*`. 503 and 507 can be tried again.

"""


def reference() -> str:
    document: dict[str, Any] = openapi_document()
    lines = [HEAD]
    by_tag: dict[str, list[tuple[str, str, dict[str, Any]]]] = {}
    for path, calls in document["paths"].items():
        for method, call in calls.items():
            by_tag.setdefault(call["tags"][0], []).append((path, method.upper(), call))
    for tag, calls_of in by_tag.items():
        lines += [f"## {tag.capitalize()}\n", "| call | what | takes | gives |", "|---|---|---|---|"]
        lines += [_row(path, method, call) for path, method, call in calls_of]
        lines.append("")
    lines += ["## Types\n"]
    for name, schema in sorted(document["components"]["schemas"].items()):
        lines += _type(name, schema)
    return "\n".join(lines)


def _row(path: str, method: str, call: dict[str, Any]) -> str:
    body = call.get("requestBody", {}).get("content", {})
    takes = ", ".join(_schema(kind, c["schema"]) for kind, c in body.items())
    query = ", ".join(p["name"] for p in call.get("parameters", []) if p["in"] in ("query", "header"))
    good: dict[str, Any] = next((r for status, r in call["responses"].items() if status in ("200", "201", "204")), {})
    gives = ", ".join(_schema(kind, c["schema"]) for kind, c in good.get("content", {}).items()) or "nothing"
    what = call.get("summary", "").rstrip(".")
    return f"| `{method} {path}` | {what} | {', '.join(x for x in (takes, query) if x)} | {gives} |"


def _schema(kind: str, schema: dict[str, Any]) -> str:
    if "$ref" in schema:
        return _linked(schema["$ref"].rsplit("/", 1)[-1])
    return kind


def _linked(name: str) -> str:
    return f"[{name}](#{name.lower()})"


def _type(name: str, schema: dict[str, Any]) -> list[str]:
    described = " ".join(str(schema.get("description", "")).split())
    rows = [f"### {name}\n", f"{described}\n" if described else ""]
    if "enum" in schema:
        return [*rows, "One of: " + ", ".join(f"`{v}`" for v in schema["enum"]) + ".\n"]
    needed = set(schema.get("required", []))
    rows += ["| field | type | must be sent |", "|---|---|---|"]
    rows += [
        f"| `{field}` | {_kind(s)} | {'yes' if field in needed else ''} |"
        for field, s in schema.get("properties", {}).items()
    ]
    return [*rows, ""]


def _kind(schema: dict[str, Any]) -> str:
    if "$ref" in schema:
        return _linked(schema["$ref"].rsplit("/", 1)[-1])
    if "anyOf" in schema:
        return " or ".join(_kind(s) for s in schema["anyOf"])
    if schema.get("type") == "array":
        return f"list of {_kind(schema.get('items', {}))}"
    if "enum" in schema:
        return " or ".join(f"`{v}`" for v in schema["enum"])
    return str(schema.get("format") or schema.get("type", "anything"))


if __name__ == "__main__":
    sys.stdout.write(reference())
