"""Being watched: request ids, logs, metrics, health."""

from __future__ import annotations

import re
import sys
import time
import uuid

import structlog
from flask import Flask, Response, g, request
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Counter, Histogram, generate_latest
from sqlalchemy import text

from rampa.core.errors import RampaError, Unavailable
from rampa.operations.base import Act, Services
from rampa.service.base.access import AccessTable

REQUEST_ID = re.compile(r"[A-Za-z0-9._-]{8,64}")
log = structlog.get_logger()


def configure_logs() -> None:
    """JSON lines on standard error. What is logged is chosen field by field: no bodies, no headers, no secrets."""
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=sys.stderr),
    )


def install(app: Flask, services: Services, table: AccessTable) -> None:
    registry = CollectorRegistry()
    requests = Counter("rampa_requests", "Requests answered", ["method", "route", "status"], registry=registry)
    seconds = Histogram("rampa_request_seconds", "Time to answer, seconds", ["route"], registry=registry)
    received = Counter("rampa_received_bytes", "Bytes of request bodies", registry=registry)

    @app.before_request
    def start() -> None:
        # A caller's own id is taken over, so that one search finds both sides; nothing but an id, for it goes into the
        # log.
        given = request.headers.get("X-Request-ID", "")
        g.request_id = given if REQUEST_ID.fullmatch(given) else uuid.uuid4().hex
        g.started = time.perf_counter()
        structlog.contextvars.clear_contextvars()
        structlog.contextvars.bind_contextvars(request_id=g.request_id)

    @app.after_request
    def finish(response: Response) -> Response:
        took = time.perf_counter() - g.get("started", time.perf_counter())
        # The rule, not the path: a label for every build would fill the memory of whoever collects.
        route = request.url_rule.rule if request.url_rule else "none"
        requests.labels(request.method, route, str(response.status_code)).inc()
        seconds.labels(route).observe(took)
        received.inc(request.content_length or 0)
        response.headers["X-Request-ID"] = g.get("request_id", "")
        if not request.path.startswith(("/assets/", "/healthz", "/metrics", "/readyz")):
            log.info(
                "answered",
                method=request.method,
                path=request.path,
                status=response.status_code,
                ms=round(took * 1000, 1),
                who=getattr(g.get("actor"), "name", ""),
            )
        return response

    _health(app, services, table, registry)


def _health(app: Flask, services: Services, table: AccessTable, registry: CollectorRegistry) -> None:
    def healthz() -> Response:
        return Response("alive\n", content_type="text/plain")

    def readyz() -> Response:
        try:
            with services.db.transaction() as session:
                session.execute(text("select 1"))
        except RampaError as error:
            raise Unavailable("service.not-ready", error.message, hint=error.hint) from error
        return Response("ready\n", content_type="text/plain")

    def metrics() -> Response:
        return Response(generate_latest(registry), content_type=CONTENT_TYPE_LATEST)

    for view in (healthz, readyz, metrics):
        app.add_url_rule(f"/{view.__name__}", view.__name__, view)
        table.acts[view.__name__] = Act.OPEN
