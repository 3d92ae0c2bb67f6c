"""HTTP to hosts that people name: each request's host is looked up once and asked there, never inside the operator's own networks
unless they are listed."""

from __future__ import annotations

import time
from collections.abc import Iterator

import httpx

from rampa.core.errors import Invalid, Unavailable
from rampa.core.run.repository_address import URL, Host, host_of
from rampa.store.reach import Reach


def check_address(address: str) -> Host:
    """Raises `Invalid` for what is no address of HTTP, and for one that names a user."""
    host, url = host_of(address), URL.fullmatch(address)
    if host is None or url is None or host.scheme not in ("http", "https") or url["user"] or not 0 < host.port < 65536:
        hint = "It reads https://HOST/PATH, without a user or a password."
        raise Invalid("webhook.address", "this is no address that can be asked over HTTP", where="address", hint=hint)
    return host


class _Within(httpx.SyncByteStream):
    """So many bytes, until then."""

    def __init__(self, inner: httpx.SyncByteStream, most: int, until: float) -> None:
        self._inner, self._left, self._until = inner, most, until

    def __iter__(self) -> Iterator[bytes]:
        for piece in self._inner:
            self._left -= len(piece)
            if self._left < 0 or time.monotonic() > self._until:
                raise Unavailable("http.endless", "an answer does not end")
            yield piece

    def close(self) -> None:
        self._inner.close()


class GuardedTransport(httpx.BaseTransport):
    """Raises `Invalid` for a host that is out of reach, before anything is sent. With `most`, an answer of more bytes, one that
    is packed, or one that takes longer than `seconds` is `Unavailable`."""

    def __init__(self, reach: Reach, most: int = 0, seconds: float = 60.0) -> None:
        self._reach, self._inner = reach, httpx.HTTPTransport(trust_env=False)
        self._most, self._seconds = most, seconds

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        address = str(request.url)
        host = check_address(address)
        first = str(self._reach.look_up(host)[0])
        # The name is asked once: where it leads a moment later does not matter.
        pinned = host.with_name(address, f"[{first}]" if ":" in first else first)
        headers = request.headers.copy()
        headers["host"] = host.name if host.port in (80, 443) else f"{host.name}:{host.port}"
        more = dict(request.extensions)
        if host.scheme == "https":
            more["sni_hostname"] = host.name.strip("[]")
        if self._most:
            headers["accept-encoding"] = "identity"
        answer = self._inner.handle_request(
            httpx.Request(request.method, pinned, headers=headers, stream=request.stream, extensions=more)
        )
        if self._most:
            if answer.headers.get("content-encoding", "identity") != "identity":
                answer.close()
                raise Unavailable("http.packed", f"{host.name} answers packed, which was not asked for")
            assert isinstance(answer.stream, httpx.SyncByteStream)
            answer.stream = _Within(answer.stream, self._most, time.monotonic() + self._seconds)
        return answer

    def close(self) -> None:
        self._inner.close()
