"""A mailbox on this machine: shows the letters that the service left in a folder, to whoever has its address. None leaves it.

`python -m rampa.standin.mailbox FOLDER --port PORT`, with the secret in RAMPA_MAILBOX_SECRET, serves
http://127.0.0.1:PORT/SECRET/. It reads files of that folder
alone, and sends nothing but their text: what stands in a letter is no page of ours.
"""

from __future__ import annotations

import argparse
import hmac
import html
import os
import re
from collections.abc import Iterator
from dataclasses import dataclass
from email import message_from_bytes
from email.policy import default
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

SHOWN = 200
"""Letters of the list: the newest."""
LARGEST = 1_000_000
"""Bytes of a letter that are read."""
LETTER = re.compile(r"[0-9A-Za-z.]{1,60}\.eml")
LINK = re.compile(r"https?://[^\s<>\"]+")
POLICY = "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'"
STYLE = """
body {
  font: 16px/1.5 "Source Sans 3", system-ui, sans-serif; color: #2b2520; background: #f6f2ec;
  margin: 0 auto; max-width: 720px; padding: 16px;
}
h1 { font: 600 22px/1.3 Bitter, Georgia, serif; margin: 0; }
.dim { color: #6b6058; }
ul { list-style: none; padding: 0; }
li, pre {
  background: #fffdf9; border: 1px solid #ddd3c6; border-radius: 4px; padding: 10px 14px; margin: 8px 0;
  overflow-wrap: anywhere;
}
pre { white-space: pre-wrap; font: inherit; }
a { color: #8a4b00; }
@media (prefers-color-scheme: dark) {
  body { color: #ece4da; background: #1f1b18; }
  li, pre { background: #292420; border-color: #453d36; }
  a { color: #e8a33d; }
  .dim { color: #a99d91; }
}
"""


@dataclass(frozen=True)
class Letter:
    name: str
    to: str
    subject: str
    date: str
    text: str


class Mailbox:
    """The letters of a folder. `secret` is a part of the address."""

    def __init__(self, folder: Path, secret: str) -> None:
        self._folder, self._secret = folder, secret

    def letters(self) -> Iterator[Letter]:
        """Newest first."""
        names = sorted((p.name for p in self._folder.glob("*.eml")), reverse=True)[:SHOWN]
        yield from (found for name in names if (found := self.letter(name)) is not None)

    def letter(self, name: str) -> Letter | None:
        if not LETTER.fullmatch(name):
            return None
        try:
            with (self._folder / name).open("rb") as file:
                read = message_from_bytes(file.read(LARGEST), policy=default)
        except OSError:
            return None
        body = read.get_body(("plain",))
        text = body.get_content() if body is not None else ""
        to, subject, date = (str(read[header] or "") for header in ("To", "Subject", "Date"))
        return Letter(name, to, subject, date, text)

    def page(self, path: str) -> str | None:
        """HTML of an address; None for one that is not there, or whose secret is wrong."""
        _, _, rest = path.partition("/")
        secret, _, name = rest.partition("/")
        if not hmac.compare_digest(secret.encode(), self._secret.encode()):
            return None
        if not name:
            return _list(list(self.letters()))
        found = self.letter(name)
        return _one(found) if found else None


def _list(letters: list[Letter]) -> str:
    rows = "".join(
        f'<li><a href="{html.escape(each.name)}">{html.escape(each.subject)}</a>'
        f'<div class="dim">to {html.escape(each.to)}, {html.escape(each.date)}</div></li>'
        for each in letters
    )
    said = f"<ul>{rows}</ul>" if rows else "<p>No letter yet. The service leaves each one here as it writes it.</p>"
    return _whole("Letters", f"<h1>Letters</h1><p class=dim>A mailbox on this machine; no letter leaves it.</p>{said}")


def _one(letter: Letter) -> str:
    text = LINK.sub(lambda m: f'<a rel="noreferrer" href="{m[0]}">{m[0]}</a>', html.escape(letter.text))
    facts = f"to {html.escape(letter.to)}, {html.escape(letter.date)}"
    body = f'<p><a href="./">All letters</a></p><h1>{html.escape(letter.subject)}</h1><p class=dim>{facts}</p><pre>{text}</pre>'
    return _whole(letter.subject, body)


def _whole(title: str, body: str) -> str:
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
        f"<title>{html.escape(title)}</title><style>{STYLE}</style><body>{body}</body></html>"
    )


def make_server(mailbox: Mailbox, port: int) -> ThreadingHTTPServer:
    class Answers(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            page = mailbox.page(self.path.partition("?")[0])
            data = (page or "There is nothing here.").encode()
            self.send_response(200 if page else 404)
            self.send_header("Content-Type", "text/html; charset=utf-8" if page else "text/plain")
            self.send_header("Content-Length", str(len(data)))
            self.send_header("Content-Security-Policy", POLICY)
            self.send_header("Referrer-Policy", "no-referrer")
            self.send_header("Cache-Control", "no-store")
            self.send_header("X-Content-Type-Options", "nosniff")
            self.end_headers()
            self.wfile.write(data)

        def log_message(self, *_: object) -> None:
            """Addresses hold the secret: none is written down."""

    return ThreadingHTTPServer(("127.0.0.1", port), Answers)


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m rampa.standin.mailbox", description="Show letters of a folder.")
    parser.add_argument("folder", type=Path)
    parser.add_argument("--port", type=int, required=True)
    asked = parser.parse_args()
    # Not an argument: those are read by everybody on the machine.
    make_server(Mailbox(asked.folder, os.environ["RAMPA_MAILBOX_SECRET"]), asked.port).serve_forever()


if __name__ == "__main__":
    main()
