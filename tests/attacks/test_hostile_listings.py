"""A listing whose links lead inside, whose pictures unpack to gigabytes, whose folder reaches out of itself; and a service that
sends files with names that climb."""

from __future__ import annotations

import struct
import threading
import zlib
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.client.listings.calls import ListingsCalls
from rampa.client.listings.folder import read_folder, write_folder
from rampa.core.listing.reader import must_read
from rampa.schema.listings import ListingOut, ListingText
from rampa.store.outbound import looker
from rampa.store.reach import Reach
from tests.core.listing.samples import EN, TEXTS
from tests.listings import TITLE, write_listing
from tests.refusals import refuses
from tests.samples import import_title

HERE = Reach(hosts=("127.0.0.1",))


class Pages(BaseHTTPRequestHandler):
    """/ok answers; /to leads where the query says; /round leads to itself; /endless never ends."""

    def do_GET(self) -> None:
        path, _, to = self.path.partition("?")
        if path in ("/to", "/round"):
            self.send_response(302)
            self.send_header("Location", to or "/round")
            self.end_headers()
            return
        self.send_response(404 if path == "/gone" else 200)
        self.end_headers()
        try:
            while path == "/endless":
                self.wfile.write(b"fog " * 4096)
        except OSError:
            pass

    def log_message(self, *_: object) -> None:
        pass


@pytest.fixture
def pages() -> Iterator[str]:
    server = ThreadingHTTPServer(("127.0.0.1", 0), Pages)
    thread = threading.Thread(target=server.serve_forever)
    thread.start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    thread.join()
    server.server_close()


def test_links_that_lead_inside_are_refused_before_anything_is_asked(pages: str) -> None:
    for address in (f"{pages}/ok", "http://[::1]/", "http://169.254.169.254/latest", "http://localhost/"):
        seen = looker(Reach())(address)
        assert (seen.good, seen.inside) == (False, True), address
    look = looker(HERE)
    assert look(f"{pages}/ok").good
    for target in ("http://169.254.169.254/latest", "http://[fd00::9]/", "//10.0.0.7/x"):
        seen = look(f"{pages}/to?{target}")
        assert (seen.good, seen.inside) == (False, True), target
    for target in ("file:///etc/passwd", "ftp://quillback.example/x", "http://iida@127.0.0.1/"):
        assert not look(f"{pages}/to?{target}").good, target


def test_answers_that_do_not_end_and_redirects_in_a_circle(pages: str) -> None:
    look = looker(HERE)
    assert look(f"{pages}/endless").good, "that it answers is all that is asked"
    assert look(f"{pages}/round").said == "it leads on more than 5 times"
    assert look(f"{pages}/gone").status == 404
    for address in ("javascript:alert(1)", "https://", "https://a b.example/", "http://127.0.0.1:99999/"):
        assert look(address).status == 0


def bomb(width: int, height: int) -> bytes:
    def part(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    data = zlib.compress(bytes(10_000_000), 9)
    return b"\x89PNG\r\n\x1a\n" + part(b"IHDR", head) + part(b"IDAT", data) + part(b"IEND", b"")


def test_pictures_that_are_none_or_unpack_to_gigabytes(client: Client) -> None:
    import_title(client)
    with refuses("picture.too-large", "hundreds of millions of pixels"):
        client.listings.add_picture(TITLE, bomb(60_000, 60_000))
    with refuses("picture.too-large", "8000 x 8000 pixels"):
        client.listings.add_picture(TITLE, bomb(8_000, 8_000))
    with refuses("picture.damaged"):
        client.listings.add_picture(TITLE, bomb(4000, 4000))
    with refuses("picture.unknown"):
        client.listings.add_picture(TITLE, b"<svg onload='alert(1)' xmlns='http://www.w3.org/2000/svg'/>")
    with refuses("picture.too-large", "MB are taken"):
        client.listings.add_picture(TITLE, bytes(9 * 1024 * 1024))


@pytest.mark.parametrize(
    "text",
    [
        "[" * 50_000,
        "a = " + "[" * 40_000,
        "x = { " * 20_000,
        'name = "' + "\u202e" * 90_000 + '"',
        "[rating]\n" + "\n".join(f'q{n} = "yes"' for n in range(8000)),
        ".".join("a" * 3 for _ in range(20_000)) + " = 1",
    ],
)
def test_texts_that_are_made_to_stop_their_reader(text: str) -> None:
    for path in ("listing.toml", "texts/en.toml"):
        with refuses("listing.invalid"):
            must_read(TEXTS | {path: text}, {})


def test_a_folder_that_reaches_out_of_itself_is_not_followed(tmp_path: Path) -> None:
    secret = tmp_path / "secret.toml"
    secret.write_text('name = "a key of somebody else"')
    folder = write_listing(tmp_path / "listing")
    (folder / "texts/sv.toml").symlink_to(secret)
    (folder / "pictures/phone/4-key.png").symlink_to(secret)
    read = read_folder(folder)
    assert read.others == ["pictures/phone/4-key.png", "texts/sv.toml"]
    assert "texts/sv.toml" not in read.texts


class HostileCalls(ListingsCalls):
    """Of a service that answers with names that climb."""

    def __init__(self, real: ListingsCalls, path: str) -> None:
        super().__init__(real.connection)
        self.path = path

    def get(self, title: str, number: int | None = None) -> ListingOut:
        text = ListingText.model_construct(path=self.path, text=EN)
        return super().get(title, number).model_copy(update={"texts": [text], "number": 1})


@pytest.mark.parametrize(
    "path", ["../out.toml", "texts/../../out.toml", "/etc/out.toml", "texts/en.toml\0", ".ssh/key"]
)
def test_an_export_writes_nothing_outside_its_folder(path: str, client: Client, tmp_path: Path) -> None:
    import_title(client)
    with refuses("listing.file"):
        write_folder(HostileCalls(client.listings, path), TITLE, tmp_path / "there/out", None, False)
    assert not (tmp_path / "there").exists()
