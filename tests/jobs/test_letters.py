"""Letters: left in a folder where no server is named, sent where one is, and an error that is tried again where neither works."""

from __future__ import annotations

import socketserver
import threading
from collections.abc import Iterator
from email import message_from_bytes
from email.policy import default
from pathlib import Path

import pytest

from rampa.jobs.letters import Post
from rampa.local.postgres import free_port
from tests.refusals import refuses


class Server(socketserver.ThreadingTCPServer):
    """As much of an SMTP server (RFC 5321) as taking one letter needs."""

    allow_reuse_address = True

    def __init__(self) -> None:
        super().__init__(("127.0.0.1", 0), Talk)
        self.letters: list[bytes] = []


class Talk(socketserver.StreamRequestHandler):
    def handle(self) -> None:
        assert isinstance(self.server, Server)
        self.wfile.write(b"220 fog\r\n")
        while line := self.rfile.readline():
            word = line[:4].upper().strip()
            if word == b"DATA":
                self.wfile.write(b"354 go on\r\n")
                self.server.letters.append(b"".join(iter(self.rfile.readline, b".\r\n")))
            self.wfile.write(b"221 bye\r\n" if word == b"QUIT" else b"250 ok\r\n")
            if word == b"QUIT":
                return


@pytest.fixture
def server() -> Iterator[Server]:
    with Server() as made:
        threading.Thread(target=made.serve_forever, daemon=True).start()
        yield made
        made.shutdown()


def test_without_a_server_letters_lie_in_a_folder_for_their_owner_alone(tmp_path: Path) -> None:
    post = Post(tmp_path / "mailbox")
    post.send("iida@quillback.example", "Run 7 failed\nBcc: everybody", "The step wrong ended with 3.\n")
    (file,) = (tmp_path / "mailbox").iterdir()
    assert file.stat().st_mode & 0o777 == 0o600
    letter = message_from_bytes(file.read_bytes(), policy=default)
    assert letter["To"] == "iida@quillback.example"
    assert letter["Subject"] == "Run 7 failed Bcc: everybody", "a header cannot be slipped in"
    assert letter["Bcc"] is None
    assert letter.get_content() == "The step wrong ended with 3.\n"


def test_with_a_server_they_are_sent(server: Server, tmp_path: Path) -> None:
    post = Post(tmp_path / "mailbox", f"127.0.0.1:{server.server_address[1]}", "rampa@quillback.example")
    post.send("iida@quillback.example", "Run 7 is done", "peatlight#14\n")
    (raw,) = server.letters
    letter = message_from_bytes(raw, policy=default)
    assert (letter["From"], letter["Subject"]) == ("rampa@quillback.example", "Run 7 is done")
    assert not (tmp_path / "mailbox").exists()


def test_what_cannot_be_sent_can_be_tried_again(tmp_path: Path) -> None:
    with refuses("mail.failed"):
        Post(tmp_path / "mailbox", f"127.0.0.1:{free_port()}").send("a@b.example", "x", "y")
    (tmp_path / "mailbox").write_text("a file where the folder should be")
    with refuses("mail.failed"):
        Post(tmp_path / "mailbox").send("a@b.example", "x", "y")
