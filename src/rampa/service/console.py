"""Serving the console's files. Any other address is the console's own and gets its page; `/api` never does."""

from __future__ import annotations

from pathlib import Path

from flask import Flask, Response, abort, send_from_directory

from rampa.operations.base import Act
from rampa.service.base.access import AccessTable

POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
ABSENT = "The console was not built. Run bin/up, or `npm run build` in console/.\n"


def install(app: Flask, folder: Path | None, table: AccessTable) -> None:
    def console(path: str) -> Response:
        if path.startswith(("api/", "healthz", "readyz", "metrics")):
            abort(404)
        if folder is None or not (folder / "index.html").is_file():
            return Response(ABSENT, status=503, content_type="text/plain")
        if path.startswith("assets/"):
            response = send_from_directory(folder, path, max_age=31536000)
        else:
            response = send_from_directory(folder, "index.html", max_age=0)
            response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        return response

    app.add_url_rule("/", "console", console, defaults={"path": ""})
    app.add_url_rule("/<path:path>", "console", console)
    table.acts["console"] = Act.OPEN
