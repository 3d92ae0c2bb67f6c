"""Files of a delivery from wherever they can be had: the origins in their order, the next one within seconds where one fails.

An origin that failed is left alone for a while, longer each time. What it sent of a span is kept: the next one goes on behind it.
Nothing that an origin says is believed here or after: lengths are bounded, names say what is in a file, and codings and redirects
are not followed.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import httpx

from rampa.core.ambient import Clock
from rampa.core.delivery.names import holds
from rampa.core.errors import Damaged, Denied, NotFound, RampaError, Unavailable

PIECE = 64 * 1024


@dataclass(frozen=True)
class Patience:
    """`silence`: seconds until the first byte and between two; `rate`: bytes a second that are asked for, over `window` seconds
    at least; `rest`: seconds that an origin which failed is left alone, doubled each time up to `longest`."""

    silence: float = 5.0
    rate: float = 2_000.0
    window: float = 8.0
    rest: float = 10.0
    longest: float = 600.0


@dataclass(frozen=True)
class Address:
    """Below which a delivery lies; the lowest priority is asked first. `sends_on`: it may answer with an address of its object
    store, as the service does; nobody else may send anywhere."""

    address: str
    priority: int
    sends_on: bool = False


@dataclass
class _Origin:
    at: Address
    failures: int = 0
    rests_until: float = 0.0


def open_http(silence: float) -> httpx.Client:
    return httpx.Client(timeout=silence, trust_env=False, follow_redirects=False)


class Origins:
    """A `rampa.core.install.file_delivery.FileSource` over several places; threads may share one.

    `told` hears of each origin that is left for the next, in a sentence. `renew` gives the service's address anew where that was
    good for minutes. A span that is asked for again was not what it should be, but where `resend` says so: who sent it is left
    alone.
    """

    def __init__(
        self,
        identifier: str,
        addresses: Sequence[Address],
        clock: Clock,
        *,
        patience: Patience = Patience(),
        http: httpx.Client | None = None,
        told: Callable[[str], None] = lambda _: None,
        renew: Callable[[], Address] | None = None,
        resend: bool = False,
    ) -> None:
        self._identifier = identifier
        self._clock, self._patience, self._told, self._renew = clock, patience, told, renew
        self._resend = resend
        self._lock = threading.Lock()
        self._origins: list[_Origin] = []
        self._senders: dict[tuple[str, int], _Origin] = {}
        self._http = http or open_http(patience.silence)
        self.use(addresses)

    def close(self) -> None:
        self._http.close()

    def use(self, addresses: Sequence[Address]) -> None:
        """From now on these; what is known of those that stay is kept."""
        with self._lock:
            known = {o.at: o for o in self._origins}
            wanted = {a.address: a for a in sorted(addresses, key=lambda a: -a.priority)}
            self._origins = [known.get(a, _Origin(a)) for a in sorted(wanted.values(), key=lambda a: a.priority)]

    @property
    def addresses(self) -> list[Address]:
        with self._lock:
            return [o.at for o in self._origins]

    def each(self) -> Iterator[Origins]:
        """One after another, those that rest last: for what must be whole from one place."""
        for origin in self._in_order():
            alone = Origins(
                self._identifier, [], self._clock, patience=self._patience, http=self._http, told=self._told
            )
            alone._origins = [origin]
            yield alone

    def fetch(self, name: str, limit: int) -> bytes:
        """Raises `NotFound` where no origin has it, `Damaged` above `limit`, `Unavailable` where none answers."""
        return self._first(name, lambda origin: self._whole(origin, name, limit))

    def span(self, name: str, offset: int, size: int) -> bytes:
        got = bytearray()
        with self._lock:
            sender = self._senders.pop((name, offset), None)
        if sender is not None and not self._resend:
            self._rest(sender, Damaged("origin.damaged", "it sends other bytes than were signed"))

        def go_on(origin: _Origin) -> bytes:
            self._part(origin, name, offset, size, got)
            with self._lock:
                self._senders[name, offset] = origin
            return bytes(got)

        return self._first(name, go_on)

    def _in_order(self) -> list[_Origin]:
        now = self._clock.seconds()
        with self._lock:
            return sorted(self._origins, key=lambda o: (o.rests_until > now, o.at.priority))

    def _first(self, name: str, ask: Callable[[_Origin], bytes]) -> bytes:
        """Of the first that answers. Those that rest are asked where all others failed: one of them may be back."""
        missing: NotFound | None = None
        last: RampaError | None = None
        for origin in self._in_order():
            if missing is not None and origin.rests_until > self._clock.seconds():
                break
            try:
                data = self._asked(origin, ask)
            except NotFound as error:
                # It answers, and is only behind the others: not a reason to leave it alone.
                missing = error
            except (Unavailable, Damaged) as error:
                last = error
                self._rest(origin, error)
            else:
                origin.failures, origin.rests_until = 0, 0.0
                return data
        raise missing or last or Unavailable("origin.none", f"there is no origin to fetch {name} from")

    def _asked(self, origin: _Origin, ask: Callable[[_Origin], bytes]) -> bytes:
        try:
            return ask(origin)
        except Denied as error:
            if self._renew is None or not origin.at.sends_on:
                # What an object store says of a file that is not there.
                raise NotFound(error.code, error.message) from error
            origin.at = self._renew()
        return ask(origin)

    def _rest(self, origin: _Origin, error: RampaError) -> None:
        with self._lock:
            seconds = min(self._patience.rest * 2**origin.failures, self._patience.longest)
            origin.failures += 1
            origin.rests_until = self._clock.seconds() + seconds
        # Without its path: that of a closed channel lets in whoever reads it.
        self._told(f"{httpx.URL(origin.at.address).netloc.decode()}: {error.message}")

    def _whole(self, origin: _Origin, name: str, limit: int) -> bytes:
        got = bytearray()
        self._stream(origin, name, {}, got, limit)
        data = bytes(got)
        if not holds(name, data):
            raise Damaged("origin.damaged", f"{name} is not what its name says")
        return data

    def _part(self, origin: _Origin, name: str, offset: int, size: int, got: bytearray) -> None:
        start = offset + len(got)
        asked = {"Range": f"bytes={start}-{offset + size - 1}"}
        self._stream(origin, name, asked, got, size)
        if len(got) < size:
            raise Unavailable("origin.short", f"{name} ended before its end")

    def _stream(self, origin: _Origin, name: str, headers: dict[str, str], got: bytearray, limit: int) -> None:
        """Appends to `got` as it comes, so that what came is kept where it breaks off."""
        address = f"{origin.at.address}/{self._identifier}/{name}"
        said = {"Accept-Encoding": "identity", **headers}
        try:
            with self._http.stream("GET", address, headers=said) as response:
                elsewhere = response.headers.get("Location", "") if response.status_code == 307 else ""
                if not (origin.at.sends_on and elsewhere):
                    return self._take(response, name, got, limit, ranged=bool(headers))
            with self._http.stream("GET", elsewhere, headers=said) as response:
                return self._take(response, name, got, limit, ranged=bool(headers))
        except httpx.TimeoutException as error:
            raise Unavailable("origin.silent", "it does not answer") from error
        except (httpx.HTTPError, httpx.InvalidURL, httpx.StreamError) as error:
            raise Unavailable("origin.failed", f"it cannot be reached ({type(error).__name__})") from error

    def _take(self, response: httpx.Response, name: str, got: bytearray, limit: int, *, ranged: bool) -> None:
        _must_answer(response, name, ranged=ranged)
        began, first = self._clock.seconds(), len(got)
        for piece in response.iter_raw(PIECE):
            if len(got) + len(piece) > limit:
                raise Damaged("origin.endless", f"{name} goes on beyond its end")
            got += piece
            passed = self._clock.seconds() - began
            if passed > self._patience.window and len(got) - first < passed * self._patience.rate:
                raise Unavailable("origin.slow", "it sends too slowly to wait for")


def _must_answer(response: httpx.Response, name: str, *, ranged: bool) -> None:
    if response.status_code == 403:
        raise Denied("origin.denied", f"it does not hand out {name}")
    if response.status_code in (404, 410):
        raise NotFound("delivery.no-file", f"the delivery has no file {name}")
    if ranged and response.status_code == 200:
        raise Unavailable("origin.no-ranges", "it does not hand out parts of files")
    if response.status_code != (206 if ranged else 200):
        raise Unavailable("origin.failed", f"it answers with {response.status_code}")
    if response.headers.get("Content-Encoding", "identity") != "identity":
        raise Unavailable("origin.coded", "it answers in a coding that was not asked for")
