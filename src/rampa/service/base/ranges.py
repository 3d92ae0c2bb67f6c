"""A part of something large, as the caller asks for it (RFC 9110, section 14)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from flask import Response, request
from werkzeug.http import parse_range_header

BYTES = "application/octet-stream"


def ranged(size: int, read: Callable[[int, int], bytes | Iterable[bytes]], headers: Mapping[str, str]) -> Response:
    """`read(start, stop)`. 206 where a range is asked for, 416 without `headers` for one that is not there."""
    asked = parse_range_header(request.headers.get("Range"))
    span = asked.range_for_length(size) if asked else (0, size)
    if span is None:
        return Response(status=416, headers={"Content-Range": f"bytes */{size}"})
    response = Response(read(*span), content_type=BYTES)
    response.content_length = span[1] - span[0]
    if asked:
        response.status_code = 206
        response.headers["Content-Range"] = f"bytes {span[0]}-{span[1] - 1}/{size}"
    response.headers.update(headers)
    return response
