"""Errors as RFC 9457 problem details: one table from our errors to HTTP."""

from __future__ import annotations

import structlog
from flask import Flask, Response, g, request
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from rampa.core import errors
from rampa.core.profile.problems import DocumentInvalid
from rampa.core.quantity import counted
from rampa.schema.common import Problem, ProblemItem
from rampa.schema.mistakes import mistakes

MEDIA_TYPE = "application/problem+json"
TYPE_BASE = "https://rampa.example/problems/"

STATUS: dict[type[errors.RampaError], int] = {
    errors.Invalid: 422,
    errors.Denied: 403,
    errors.NotFound: 404,
    errors.Conflict: 409,
    errors.Refused: 409,
    errors.Damaged: 422,
    errors.Unavailable: 503,
}
STATUS_BY_CODE = {
    "sign-in.denied": 401,
    "sign-in.needed": 401,
    "sign-in.factor-needed": 401,
    "factor.throttled": 429,
    "health.throttled": 429,
    "token.expired": 401,
    "token.unknown-bearer": 401,
    "sign-in.throttled": 429,
    "unlock.throttled": 429,
    "precondition.needed": 428,
    "revision.moved": 412,
    "draft.moved": 412,
    "picture.too-large": 413,
    "notes.moved": 412,
    "channel.moved": 412,
    "variables.moved": 412,
    "call.signature": 401,
    "call.old": 401,
    "pack.too-large": 413,
    "request.too-large": 413,
    "store.full": 507,
}
TITLES = {
    400: "The request cannot be read",
    401: "Sign in first",
    403: "Not allowed",
    404: "Not found",
    405: "Not possible here",
    409: "Conflict",
    412: "It changed meanwhile",
    413: "Too large",
    415: "Unknown kind of content",
    416: "No such range",
    422: "Something in the request is wrong",
    428: "If-Match is needed",
    429: "Too many attempts",
    500: "The service failed",
    503: "Not available now",
    507: "Out of space",
}
log = structlog.get_logger()


def status_of(error: errors.RampaError) -> int:
    if error.code in STATUS_BY_CODE:
        return STATUS_BY_CODE[error.code]
    return next((s for kind, s in STATUS.items() if isinstance(error, kind)), 500)


def problem_response(problem: Problem) -> Response:
    return Response(problem.model_dump_json(), status=problem.status, content_type=MEDIA_TYPE)


def make_problem(status: int, code: str, detail: str, **more: object) -> Problem:
    title = TITLES.get(status, "Error")
    fields = {"type": TYPE_BASE + code, "title": title, "status": status, "detail": detail, "code": code}
    return Problem.model_validate(fields | more)


def on_rampa_error(error: errors.RampaError) -> Response:
    items = []
    if isinstance(error, DocumentInvalid):
        items = [
            ProblemItem(where=p.key, message=p.message, hint=p.hint, line=p.line, column=p.column)
            for p in error.problems[:200]
        ]
    status = status_of(error)
    # Defects and refusals for load are for whoever runs the service; what callers got wrong is for callers.
    if status >= 500:
        log.warning("refused", code=error.code, detail=error.message)
    said = {"kind": error.kind, "where": error.where, "hint": error.hint, "problems": items}
    problem = make_problem(status, error.code, error.message, **said)
    if isinstance(error, errors.Refused):
        problem.title = "A rule refuses it"
    response = problem_response(problem)
    if status == 401:
        response.headers["WWW-Authenticate"] = 'Bearer realm="rampa"'
    if status in (429, 503):
        response.headers["Retry-After"] = "5"
    return response


def on_validation_error(error: ValidationError) -> Response:
    """What pydantic found in a request: each place with its sentence."""
    items = mistakes(error)
    first = f"{items[0].where}: {items[0].message}"
    detail = first if len(items) == 1 else f"{counted(len(items), 'field')} are wrong; the first: {first}"
    return problem_response(make_problem(422, "request.invalid", detail, kind=errors.Invalid.kind, problems=items))


def on_http_exception(error: HTTPException) -> Response:
    if error.response is not None:
        return error.response  # type: ignore[return-value]
    status = error.code or 500
    detail = f"there is nothing at {request.path}" if status == 404 else (error.description or error.name)
    response = problem_response(make_problem(status, f"http.{status}", detail))
    for name, value in error.get_headers(request.environ):
        if name.lower() in ("allow", "retry-after", "content-range"):
            response.headers[name] = value
    return response


def on_surprise(error: Exception) -> Response:
    """A defect of ours. The log has it whole under the request's id; the caller gets the id and no internals."""
    if isinstance(error, RecursionError):
        return problem_response(make_problem(422, "request.invalid", "the request is nested too deep"))
    log.exception("failed")
    detail = f"the service failed; its log has the reason under request {g.get('request_id', 'unknown')}"
    return problem_response(make_problem(500, "service.failed", detail, hint="Tell the service's owner."))


def install(app: Flask) -> None:
    app.register_error_handler(errors.RampaError, on_rampa_error)
    app.register_error_handler(HTTPException, on_http_exception)
    app.register_error_handler(Exception, on_surprise)
