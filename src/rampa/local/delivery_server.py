"""A web server for a delivery that was written to a folder: nginx hands out files, and nothing else is needed.

    python -m rampa.local.delivery_server --listen 0.0.0.0:443 --folder DELIVERY --scratch F --certificate C.pem --key K.pem

prints the settings for one of your own. Everything but the timestamps is kept for ever by whoever stands on the way.
"""

from __future__ import annotations

import argparse
import os
import subprocess
from dataclasses import dataclass
from pathlib import Path

from rampa.local.front import TLS, await_front, start_nginx, web_user

SETTINGS = """\
# Written by rampa.local.delivery_server.
daemon off;
{user}pid {scratch}/nginx.pid;
error_log stderr warn;
worker_processes 1;
events {{ worker_connections 2048; }}
http {{
  access_log {log};
  server_tokens off;
  client_body_temp_path {scratch}/unused; proxy_temp_path {scratch}/unused; fastcgi_temp_path {scratch}/unused;
  uwsgi_temp_path {scratch}/unused; scgi_temp_path {scratch}/unused;
  default_type application/octet-stream;
  types {{ }}
  sendfile on;
  tcp_nopush on;
  client_max_body_size 1k;
  keepalive_timeout 30s;
  open_file_cache max=10000 inactive=60s;
  open_file_cache_valid 1s;

  server {{
    listen {listen}{ssl};
{tls}    root {folder};
    # What only the writer reads, and what is being written.
    location ~ /(\\.|written\\.json$) {{ return 404; }}
    location ~ /metadata/timestamp\\.json$ {{
      limit_except GET {{ deny all; }}
      add_header Cache-Control "no-cache";
    }}
    location / {{
      limit_except GET {{ deny all; }}
      # A name never means anything else.
      add_header Cache-Control "public, max-age=31536000, immutable";
    }}
  }}
}}
"""


@dataclass(frozen=True)
class DeliveryServer:
    """`folder` is what `rampa delivery write` wrote to; `scratch` one of its own; `log` where requests are noted, or off."""

    listen: str
    folder: Path
    scratch: Path
    certificate: Path | None = None
    key: Path | None = None
    log: str = "off"

    def settings(self) -> str:
        secure = self.certificate is not None
        return SETTINGS.format(
            user=f"user {web_user()};\n" if os.geteuid() == 0 else "",
            scratch=self.scratch,
            folder=self.folder,
            listen=self.listen,
            log=self.log,
            ssl=" ssl" if secure else "",
            tls=TLS.format(certificate=self.certificate, key=self.key) if secure else "",
        )


def start_delivery_server(server: DeliveryServer, log: Path) -> subprocess.Popen[bytes]:
    """Starts it as a child, and waits until it takes connections. Raises `Unavailable` with the end of its log."""
    return await_front(start_nginx(server.settings(), server.scratch, log), server.listen, log)


def main() -> None:
    parser = argparse.ArgumentParser(
        prog="python -m rampa.local.delivery_server", description="Print settings of nginx."
    )
    parser.add_argument("--listen", required=True, metavar="ADDRESS:PORT")
    parser.add_argument("--folder", type=Path, required=True, help="what `rampa delivery write` wrote to")
    parser.add_argument("--scratch", type=Path, required=True, help="an empty folder of its own")
    parser.add_argument("--certificate", type=Path, help="PEM, with the chain")
    parser.add_argument("--key", type=Path, help="PEM")
    asked = parser.parse_args()
    if (asked.certificate is None) != (asked.key is None):
        parser.error("--certificate and --key go together")
    server = DeliveryServer(asked.listen, asked.folder, asked.scratch, asked.certificate, asked.key)
    print(server.settings(), end="")


if __name__ == "__main__":
    main()
