"""Sending to hosts that people name: looked up once and asked there, never inside the operator's own networks unless listed,
with a limit on time and on what comes back.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from urllib.parse import urljoin

import httpx

from rampa.core.errors import Invalid, RampaError, Unavailable
from rampa.core.listing.link import Look
from rampa.store.guarded import GuardedTransport
from rampa.store.reach import Reach

SECONDS = 15.0
"""For all of it: connecting, sending, what comes back."""
SILENCE = 8.0
"""Without a byte."""
REDIRECTS = 5
MOST = 64 * 1024
"""Bytes of an answer that are read; the rest is left where it is."""


@dataclass(frozen=True)
class Answer:
    """`status` 0: there was none, and `said` is why."""

    status: int
    said: str
    milliseconds: int

    @property
    def taken(self) -> bool:
        return 200 <= self.status < 300


Post = Callable[[str, bytes, Mapping[str, str]], Answer]
Ask = Callable[[str, int], bytes]
"""(address, at most so many bytes) -> what is there. Raises `Unavailable`, and `Invalid` for what is out of reach."""


def poster(reach: Reach, clock: Callable[[], float] = time.monotonic, seconds: float = SECONDS) -> Post:
    """A function that sends once and never raises: what went wrong is the answer."""

    def post(address: str, body: bytes, headers: Mapping[str, str]) -> Answer:
        began = clock()

        def answer(status: int, said: str) -> Answer:
            return Answer(status, said, round((clock() - began) * 1000))

        try:
            with _answered(reach, "POST", address, headers, body) as response:
                status, text = response.status_code, b""
                for piece in response.iter_raw():
                    text += piece
                    if len(text) >= MOST or clock() - began > seconds:
                        break
            return answer(status, text[:2000].decode("utf-8", "replace").replace("\0", ""))
        except RampaError as error:
            return answer(0, error.sentence())
        except (httpx.HTTPError, httpx.InvalidURL, ValueError, OSError) as error:
            return answer(0, f"no answer: {type(error).__name__} {error}"[:500])

    return post


def asker(reach: Reach, clock: Callable[[], float] = time.monotonic, seconds: float = SECONDS) -> Ask:
    """A function that fetches once."""

    def ask(address: str, limit: int) -> bytes:
        began = clock()
        try:
            with _answered(reach, "GET", address, {"accept-encoding": "identity"}, None) as response:
                if response.status_code != 200:
                    raise Unavailable("origin.failed", f"it answers with {response.status_code}")
                data = b""
                for piece in response.iter_raw():
                    data += piece
                    if len(data) > limit or clock() - began > seconds:
                        raise Unavailable("origin.endless", "its answer does not end")
                return data
        except (httpx.HTTPError, httpx.InvalidURL, ValueError, OSError) as error:
            raise Unavailable("origin.silent", f"it does not answer ({type(error).__name__})") from error

    return ask


def looker(reach: Reach) -> Callable[[str], Look]:
    """A function that looks whether a page answers, where its redirects lead, too; it never raises."""

    def look(address: str) -> Look:
        try:
            for _ in range(REDIRECTS):
                with _answered(reach, "GET", address, {}, None) as response:
                    if response.next_request is None:
                        return Look(response.status_code, f"it answers with {response.status_code}")
                    address = urljoin(address, response.headers["location"])
            return Look(0, f"it leads on more than {REDIRECTS} times")
        except Invalid as error:
            said = error.message if error.code == "source.private" else "it is no address of a page"
            return Look(0, said, inside=error.code == "source.private")
        except RampaError as error:
            return Look(0, error.message)
        except (httpx.HTTPError, httpx.InvalidURL, ValueError, OSError) as error:
            return Look(0, f"no answer: {type(error).__name__}")

    return look


@contextmanager
def _answered(
    reach: Reach, method: str, address: str, headers: Mapping[str, str], body: bytes | None
) -> Iterator[httpx.Response]:
    said = {**headers, "user-agent": "rampa"}
    with httpx.Client(
        transport=GuardedTransport(reach), timeout=SILENCE, trust_env=False, follow_redirects=False
    ) as http:
        request = http.build_request(method, address, content=body, headers=said)
        response = http.send(request, stream=True)
        try:
            yield response
        finally:
            response.close()
