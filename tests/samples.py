"""Small made-up titles for tests."""

from __future__ import annotations

import base64
import datetime as dt
import random
from functools import lru_cache
from pathlib import Path

from rampa.client import Client
from rampa.client.builds.maker import MadeBuild, make_build
from rampa.client.builds.parts import BuildProgress
from rampa.core.signing import identity
from rampa.schema.signing.identities import NewKey

DOCUMENT = """\
[title]
name = "Peatlight"
identifier = "example.quillback.peatlight"
studio = "Quillback Works"

[version]
name = "1.4.0"

[content]
include = ["bin/", "data/", "locale/"]
leave_out = ["*.draft.*"]
leave_out_classes = ["symbols"]

[profiles.linux-release]
platform = "linux"
purpose = "release"
code.architectures = ["x86_64"]
signing.identity = "quillback-2026"
launch.entry = "bin/peatlight"

[profiles.windows-release]
platform = "windows"
purpose = "release"
code.architectures = ["x86_64"]
signing.identity = "quillback-2026"
launch.entry = "bin/peatlight.cmd"

[profiles.linux-unsigned]
platform = "linux"
purpose = "testing"
code.architectures = ["x86_64"]
launch.entry = "bin/peatlight"

[depots.base]
not = ["locale/"]

[depots.languages]
only = ["locale/"]
"""


def noise(size: int, seed: int = 1) -> bytes:
    """Bytes that do not compress, the same for a seed."""
    return random.Random(seed).randbytes(size)


@lru_cache(maxsize=16)
def words(size: int, seed: int = 1) -> bytes:
    """Bytes that compress."""
    pick = random.Random(seed)
    text = " ".join(pick.choices(["lantern", "wagon", "fog", "sluice", "kiln", "thaw", "bog"], k=size // 5))
    return text.encode()[:size]


def make_folder(root: Path, big: int = 3_000_000) -> Path:
    """A title's folder: one large file, some small ones, symbols and a draft that must not ship."""
    for path, data in {
        "rampa.toml": DOCUMENT.encode(),
        "bin/peatlight": b"#!/bin/sh\necho Peatlight $1\n",
        "bin/peatlight.cmd": b"@echo Peatlight\r\n",
        "bin/peatlight.sym": b"0000 start\n",
        "data/bog.arc": noise(big) + words(big // 2),
        "data/empty.bin": b"",
        "locale/en.json": words(9_000, 2),
        "locale/fi.json": words(8_000, 3),
        "locale/new.draft.json": b"{}",
        "notes.txt": b"not for players\n",
    }.items():
        file = root / path
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_bytes(data)
    (root / "bin/peatlight").chmod(0o755)
    return root


def change_folder(root: Path) -> None:
    """The next version: an insertion in the middle of the large file, an edit, a move, a removal, an addition."""
    arc = root / "data/bog.arc"
    data = arc.read_bytes()
    middle = len(data) // 2
    arc.write_bytes(data[:middle] + noise(40_000, 9) + data[middle:])
    (root / "locale/en.json").write_bytes(words(9_100, 12))
    (root / "locale/fi.json").rename(root / "locale/suomi.json")
    (root / "data/empty.bin").unlink()
    (root / "data/thaw.bin").write_bytes(noise(70_000, 5))


def add_key(client: Client, name: str = "quillback-2026", passphrase: str = "") -> None:
    made = identity.make(name, "Quillback Works", "ec-p256", dt.datetime.now(dt.UTC))
    data = identity.to_pkcs12(made, name, "a password")
    client.signing.add(
        NewKey(name=name, pkcs12=base64.b64encode(data).decode(), password="a password", passphrase=passphrase)
    )


def import_title(client: Client, document: str = DOCUMENT) -> None:
    client.titles.add(document)


def build(client: Client, folder: Path, state: Path, profile: str = "linux-release", **more: object) -> MadeBuild:
    """Whatever is built here, no progress goes past its end."""

    def within(seen: BuildProgress) -> None:
        assert 0 <= seen.done <= seen.total, seen

    more = {"on": within, **more}
    return make_build(client, "peatlight", profile, folder, state=state, **more)  # type: ignore[arg-type]
