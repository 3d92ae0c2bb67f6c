"""A web server in front of the service: nginx takes slow senders, half-sent requests, large bodies and TLS off it.

    python -m rampa.local.front --listen 0.0.0.0:443 --behind 127.0.0.1:8600 --certificate C.pem --key K.pem --folder F

prints the settings for one of your own; bin/up writes the same, on loopback, and starts it where nginx is installed.
"""

from __future__ import annotations

import argparse
import json
import os
import pwd
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from rampa.core.errors import Unavailable
from rampa.local.postgres import ends_with_parent

BODY_MIB = 170
"""Above the largest body that the service takes, so that the refusal is its own."""
START_SECONDS = 20
EVERYWHERE = "0.0.0.0"  # nosec B104
SETTINGS = """\
# Written by rampa.local.front.
daemon off;
{user}pid {folder}/nginx.pid;
error_log stderr warn;
worker_processes 1;
events {{ worker_connections 2048; }}
http {{
  access_log off;
  server_tokens off;
  client_body_temp_path {folder}/body;
  proxy_temp_path {folder}/answers;
  fastcgi_temp_path {folder}/unused; uwsgi_temp_path {folder}/unused; scgi_temp_path {folder}/unused;

  # Whoever sends slowly, or half of a request, waits here and holds nothing of the service's.
  client_header_timeout 10s;
  client_body_timeout 20s;
  send_timeout 60s;
  keepalive_timeout 30s;
  client_header_buffer_size 4k;
  large_client_header_buffers 4 16k;
  client_max_body_size {body}m;
  limit_conn_zone $binary_remote_addr zone=peers:2m;
  limit_conn peers 400;
  limit_conn_status 429;

  # What every device of a line asks for is the same: the service is asked once in a few seconds, however many there are.
  proxy_cache_path {folder}/offers keys_zone=offers:4m max_size=64m inactive=1h use_temp_path=off;

  server {{
    listen {listen}{ssl};
{tls}    location /api/v1/offers/ {{
      proxy_pass http://{behind};
      proxy_http_version 1.1;
      proxy_set_header Connection "";
      proxy_set_header Host $http_host;
      proxy_set_header X-Forwarded-For $remote_addr;
      # Whoever asks, and with whatever: the answer is the same.
      proxy_set_header Authorization "";
      proxy_set_header Cookie "";
      proxy_cache offers;
      proxy_cache_key $uri;
      proxy_cache_lock on;
      proxy_cache_use_stale updating error timeout http_500 http_502 http_503 http_504;
      error_page 502 504 = @away;
    }}
    location / {{
      proxy_pass http://{behind};
      proxy_http_version 1.1;
      proxy_set_header Connection "";
      proxy_set_header Host $http_host;
      # In place of what came: a client's own word for its address is worth nothing.
      proxy_set_header X-Forwarded-For $remote_addr;
      proxy_request_buffering on;
      proxy_max_temp_file_size 512m;
      proxy_read_timeout 330s;
      # While the service starts again: an answer that every client knows how to wait for.
      error_page 502 504 = @away;
    }}
    location @away {{
      default_type application/problem+json;
      add_header Retry-After 2 always;
      return 503 '{problem}';
    }}
  }}
}}
"""
AWAY = {
    "type": "https://rampa.example/problems/service.away",
    "title": "Not available now",
    "status": 503,
    "detail": "the service is being started",
    "code": "service.away",
    "kind": "unavailable",
    "hint": "Nothing was lost. Try again in a moment.",
}
TLS = """\
    ssl_certificate {certificate};
    ssl_certificate_key {key};
    ssl_protocols TLSv1.2 TLSv1.3;
    add_header Strict-Transport-Security "max-age=31536000" always;
"""


@dataclass(frozen=True)
class Front:
    """`listen` and `behind` as ADDRESS:PORT; `folder` for what it buffers. With a certificate it speaks TLS."""

    listen: str
    behind: str
    folder: Path
    certificate: Path | None = None
    key: Path | None = None

    def settings(self) -> str:
        secure = self.certificate is not None
        return SETTINGS.format(
            user=f"user {web_user()};\n" if os.geteuid() == 0 else "",
            folder=self.folder,
            body=BODY_MIB,
            listen=self.listen,
            behind=self.behind,
            ssl=" ssl" if secure else "",
            problem=json.dumps(AWAY),
            tls=TLS.format(certificate=self.certificate, key=self.key) if secure else "",
        )


def find_nginx() -> str:
    """Empty where there is none."""
    return shutil.which("nginx", path=f"{os.environ.get('PATH', '')}:/usr/sbin:/sbin") or ""


def new_folder() -> Path:
    """For what it buffers. As root its workers are another user, who enters no folder of the service's."""
    folder = Path(tempfile.mkdtemp(prefix="rampa-front-", dir=tempfile.gettempdir()))
    folder.chmod(0o711)
    for name in ("body", "answers", "unused", "offers"):
        (folder / name).mkdir(mode=0o700)
        if os.geteuid() == 0:
            shutil.chown(folder / name, web_user())
    return folder


def start_front(front: Front, log: Path) -> subprocess.Popen[bytes]:
    """Starts it as a child, and waits until it takes connections. Raises `Unavailable` with the end of its log."""
    return await_front(start_nginx(front.settings(), front.folder, log), front.listen, log)


def start_nginx(settings: str, folder: Path, log: Path) -> subprocess.Popen[bytes]:
    file = folder / "nginx.conf"
    file.write_text(settings)
    with log.open("ab") as out:
        return subprocess.Popen(
            [find_nginx(), "-e", "stderr", "-p", str(folder), "-c", str(file)],
            stdout=out,
            stderr=out,
            stdin=subprocess.DEVNULL,
            start_new_session=True,
            preexec_fn=ends_with_parent(signal.SIGTERM),
        )


def await_front(process: subprocess.Popen[bytes], listen: str, log: Path) -> subprocess.Popen[bytes]:
    """Until it takes connections."""
    end = time.monotonic() + START_SECONDS
    while time.monotonic() < end and process.poll() is None:
        if _answers(listen):
            return process
        time.sleep(0.05)
    process.kill()
    told = log.read_text(errors="replace")[-1000:]
    raise Unavailable("front.failed", f"nginx did not start; the end of {log}:\n{told}")


def _answers(listen: str) -> bool:
    host, _, port = listen.rpartition(":")
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1" if host == EVERYWHERE else host, int(port))) == 0


def web_user() -> str:
    """Debian's for web servers, or else nobody."""
    try:
        return pwd.getpwnam("www-data").pw_name
    except KeyError:
        return "nobody"


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m rampa.local.front", description="Print settings of nginx.")
    parser.add_argument("--listen", required=True, metavar="ADDRESS:PORT")
    parser.add_argument("--behind", required=True, metavar="ADDRESS:PORT", help="where the service listens")
    parser.add_argument("--folder", type=Path, required=True, help="for what it buffers; its workers write there")
    parser.add_argument("--certificate", type=Path, help="PEM, with the chain")
    parser.add_argument("--key", type=Path, help="PEM")
    asked = parser.parse_args()
    if (asked.certificate is None) != (asked.key is None):
        parser.error("--certificate and --key go together")
    print(Front(asked.listen, asked.behind, asked.folder, asked.certificate, asked.key).settings(), end="")


if __name__ == "__main__":
    main()
