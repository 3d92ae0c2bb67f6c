"""Files from several origins: which is asked, what of each is believed, and when one is left alone."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import httpx
import pytest

from rampa.client.delivery.origins import Address, Origins, Patience
from rampa.core.delivery.names import file_name
from tests.attacks.test_stolen_mirrors import Ticking
from tests.refusals import refuses

DATA = b"lanterns in the fog"
NAME = file_name(DATA)
PACK = f"packs/{'a' * 64}.pack"
Server = Callable[[httpx.Request], httpx.Response]


class Quay:
    """Origins by name, what each was asked, and what was told of them."""

    def __init__(self, servers: dict[str, Server], **more: object) -> None:
        self.clock, self.asked, self.told = Ticking(), list[str](), list[str]()

        def route(request: httpx.Request) -> httpx.Response:
            self.asked.append(request.url.host)
            return servers[request.url.host](request)

        http = httpx.Client(transport=httpx.MockTransport(route))
        addresses = [Address(f"http://{host}", n, sends_on=host == "service") for n, host in enumerate(servers)]
        patience = Patience(silence=1, rate=2_000, window=1, rest=10, longest=40)
        self.origins = Origins(
            "t",
            addresses,
            self.clock,
            patience=patience,
            http=http,
            told=self.told.append,
            **more,  # type: ignore[arg-type]
        )


def answer(data: bytes = DATA, status: int = 200, **said: str) -> Server:
    headers = {name.replace("_", "-"): value for name, value in said.items()}
    return lambda _: httpx.Response(status, content=iter((data,)), headers=headers)


def failing(_: httpx.Request) -> httpx.Response:
    raise httpx.ConnectError("nobody is there")


def silent(_: httpx.Request) -> httpx.Response:
    raise httpx.ReadTimeout("no byte")


def good(_: httpx.Request) -> httpx.Response:
    return httpx.Response(200, content=iter((DATA,)))


def test_the_lowest_priority_is_asked_first() -> None:
    quay = Quay({"first": good, "second": good})
    assert quay.origins.fetch(NAME, 100) == DATA
    assert quay.asked == ["first"]


@pytest.mark.parametrize(
    ("server", "code"),
    [
        (failing, "origin.failed"),
        (answer(status=500), "origin.failed"),
        (answer(status=302, location="http://elsewhere"), "origin.failed"),
        (answer(status=307, location="http://elsewhere"), "origin.failed"),
        (silent, "origin.silent"),
        (answer(b"another"), "origin.damaged"),
        (answer(bytes(1000)), "origin.endless"),
        (answer(content_encoding="gzip"), "origin.coded"),
        (answer(status=404), "delivery.no-file"),
        (answer(status=403), "origin.denied"),
    ],
)
def test_whatever_one_says_the_next_is_asked(server: Server, code: str) -> None:
    assert Quay({"bad": server, "good": good}).origins.fetch(NAME, 100) == DATA
    with refuses(code):
        Quay({"bad": server}).origins.fetch(NAME, 100)


@pytest.mark.parametrize(
    ("server", "code"),
    [
        (answer(b"abcdef"), "origin.no-ranges"),
        (answer(b"abc", 206), "origin.short"),
        (answer(b"abcdefghi", 206), "origin.endless"),
    ],
)
def test_parts_are_parts(server: Server, code: str) -> None:
    with refuses(code):
        Quay({"bad": server}).origins.span(PACK, 10, 6)
    assert Quay({"good": answer(b"abcdef", 206)}).origins.span(PACK, 10, 6) == b"abcdef"


def test_one_that_failed_rests_longer_each_time() -> None:
    quay = Quay({"bad": failing, "good": good})
    for _ in range(3):
        quay.origins.fetch(NAME, 100)
    assert quay.asked.count("bad") == 1
    quay.clock.now += 11
    quay.origins.fetch(NAME, 100)
    assert quay.asked.count("bad") == 2
    quay.clock.now += 11
    quay.origins.fetch(NAME, 100)
    assert quay.asked.count("bad") == 2, "twenty seconds now"
    assert [t.partition(":")[0] for t in quay.told] == ["bad", "bad"]


def test_where_all_failed_those_that_rest_are_asked() -> None:
    states = iter((failing, good))
    quay = Quay({"only": lambda request: next(states)(request)})
    with refuses("origin.failed"):
        quay.origins.fetch(NAME, 100)
    assert quay.origins.fetch(NAME, 100) == DATA
    with refuses("origin.none"):
        Quay({}).origins.fetch(NAME, 100)


def test_a_slow_one_is_left() -> None:
    quay = Quay({"slow": lambda _: httpx.Response(200, content=dribble()), "good": good})

    def dribble() -> Iterator[bytes]:
        for byte in DATA:
            quay.clock.now += 0.5
            yield bytes((byte,))

    assert quay.origins.fetch(NAME, 100) == DATA
    alone = Quay({"slow": lambda _: httpx.Response(200, content=dribble())})
    quay.clock = alone.clock
    with refuses("origin.slow"):
        alone.origins.fetch(NAME, 100)


def test_who_sent_a_span_that_is_asked_for_again_is_left() -> None:
    quay = Quay({"first": answer(b"abcdef", 206), "second": answer(b"ABCDEF", 206)})
    assert quay.origins.span(PACK, 0, 6) == b"abcdef"
    assert quay.origins.span(PACK, 0, 6) == b"ABCDEF"


def test_the_service_alone_may_send_on_and_is_asked_for_its_address_anew() -> None:
    def service(request: httpx.Request) -> httpx.Response:
        if request.url.path.startswith("/old"):
            return httpx.Response(403)
        return httpx.Response(307, headers={"Location": "http://store/here"})

    renewed: list[int] = []

    def renew() -> Address:
        renewed.append(1)
        return Address("http://service/new", 1, sends_on=True)

    quay = Quay({"service": service, "store": good}, renew=renew)
    quay.origins.use([Address("http://service/old", 1, sends_on=True)])
    assert quay.origins.fetch(NAME, 100) == DATA
    assert (quay.asked, renewed) == (["service", "service", "store"], [1])
