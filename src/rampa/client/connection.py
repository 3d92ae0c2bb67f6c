"""One way to the service: requests, patience, and the service's problems as our errors.

RampaError (rampa.core.errors)
|-- Denied        401, 403, 429
|-- NotFound      404
|-- Conflict      409 and 412, 428
|-- Invalid       400, 413, 415, 422
`-- Unavailable   5xx, and no answer at all
"""

from __future__ import annotations

import time
import uuid
from collections.abc import Callable, Iterator
from typing import Any, TypeVar

import httpx
from pydantic import BaseModel, ValidationError

from rampa.client.bearer import Bearer
from rampa.core import errors
from rampa.schema.common import Page, Problem
from rampa.schema.people import CodeIn

M = TypeVar("M", bound=BaseModel)

BY_STATUS: dict[int, type[errors.RampaError]] = {
    401: errors.Denied,
    403: errors.Denied,
    404: errors.NotFound,
    409: errors.Conflict,
    412: errors.Conflict,
    428: errors.Conflict,
    429: errors.Denied,
}
PATIENCE = 60.0
"""Seconds to go on trying while the service does not answer: it may be starting again."""
NO_WAIT = frozenset({"store.full"})


AN_ADDRESS = "It reads http://HOST:PORT or https://HOST."


class Connection:
    """`address` such as http://127.0.0.1:8600; `token` a bearer secret, or `bearer` a source of them. `transport` is for
    tests.

    `timeout` seconds without a byte are no answer; `patience` seconds go by before that is an error. Raises `Invalid` for
    an address that is none.
    """

    def __init__(
        self,
        address: str,
        token: str = "",
        *,
        bearer: Bearer | None = None,
        transport: httpx.BaseTransport | None = None,
        patience: float = PATIENCE,
        timeout: float = 120.0,
        sleep: Callable[[float], None] = time.sleep,
    ) -> None:
        self.address = _checked(address)
        self.bearer = bearer or Bearer(token)
        limit = httpx.Timeout(timeout, connect=min(10.0, timeout))
        limits = httpx.Limits(max_connections=16, max_keepalive_connections=16)
        self._http = httpx.Client(
            base_url=self.address,
            auth=self.bearer,
            timeout=limit,
            limits=limits,
            transport=transport,
            trust_env=False,
            # A service over an object store sends devices there; credentials do not go along to another host.
            follow_redirects=True,
            # Loading the certificates takes 50 ms; an address without TLS has nothing to check by them.
            verify=self.address.startswith("https:"),
        )
        self._patience = patience
        self.ask_code: Callable[[], str] | None = None
        """Brings a code of the second factor where an act asks for it; without it the act is denied."""
        self._sleep = sleep

    def close(self) -> None:
        self._http.close()

    def get(self, kind: type[M], path: str, /, **query: object) -> M:
        asked = {k: str(v) for k, v in query.items() if v is not None}
        return self._read(kind, self.request("GET", path, params=asked))

    def pages(self, kind: type[Page[Any]], path: str, /, **query: object) -> Iterator[Any]:
        """All items of a list, page after page."""
        cursor = query.pop("cursor", None)
        while True:
            page = self.get(kind, path, **query, cursor=cursor)
            yield from page.items
            cursor = page.next
            if cursor is None:
                return

    def post(self, kind: type[M], path: str, body: BaseModel | None = None, *, key: str = "", if_match: str = "") -> M:
        """`key` makes a creating call repeatable; one is made up where none is given."""
        # What the call was about is kept: another client of the same call gets its answer, not a second build.
        headers = {"Idempotency-Key": key or uuid.uuid4().hex, "Content-Type": "application/json"}
        if if_match:
            headers["If-Match"] = if_match
        content = body.model_dump_json(exclude_unset=True).encode() if body is not None else b"{}"
        return self.send(kind, "POST", path, content, headers)

    def send(self, kind: type[M], method: str, path: str, content: bytes, headers: dict[str, str]) -> M:
        """A call with a body of bytes, and its answer read."""
        return self._read(kind, self.request(method, path, content=content, headers=headers))

    def request(self, method: str, path: str, **more: Any) -> httpx.Response:
        """Tries again while the service does not answer. All our calls can be sent twice."""
        end = time.monotonic() + self._patience
        wait = 0.2
        while True:
            try:
                return self._once(method, path, **more)
            except errors.Denied as error:
                if error.code != "confirm.needed" or self.ask_code is None:
                    raise
                self._confirm(self.ask_code())
                return self._once(method, path, **more)
            except errors.Unavailable as error:
                if error.code in NO_WAIT or time.monotonic() + wait > end:
                    raise
            self._sleep(wait)
            wait = min(wait * 1.7, 5.0)

    def stream(self, path: str) -> Iterator[bytes]:
        """The bytes of an address, a mebibyte at a time. Raises `Unavailable` when they end early."""
        try:
            with self._http.stream("GET", path) as response:
                if response.status_code >= 400:
                    response.read()
                    raise problem_error(response)
                yield from response.iter_bytes(1 << 20)
        except httpx.TransportError as error:
            raise errors.Unavailable(
                "service.unreachable", "the download broke off", hint="Run the same command again."
            ) from error

    def lines(self, kind: type[M], path: str, body: BaseModel) -> Iterator[M]:
        """What a long call says meanwhile, a JSON document a line. Raises `Unavailable` when it breaks off."""
        content, headers = body.model_dump_json(exclude_unset=True).encode(), {"Content-Type": "application/json"}
        try:
            with self._http.stream("POST", path, content=content, headers=headers) as response:
                if response.status_code >= 400:
                    response.read()
                    raise problem_error(response)
                for line in response.iter_lines():
                    yield kind.model_validate_json(line)
        except (httpx.TransportError, ValidationError) as error:
            raise errors.Unavailable("service.unreachable", "the answer broke off") from error

    def events(self, path: str, after: int) -> Iterator[tuple[str, str]]:
        """(event, data) of server-sent events; after a broken connection it goes on from the last that came, until `end`."""
        broken = 0
        while True:
            # The number of the last event that came, not of the last that was shown: nothing is missed and nothing
            # comes twice.
            headers = {"Last-Event-ID": str(after), "Accept": "text/event-stream"}
            try:
                with self._http.stream("GET", path, headers=headers, timeout=httpx.Timeout(30, connect=10)) as response:
                    if response.status_code >= 400:
                        response.read()
                        raise problem_error(response)
                    for event, number, data in _read_events(response.iter_lines()):
                        broken, after = 0, number if number is not None else after
                        yield event, data
                        if event == "end":
                            return
            except (httpx.TransportError, errors.Unavailable) as error:
                broken += 1
                if broken * 2 > self._patience:
                    raise errors.Unavailable(
                        "service.unreachable", "the service stopped answering", hint="Run the same command again."
                    ) from error
                self._sleep(min(0.2 * broken, 2.0))

    def _confirm(self, code: str) -> None:
        body = CodeIn(code=code).model_dump_json().encode()
        self._once("POST", "/api/v1/session/confirmation", content=body, headers={"Content-Type": "application/json"})

    def _once(self, method: str, path: str, **more: Any) -> httpx.Response:
        try:
            response = self._http.request(method, path, **more)
        except httpx.TransportError as error:
            raise errors.Unavailable(
                "service.unreachable",
                f"the service at {self.address} does not answer",
                hint="Start it with bin/up, then run the same command again: nothing that arrived is lost.",
            ) from error
        if response.status_code >= 400:
            raise problem_error(response)
        return response

    def _read(self, kind: type[M], response: httpx.Response) -> M:
        try:
            return kind.model_validate_json(response.content)
        except ValidationError as error:
            raise errors.Invalid(
                "answer.unknown",
                f"the answer from {self.address} is not what this version of Rampa knows",
                hint="Use a command line of the service's version.",
            ) from error


def _checked(address: str) -> str:
    try:
        url = httpx.URL(address)
    except httpx.InvalidURL as error:
        raise errors.Invalid("address.invalid", f"{address!r} is not an address ({error})", hint=AN_ADDRESS) from error
    if url.scheme not in ("http", "https") or not url.host:
        raise errors.Invalid("address.invalid", f"{address!r} is not an address", hint=AN_ADDRESS)
    return address.rstrip("/")


def _read_events(lines: Iterator[str]) -> Iterator[tuple[str, int | None, str]]:
    """Events with their numbers (HTML Living Standard, section 9.2.6); signs of life are left out."""
    event, number, data = "", None, ""
    for line in lines:
        if not line:
            if event:
                yield event, number, data
            event, number, data = "", None, ""
        elif line.startswith("event: "):
            event = line[7:]
        elif line.startswith("id: ") and line[4:].isdigit():
            number = int(line[4:])
        elif line.startswith("data: "):
            data = line[6:]


def problem_error(response: httpx.Response) -> errors.RampaError:
    """The error that a problem document stands for."""
    status = response.status_code
    kind = BY_STATUS.get(status, errors.Unavailable if status >= 500 else errors.Invalid)
    try:
        problem = Problem.model_validate_json(response.content)
    except ValidationError:
        return kind(f"http.{status}", f"the service answered {status}", hint="Is this the address of a Rampa service?")
    detail = problem.detail
    if len(problem.problems) > 1 and "\n" not in detail:
        detail += "".join(f"\n  {p.where}: {p.message}" for p in problem.problems)
    return errors.KINDS.get(problem.kind, kind)(problem.code, detail, where=problem.where, hint=problem.hint)
