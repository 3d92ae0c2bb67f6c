"""Errors as problem details (RFC 9457), with a time to wait where waiting can help."""

from __future__ import annotations

import json

from flask import Flask, Response
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from rampa.core import errors

STATUS: dict[type[errors.RampaError], int] = {
    errors.Invalid: 422,
    errors.NotFound: 404,
    errors.Denied: 403,
    errors.Conflict: 409,
    errors.Refused: 409,
    errors.Damaged: 422,
    errors.Unavailable: 503,
}
WAIT = 20
"""Seconds, of what is not there now."""


def install(app: Flask) -> None:
    app.register_error_handler(errors.RampaError, _ours)
    app.register_error_handler(HTTPException, _http)


def invalid(error: ValidationError) -> Response:
    """What flask-openapi found wrong with a request."""
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    return _problem(422, "request.invalid", "invalid", f"{where}: {first['msg']}", where, "")


def _ours(error: errors.RampaError) -> Response:
    status = next((s for kind, s in STATUS.items() if isinstance(error, kind)), 500)
    if error.code.startswith("token.") and error.code != "token.scope":
        status = 401
    answer = _problem(status, error.code, error.kind, error.message, error.where, error.hint)
    if status == 503:
        answer.headers["Retry-After"] = str(WAIT)
    if status in (401, 403) and error.code.startswith("token."):
        said = "insufficient_scope" if status == 403 else "invalid_token"
        answer.headers["WWW-Authenticate"] = f'Bearer error="{said}"'
    return answer


def _http(error: HTTPException) -> Response:
    status = error.code or 500
    return _problem(status, f"http.{status}", "error", error.description or error.name, "", "")


def _problem(status: int, code: str, kind: str, detail: str, where: str, hint: str) -> Response:
    body = {
        "type": f"tag:rampa.example,2026:storefront/{code}",
        "title": code,
        "status": status,
        "detail": detail,
        "code": code,
        "kind": kind,
        "where": where,
        "hint": hint,
    }
    return Response(json.dumps(body), status=status, content_type="application/problem+json")
