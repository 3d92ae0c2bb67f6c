"""Which routes the tests of the service call: after a whole run, one that none calls fails the run.

Tests that walk over every route (who may call it, what its document says, how many queries it takes) do not count: they say
nothing of what a route is for.
"""

from __future__ import annotations

import os
from typing import Any

import pytest
from flask import Flask, request

WALKERS = ("test_every_route_with_every_role", "test_openapi.py", "test_queries.py", "test_calls_are_refused_by_code")
METHODS = {"GET", "POST", "PUT", "PATCH", "DELETE"}
called: set[str] = set()
known: set[str] = set()


def record(app: Flask) -> None:
    """Remembers what is called in this process from now on."""
    known.update(f"{m} {r.rule}" for r in app.url_map.iter_rules() for m in r.methods or () if m in METHODS)

    @app.before_request
    def remember() -> None:
        now = os.environ.get("PYTEST_CURRENT_TEST", "")
        if request.url_rule is not None and not any(word in now for word in WALKERS):
            called.add(f"{request.method} {request.url_rule.rule}")


class Hits:
    """Gathers what the processes of a parallel run called, and says what nobody did."""

    def __init__(self, config: pytest.Config) -> None:
        self._config = config

    def pytest_sessionfinish(self, session: pytest.Session) -> None:
        answer = getattr(self._config, "workeroutput", None)
        if answer is not None:
            answer["routes"] = (sorted(called), sorted(known))
        elif self.missing():
            session.exitstatus = pytest.ExitCode.TESTS_FAILED

    @pytest.hookimpl(optionalhook=True)
    def pytest_testnodedown(self, node: Any) -> None:
        there, every = getattr(node, "workeroutput", {}).get("routes", ((), ()))
        called.update(there)
        known.update(every)

    def pytest_terminal_summary(self, terminalreporter: Any) -> None:
        for route in self.missing():
            terminalreporter.write_line(f"no test calls {route}", red=True)

    def missing(self) -> list[str]:
        """Of a whole run only: a part of the tests calls a part of the routes."""
        whole = self._config.args_source.name != "ARGS" and not self._config.option.keyword
        return sorted(known - called) if whole else []
