"""Serving the console's files. Any other address is the console's own and gets its page; `/api` never does."""

from __future__ import annotations

import mimetypes
from pathlib import Path

from flask import Flask, Response, abort, request, send_from_directory

from rampa.operations.base import Act
from rampa.service.base.access import AccessTable

POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
ABSENT = "The console was not built. Run bin/up, or `npm run build` in console/.\n"


ENCODINGS = {"br": ".br", "gzip": ".gz"}
"""What the build leaves beside an asset, the smallest first."""
FOR_EVER = 31536000
"""Seconds: an asset's name holds a digest of its content."""


def install(app: Flask, folder: Path | None, table: AccessTable) -> None:
    def console(path: str) -> Response:
        if path.startswith(("api/", "healthz", "readyz", "metrics")):
            abort(404)
        if folder is None or not (folder / "index.html").is_file():
            return Response(ABSENT, status=503, content_type="text/plain")
        if path.startswith("assets/"):
            response = _asset(folder, path)
        else:
            # A page names its assets by digest: kept, it would ask for those of an earlier version.
            response = send_from_directory(folder, "index.html", max_age=0)
            response.headers["Content-Security-Policy"] = POLICY
        response.headers["Referrer-Policy"] = "same-origin"
        return response

    app.add_url_rule("/", "console", console, defaults={"path": ""})
    app.add_url_rule("/<path:path>", "console", console)
    table.acts["console"] = Act.OPEN


def _asset(folder: Path, path: str) -> Response:
    """As small as the browser takes it; nothing is compressed while somebody waits."""
    kind = mimetypes.guess_type(path)[0] or "application/octet-stream"
    for encoding, ending in ENCODINGS.items():
        if request.accept_encodings[encoding] and (folder / f"{path}{ending}").is_file():
            response = send_from_directory(folder, path + ending, mimetype=kind, max_age=FOR_EVER)
            response.headers["Content-Encoding"] = encoding
            break
    else:
        response = send_from_directory(folder, path, mimetype=kind, max_age=FOR_EVER)
    # Caches on the way must not give a compressed answer to who did not ask for it.
    response.vary.add("Accept-Encoding")
    return response
