"""Packs and installs a tree of N GB in a process of its own and prints its peak memory in MB.

The content is one large file of distinct blocks and many middling ones, none of which compresses. Another process writes it to a
scratch folder first, so that making it does not count.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
from pathlib import Path

from bench import ours

MAKE = """
import sys, numpy as np
from pathlib import Path
root, size = Path(sys.argv[1]), int(sys.argv[2]) * 10**9
rng = np.random.default_rng(5)
base = np.frombuffer(rng.bytes(16 << 20), np.uint8)
(root / "data").mkdir()
n = 0
def block():
    global n
    n += 1
    return ((base + np.uint8(n % 251)) ^ np.roll(base, n * 977)).tobytes()
with open(root / "data" / "large.arc", "wb") as out:
    while out.tell() < size // 2:
        out.write(block())
done, i = size // 2, 0
while done < size:
    data = block()
    for at in range(0, len(data), 4 << 20):
        (root / "data" / f"part{i:06d}").write_bytes(data[at:at + (4 << 20)])
        i += 1
    done += len(data)
"""


def main(gigabytes: int) -> float:
    """The larger of two peaks: packing is the client's process, installing the device's."""
    with tempfile.TemporaryDirectory(prefix="rampa-memory-") as scratch:
        source = Path(scratch) / "source"
        source.mkdir()
        subprocess.run([sys.executable, "-c", MAKE, str(source), str(gigabytes)], check=True)
        return max(_peak(step, scratch) for step in ("pack", "install"))


def _peak(step: str, scratch: str) -> float:
    command = [sys.executable, "-m", "bench.memory", step, scratch]
    peak = float(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
    print(f"{step}: {peak:.0f} MB", file=sys.stderr)
    return peak


def step(name: str, scratch: Path) -> float:
    """One process's work, and its peak."""
    if name == "pack":
        packed = ours.pack(scratch / "source", scratch / "packs")
        (scratch / "packs/locations").write_bytes(packed.locations())
    else:
        delivery = ours.Folder(scratch / "packs")
        ours.installation(scratch / "device").update(delivery.statement(), delivery)
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3


if __name__ == "__main__":
    print(main(int(sys.argv[1])) if len(sys.argv) == 2 else step(sys.argv[1], Path(sys.argv[2])))
