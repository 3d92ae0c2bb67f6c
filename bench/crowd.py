"""Many devices at once, through nginx in front of the packs of a running service: what the service has to do meanwhile.

nginx sends the packs from the store's folder and keeps the papers (statements, manifests, locations) that it fetched once.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import psutil

from rampa.client import Client
from rampa.client.devices.delivery import HttpDelivery
from rampa.core.errors import NotFound
from rampa.core.install.install import Installation
from rampa.local.postgres import free_port
from rampa.system import CLOCK

CONFIG = """
worker_processes 1; daemon off; pid {root}/pid; error_log {root}/error.log; user root;
events {{ worker_connections 4096; }}
http {{
  access_log {root}/access.log; proxy_temp_path {root}/t1; client_body_temp_path {root}/t2;
  fastcgi_temp_path {root}/t3; uwsgi_temp_path {root}/t4; scgi_temp_path {root}/t5;
  proxy_cache_path {root}/papers keys_zone=papers:10m;
  server {{
    listen 127.0.0.1:{port};
    location ~ "^/packs/((..).{{62}})$" {{ alias {store}/packs/$2/$1.pack; }}
    location / {{
      proxy_pass {service}; proxy_cache papers; proxy_cache_valid 200 10m; proxy_cache_lock on; proxy_cache_lock_timeout 60s;
      proxy_ignore_headers Cache-Control Vary Set-Cookie; proxy_read_timeout 120s;
    }}
  }}
}}
"""


def crowd(count: int, scratch: Path, title: str, builds: list[int]) -> None:
    """`builds`: what the devices have, and what they update to. Prints seconds, bytes, and the service's work."""
    service, token, store = (os.environ[f"RAMPA_{name}"] for name in ("ADDRESS", "TOKEN", "STORE"))
    port = free_port()
    config = scratch / "nginx.conf"
    config.write_text(CONFIG.format(root=scratch, port=port, store=store, service=service))
    scratch.chmod(0o755)
    front = subprocess.Popen(["nginx", "-p", str(scratch), "-c", str(config)])
    try:
        _run(count, scratch, title, builds, (service, f"http://127.0.0.1:{port}", token))
    finally:
        front.terminate()
        front.wait()


def _run(count: int, scratch: Path, title: str, builds: list[int], way: tuple[str, str, str]) -> None:
    service, front, token = way
    first, second = builds
    with Client(service, token) as client:
        told = client.titles.get(title)
        statements = {b: client.builds.statement(title, b) for b in builds}
        have = Installation(scratch / "first", told.identifier, bytes.fromhex(told.manifest_key), clock=CLOCK)
        have.update(statements[first], HttpDelivery(client, title, first))
    for n in range(count):
        subprocess.run(["cp", "-al", str(scratch / "first"), str(scratch / f"device{n}")], check=True)
    workers = _workers(service)
    busy = _seconds(workers)

    def one(n: int) -> tuple[float, int]:
        began = time.monotonic()
        on = Installation(scratch / f"device{n}", told.identifier, bytes.fromhex(told.manifest_key), clock=CLOCK)
        with Client(front, token) as client:
            report = on.update(statements[second], HttpDelivery(client, title, second, packs=f"{front}/packs"))
        return time.monotonic() - began, report.downloaded + report.metadata

    began = time.monotonic()
    with ThreadPoolExecutor(count) as devices:
        done = list(devices.map(one, range(count)))
    wall = time.monotonic() - began
    served = _seconds(workers) - busy
    assert all(not _installation(scratch, n, told).verify() for n in range(0, count, max(1, count // 20)))
    times, sizes = zip(*done, strict=True)
    print(
        f"devices {count}: {title}#{first} to #{second} in {wall:.1f} s; median {statistics.median(times):.1f} s, slowest"
    )
    print(
        f"  {max(times):.1f} s; {min(sizes) / 1e6:.2f} to {max(sizes) / 1e6:.2f} MB each, {sum(sizes) / 1e6:.0f} MB in all"
    )
    print(f"  the service's processes worked {served:.2f} s; nginx answered {_lines(scratch / 'access.log')} requests")


def _installation(scratch: Path, n: int, told: object) -> Installation:
    return Installation(scratch / f"device{n}", told.identifier, bytes.fromhex(told.manifest_key), clock=CLOCK)  # type: ignore[attr-defined]


def _workers(service: str) -> list[psutil.Process]:
    """The processes that listen there."""
    port = int(service.rpartition(":")[2])
    pids = {c.pid for c in psutil.net_connections("tcp") if c.laddr and c.laddr.port == port and c.status == "LISTEN"}
    found = [psutil.Process(p) for p in pids if p]
    if not found:
        raise NotFound("bench.service", f"no process of this machine listens at {service}")
    return found


def _seconds(processes: list[psutil.Process]) -> float:
    return sum(sum(p.cpu_times()[:2]) for p in processes)


def _lines(path: Path) -> int:
    with path.open("rb") as lines:
        return sum(1 for _ in lines)
