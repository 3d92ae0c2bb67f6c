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
    with tempfile.TemporaryDirectory(prefix="rampa-memory-") as scratch:
        source = Path(scratch) / "source"
        source.mkdir()
        subprocess.run([sys.executable, "-c", MAKE, str(source), str(gigabytes)], check=True)
        packed = ours.pack(source, Path(scratch) / "packs")
        ours.installation(Path(scratch) / "device").update(packed.statement(1), packed)
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3


if __name__ == "__main__":
    print(main(int(sys.argv[1])))
