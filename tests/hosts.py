"""Real hosts of repositories on loopback: OpenSSH's server, and nginx with git's own HTTP backend behind TLS."""

from __future__ import annotations

import datetime as dt
import getpass
import ipaddress
import os
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from rampa.local.postgres import ends_with_parent, free_port
from rampa.local.service import stop

SBIN = {**os.environ, "PATH": f"{os.environ['PATH']}:/usr/sbin:/sbin"}
BACKEND = Path("/usr/lib/git-core/git-http-backend")


def missing(*programs: str) -> str:
    """Why tests of these are left out; empty where all are there."""
    lost = [p for p in programs if shutil.which(p, path=SBIN["PATH"]) is None]
    return f"there is no {' and no '.join(lost)} here" if lost else ""


def answers(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


@contextmanager
def running(command: list[str], log: Path, up: Callable[[], bool]) -> Iterator[None]:
    with log.open("ab") as out:
        process = subprocess.Popen(
            command, stdout=out, stderr=out, env=SBIN, preexec_fn=ends_with_parent(signal.SIGTERM)
        )
    try:
        end = time.monotonic() + 30
        while not up():
            assert process.poll() is None, log.read_text()
            assert time.monotonic() < end, log.read_text()
            time.sleep(0.02)
        yield
    finally:
        stop(process, signal.SIGTERM)


def make_key(path: Path) -> str:
    """An SSH key pair; returns the private half."""
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", "peat", "-f", str(path)], check=True)
    return path.read_text()


@contextmanager
def ssh_host(root: Path, allowed: str, port: int = 0) -> Iterator[int]:
    """A server for this user with a new host key; `allowed` is the public key that it takes."""
    root.mkdir(exist_ok=True)
    if os.geteuid() == 0:
        Path("/run/sshd").mkdir(mode=0o755, exist_ok=True)
    (root / "host").unlink(missing_ok=True)
    make_key(root / "host")
    (root / "allowed").write_text(allowed)
    port = port or free_port()
    settings = {
        "ListenAddress": "127.0.0.1", "Port": port, "HostKey": root / "host", "AuthorizedKeysFile": root / "allowed",
        "PidFile": "none", "UsePAM": "no", "StrictModes": "no", "PasswordAuthentication": "no",
        "PermitRootLogin": "prohibit-password", "PermitUserEnvironment": "no",
    }  # fmt: skip
    (root / "sshd_config").write_text("".join(f"{key} {value}\n" for key, value in settings.items()))
    server = shutil.which("sshd", path=SBIN["PATH"]) or "sshd"
    with running([server, "-D", "-e", "-f", str(root / "sshd_config")], root / "log", lambda: answers(port)):
        yield port


def ssh_address(port: int, repository: Path) -> str:
    return f"ssh://{getpass.getuser()}@127.0.0.1:{port}{repository}"


def make_authority(root: Path) -> tuple[Path, Path]:
    """(a certificate authority's certificate, a key with a certificate of it for 127.0.0.1), as PEM."""
    now = dt.datetime.now(dt.UTC)
    keys = [ec.generate_private_key(ec.SECP256R1()) for _ in range(2)]
    names = [x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, n)]) for n in ("Bog authority", "127.0.0.1")]
    made = []
    for number in (0, 1):
        builder = x509.CertificateBuilder(
            names[0], names[number], keys[number].public_key(), x509.random_serial_number()
        )
        builder = builder.not_valid_before(now - dt.timedelta(hours=1)).not_valid_after(now + dt.timedelta(days=2))
        builder = builder.add_extension(x509.BasicConstraints(ca=not number, path_length=None), critical=True)
        if number:
            place = x509.IPAddress(ipaddress.ip_address("127.0.0.1"))
            builder = builder.add_extension(x509.SubjectAlternativeName([place]), critical=False)
        made.append(builder.sign(keys[0], hashes.SHA256()).public_bytes(serialization.Encoding.PEM))
    kinds = (serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    (root / "authority.pem").write_bytes(made[0])
    (root / "host.pem").write_bytes(made[1] + keys[1].private_bytes(*kinds))
    return root / "authority.pem", root / "host.pem"


@contextmanager
def https_host(root: Path, repositories: Path, user: str, password: str) -> Iterator[tuple[int, Path]]:
    """(port, authority): every repository below `repositories`, for one who signs in."""
    root.mkdir()
    root.chmod(0o755)
    authority, certificate = make_authority(root)
    (root / "users").write_text(f"{user}:{{PLAIN}}{password}\n")
    port, backend = free_port(), root / "backend.sock"
    (root / "nginx.conf").write_text(
        f"""
daemon off; master_process off; pid {root}/pid; error_log stderr warn;
events {{ worker_connections 64; }}
http {{
  access_log {root}/access;
  client_body_temp_path {root}/body; proxy_temp_path {root}/proxy; fastcgi_temp_path {root}/fastcgi;
  uwsgi_temp_path {root}/uwsgi; scgi_temp_path {root}/scgi;
  server {{
    listen 127.0.0.1:{port} ssl;
    ssl_certificate {certificate}; ssl_certificate_key {certificate};
    auth_basic "bog"; auth_basic_user_file {root}/users;
    location / {{
      fastcgi_pass unix:{backend};
      fastcgi_param SCRIPT_FILENAME {BACKEND};
      fastcgi_param GIT_PROJECT_ROOT {repositories};
      fastcgi_param GIT_HTTP_EXPORT_ALL "";
      fastcgi_param GIT_CONFIG_COUNT 1;
      fastcgi_param GIT_CONFIG_KEY_0 safe.directory;
      fastcgi_param GIT_CONFIG_VALUE_0 *;
      fastcgi_param PATH_INFO $uri;
      fastcgi_param QUERY_STRING $query_string;
      fastcgi_param REQUEST_METHOD $request_method;
      fastcgi_param CONTENT_TYPE $content_type;
      fastcgi_param CONTENT_LENGTH $content_length;
      fastcgi_param REMOTE_USER $remote_user;
      fastcgi_param HTTP_CONTENT_ENCODING $http_content_encoding;
    }}
  }}
}}
"""
    )
    (root / "body").mkdir()
    command = ["nginx", "-e", "stderr", "-p", str(root), "-c", str(root / "nginx.conf")]
    backend_up = backend.exists
    with (
        running(["fcgiwrap", "-s", f"unix:{backend}"], root / "fcgi.log", backend_up),
        running(command, root / "log", lambda: answers(port)),
    ):
        yield port, authority
