"""The same readers under libFuzzer, for long runs outside CI: `python -m tests.fuzz.guided READER CORPUS -runs=500000`.

It wants `pip install atheris`. The corpus is a folder; what is new in it is kept there. An error that is not ours ends it, with
the input in a file beside; further words are libFuzzer's own, such as `-max_total_time=600` or `-rss_limit_mb=2048`.
"""

from __future__ import annotations

import hashlib
import sys
from pathlib import Path


def main() -> None:
    import atheris  # type: ignore[import-untyped]

    with atheris.instrument_imports(include=["rampa.core"]):
        from rampa.core.errors import RampaError
        from tests.fuzz.readers import READERS, kept
    name, corpus = sys.argv[1], Path(sys.argv[2])
    reader, seeds = READERS[name]
    corpus.mkdir(parents=True, exist_ok=True)
    for seed in (*seeds(), *kept(name)):
        (corpus / hashlib.sha256(seed).hexdigest()[:20]).write_bytes(seed)

    def one(data: bytes) -> None:
        try:
            reader(data)
        except RampaError:
            pass

    atheris.Setup([sys.argv[0], str(corpus), "-timeout=20", "-rss_limit_mb=3000", *sys.argv[3:]], one)
    atheris.Fuzz()


if __name__ == "__main__":
    main()
