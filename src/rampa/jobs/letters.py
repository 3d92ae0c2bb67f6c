"""Sending letters: by SMTP where a server is named, else into a folder, one file a letter (RFC 5322)."""

from __future__ import annotations

import datetime as dt
import smtplib
from dataclasses import dataclass
from email.message import EmailMessage
from email.utils import format_datetime, make_msgid
from pathlib import Path

from rampa.core.errors import Refused, Unavailable
from rampa.core.files import replace_file


@dataclass(frozen=True)
class Post:
    """`server` as host:port, or empty; `folder` is the mailbox on this machine then."""

    folder: Path
    server: str = ""
    sender: str = "rampa@localhost"

    def send(self, to: str, subject: str, text: str) -> None:
        """Raises `Refused` for an address that the server does not take, `Unavailable` for everything that can pass."""
        letter = EmailMessage()
        letter["From"], letter["To"], letter["Subject"] = self.sender, to, " ".join(subject.split())[:200]
        letter["Date"], letter["Message-ID"] = (
            format_datetime(dt.datetime.now(dt.UTC)),
            make_msgid(domain="rampa.local"),
        )
        letter.set_content(text)
        try:
            if self.server:
                host, _, port = self.server.partition(":")
                with smtplib.SMTP(host, int(port or 25), timeout=20) as server:
                    server.send_message(letter)
            else:
                self._leave(letter)
        except (smtplib.SMTPRecipientsRefused, smtplib.SMTPNotSupportedError) as error:
            raise Refused("mail.refused", "the mail server does not take this address") from error
        except (OSError, smtplib.SMTPException) as error:
            raise Unavailable("mail.failed", f"the letter could not be sent ({type(error).__name__})") from error

    def _leave(self, letter: EmailMessage) -> None:
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        name = f"{dt.datetime.now(dt.UTC):%Y%m%dT%H%M%S.%fZ}.eml"
        replace_file(self.folder / name, letter.as_bytes(), 0o600)
