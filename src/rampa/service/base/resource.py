"""A resource: its routes, each with method, path, who may call it and what it answers, in one declaration."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import wraps
from typing import Any
from urllib.parse import urlencode

from flask import Response, request
from flask_openapi.blueprint import APIBlueprint
from pydantic import BaseModel, ConfigDict, Field

from rampa.core.errors import Conflict, Invalid
from rampa.operations.base import Act, Once
from rampa.schema.common import Page, Problem, Wire
from rampa.service.base.problems import MEDIA_TYPE, TITLES

PREFIX = "/api/v1"
ERRORS = (400, 401, 403, 404, 409, 412, 413, 415, 422, 428, 429, 503, 507)
BINARY = {"schema": {"type": "string", "format": "binary"}}


class CreateHeaders(BaseModel):
    """Creating calls can be sent twice with the same key."""

    model_config = ConfigDict(populate_by_name=True)
    idempotency_key: str | None = Field(
        None, alias="Idempotency-Key", min_length=8, max_length=200, pattern=r"^[!-~]+$"
    )


class ChangeHeaders(BaseModel):
    """A change says which state it was made from (RFC 9110, section 13.1.1)."""

    model_config = ConfigDict(populate_by_name=True)
    if_match: str | None = Field(None, alias="If-Match", max_length=100)


class CreateFromHeaders(CreateHeaders):
    """Both of the above."""

    if_match: str | None = Field(None, alias="If-Match", max_length=100)


class Resource(APIBlueprint):
    """`acts` collects what each endpoint does, for the access table."""

    def __init__(self, name: str) -> None:
        super().__init__(name, __name__, url_prefix=PREFIX, abp_tags=[{"name": name}])
        self.acts: dict[str, Act] = {}

    def call(
        self,
        method: str,
        rule: str,
        act: Act,
        answer: type[BaseModel] | str | None,
        *,
        status: int = 200,
        sends: str | None = None,
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        """`answer` is a wire type, a media type of bytes, or None for no content. `sends`: media type of a raw body."""

        def declare(view: Callable[..., Any]) -> Callable[..., Any]:
            self.acts[f"{self.name}.{view.__name__}"] = act
            request_body = {"content": {sends: BINARY}, "required": True} if sends else None
            register = getattr(self, method.lower())
            register(
                rule,
                operation_id=view.__name__,
                responses=_responses(answer, status),
                security=[] if act is Act.OPEN else [{"bearer": []}, {"cookie": []}],
                **({"request_body": request_body} if request_body else {}),
            )(_answering(view, status))
            return view

        return declare


def _answering(view: Callable[..., Any], status: int) -> Callable[..., Any]:
    """Turns what a view returns into a response: a wire type, a response of its own, or nothing."""

    @wraps(view)
    def answered(*args: Any, **kwargs: Any) -> Response:
        made = view(*args, **kwargs)
        if isinstance(made, Response):
            return made
        if made is None:
            return Response(status=204)
        etag = None
        if isinstance(made, tuple):
            made, etag = made
        assert isinstance(made, Wire)
        response = Response(made.model_dump_json(), status=status, content_type="application/json")
        if etag is not None:
            response.headers["ETag"] = f'"{etag}"'
        if isinstance(made, Page) and made.next:
            response.headers["Link"] = f'<{_next_address(made.next)}>; rel="next"'
        return response

    return answered


def _next_address(cursor: str) -> str:
    # The next page's address with every filter that was asked for.
    arguments = {**request.args.to_dict(), "cursor": cursor}
    return f"{request.path}?{urlencode(arguments)}"


def _responses(answer: type[BaseModel] | str | None, status: int) -> dict[str, Any]:
    if answer is None:
        answers: dict[str, Any] = {"204": {"description": "Done."}}
    elif isinstance(answer, str):
        answers = {str(status): {"description": "The bytes.", "content": {answer: BINARY}}}
        answers["206"] = {"description": "A range of the bytes.", "content": {answer: BINARY}}
        answers["416"] = _problem(416)
    else:
        answers = {str(status): answer}
    return answers | {str(code): _problem(code) for code in ERRORS}


def _problem(status: int) -> dict[str, Any]:
    reference = {"schema": {"$ref": f"#/components/schemas/{Problem.__name__}"}}
    return {"description": TITLES[status], "content": {MEDIA_TYPE: reference}}


def once_from(header: CreateHeaders) -> Once | None:
    """The Idempotency-Key with a digest of what was asked."""
    if header.idempotency_key is None:
        return None
    # The body is part of it: the same key for another body is a mistake, and must not get the first one's answer.
    asked = hashlib.sha256(f"{request.method} {request.path}\n".encode() + request.get_data())
    return Once(header.idempotency_key, asked.digest())


def expected_version(if_match: str | None, *, needed: bool) -> int | None:
    """The number in an If-Match that an earlier answer gave as ETag; None for `*` or, where it may be, for none."""
    if if_match is None:
        if needed:
            hint = "Send the ETag of the state that you saw, or * for whichever it is."
            raise Conflict("precondition.needed", "this change needs If-Match", where="If-Match", hint=hint)
        return None
    if if_match.strip() == "*":
        return None
    text = if_match.strip().strip('"')
    if not (text.isascii() and text.isdigit() and len(text) < 10):
        raise Invalid("precondition.invalid", "this is no ETag that was answered here", where="If-Match")
    return int(text)
