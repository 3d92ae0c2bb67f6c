"""Files that make their reader slow, large or fall over: it ends, the service goes on, and the next file is read."""

from __future__ import annotations

import base64
import os
import signal
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor

import pytest

from rampa.client import Client
from rampa.core.apart import Readers
from rampa.core.errors import Damaged, RampaError
from rampa.core.signing.effort import ROUNDS
from rampa.operations.signing import identities
from rampa.schema.signing.identities import NewKey
from tests.attacks.test_key_files_that_ask_for_years import hashed, sealed
from tests.refusals import refuses
from tests.samples import add_key


@pytest.fixture
def readers() -> Iterator[Readers]:
    readers = Readers(2, 1, 256 << 20)
    yield readers
    readers.close()


def forever(data: bytes) -> None:
    time.sleep(3600)


def greedy(data: bytes) -> int:
    return len(bytearray(1 << 30))


def falls_over(data: bytes) -> None:
    os.kill(os.getpid(), signal.SIGSEGV)


def size(data: bytes) -> int:
    return len(data)


def refusing(data: bytes) -> None:
    raise Damaged("zip.damaged", "it is no ZIP", where="a.apk", hint="Send another.")


@pytest.mark.parametrize(
    ("reader", "code"),
    [(forever, "reader.too-slow"), (greedy, "reader.too-large"), (falls_over, "reader.ended")],
)
def test_it_ends_and_the_next_is_read(readers: Readers, reader: Callable[[bytes], object], code: str) -> None:
    with refuses(code):
        readers.read(reader, b"x")
    assert readers.read(size, b"123") == 3


def test_others_are_read_meanwhile(readers: Readers) -> None:
    with ThreadPoolExecutor(1) as thread:
        stuck = thread.submit(readers.read, forever, b"x")
        assert [readers.read(size, bytes(n)) for n in range(20)] == list(range(20))
        assert isinstance(stuck.exception(timeout=60), RampaError)


def test_a_reader_s_own_error_arrives_whole(readers: Readers) -> None:
    with refuses("zip.damaged", "it is no ZIP", where="a.apk") as caught:
        readers.read(refusing, b"x")
    assert (type(caught.value), caught.value.hint) == (Damaged, "Send another.")


def test_a_reader_does_not_read_in_the_service(readers: Readers) -> None:
    assert readers.read(os.getpid) not in (os.getpid(), os.getppid())


def test_a_key_file_that_takes_its_whole_budget(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    """All rounds that a file may ask for, in less time than they take: the service answers others and says why."""
    hasty = Readers(1, 0.02, 1 << 30)
    monkeypatch.setattr(identities, "QUICK", hasty)
    key = base64.b64encode(sealed(hashed(ROUNDS))).decode()
    with refuses("reader.too-slow", "was ended"):
        client.signing.add(NewKey(name="slow", pkcs8=key, certificate=key, password="x"))
    monkeypatch.undo()
    add_key(client)
    assert [k.name for k in client.signing.all()] == ["quillback-2026"]
    hasty.close()
