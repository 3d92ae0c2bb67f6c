"""Peatlight's source folder in two versions: `python -m demo.peatlight.tree OUT`. About 25 MB each, the same bytes always."""

from __future__ import annotations

import sys
from functools import cache
from pathlib import Path

import numpy as np

from demo.peatlight import content, documents, drawing, listing, texts

VERSIONS = ("1.4.0", "1.5.0")
SEED = 1907


class Folder:
    """Writes below a root; a path and its bytes."""

    def __init__(self, root: Path) -> None:
        self.root = root

    def put(self, path: str, data: bytes | str, executable: bool = False) -> None:
        target = self.root / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data if isinstance(data, bytes) else data.encode())
        if executable:
            target.chmod(0o755)


def make(out: Path, version: str) -> Path:
    """OUT/peatlight-VERSION."""
    folder = Folder(out / f"peatlight-{version}")
    second = version == VERSIONS[1]
    _program(folder, version)
    _places(folder, second)
    _archive(folder, second)
    _sounds(folder, second)
    _addon(folder)
    _not_for_players(folder, version)
    if second:
        listing.write(folder.root)
    return folder.root


def make_pocket(out: Path) -> Path:
    """OUT/peatlight-pocket: a second, smaller title."""
    rng = np.random.default_rng(SEED + 9)
    folder = Folder(out / "peatlight-pocket")
    folder.put("rampa.toml", documents.POCKET)
    program = '#!/bin/sh\necho "Peatlight Pocket 0.3.0: the next wagon leaves Alder Halt at 22:40."\n'
    folder.put("bin/pocket", program, executable=True)
    folder.put("bin/pocket.cmd", "@echo Peatlight Pocket 0.3.0\r\n")
    for language in ("en", "fi", "es"):
        folder.put(f"locale/{language}.json", texts.locale(language, "0.3.0"))
    folder.put("maps/network.json", content.network(rng))
    folder.put("maps/pocket.heights", content.heights(rng, 700))
    folder.put("symbols/pocket.sym", "0000 start\n")
    return folder.root


def _program(folder: Folder, version: str) -> None:
    folder.put("rampa.toml", documents.EVERYWHERE if version == VERSIONS[1] else documents.FIRST)
    folder.put("bin/peatlight", texts.PROGRAM.format(version=version, drawing=drawing.IN_PYTHON), executable=True)
    folder.put("bin/peatlight.cmd", texts.STARTER)
    folder.put("LICENCE.txt", "Peatlight is made up for Rampa's demo. Everything in it was generated.\n")
    for language in ("en", "fi", "es"):
        folder.put(f"locale/{language}.json", texts.locale(language, version))


def _places(folder: Folder, second: bool) -> None:
    """Pictures, textures and maps. The second version relights Kiln Yard and moves Marrow Bend's texture."""
    for number, place in enumerate(content.PLACES):
        picture, texture, heights = _place(number, second and place == "Kiln Yard")
        name = content.slug(place)
        moved = second and place == "Marrow Bend"
        folder.put(f"pictures/{name}.png", picture)
        folder.put(f"textures/{'bends' if moved else 'places'}/{name}.tex", texture)
        folder.put(f"maps/{name}.heights", heights)
    folder.put("maps/network.json", content.network(np.random.default_rng([SEED, 50])))


@cache
def _place(number: int, changed: bool) -> tuple[bytes, bytes, bytes]:
    """A place's picture, texture and ground."""
    rng = np.random.default_rng([SEED, number, int(changed)])
    image = content.picture(content.PLACES[number], rng)
    return content.png(image.resize((640, 360))), content.texture(image, 512), content.heights(rng, 250)


@cache
def _opening() -> bytes:
    """Alder Halt once more, as large as any platform shows it while the title starts."""
    return content.png(content.picture(content.PLACES[0], np.random.default_rng([SEED, 95]), 1920, 1280))


@cache
def _sound(number: int) -> bytes:
    return content.sound(np.random.default_rng([SEED, 70, number]), (2 + number / 2) / 5, 70 + 22 * number)


def _archive(folder: Folder, second: bool) -> None:
    """One large archive; the second version gains an asset in its middle."""
    rng = np.random.default_rng([SEED, 60])
    items = [content.asset(rng, number) for number in range(12)]
    if second:
        new = content.asset(np.random.default_rng([SEED, 61]), 3)
        items.insert(len(items) // 2, ("mesh/thaw-gate.mesh", new[1]))
    folder.put("data/bog.arc", content.archive(items))


def _sounds(folder: Folder, second: bool) -> None:
    """The second version no longer has the old bell."""
    names = ["axle", "wind", "brake", "points", "kiln", "owl", "thaw", "old-bell"]
    for number, name in enumerate(names):
        if second and name == "old-bell":
            continue
        folder.put(f"audio/{name}.wav", _sound(number))


def _addon(folder: Folder) -> None:
    rng = np.random.default_rng([SEED, 80])
    folder.put("addons/winter-timetable/timetable.json", content.network(rng))
    folder.put("addons/winter-timetable/snow.heights", content.heights(rng, 250))
    folder.put("addons/winter-timetable/alder-halt.tex", content.texture(content.picture("Alder Halt", rng), 512))


def _not_for_players(folder: Folder, version: str) -> None:
    """Source assets, symbols, tools, logs, and a token that somebody forgot."""
    rng = np.random.default_rng([SEED, 90])
    folder.put("art/alder-halt.tiff", rng.bytes(1_500_000))
    folder.put("art/icon.png", content.png(content.icon()))
    folder.put("art/opening.png", _opening())
    folder.put("art/wagon.svg", '<svg xmlns="http://www.w3.org/2000/svg"><rect width="150" height="60"/></svg>\n')
    folder.put("audio/sources/axle.aiff", rng.bytes(600_000))
    folder.put("bin/peatlight.sym", "".join(f"{i * 16:08x} fn_{i}\n" for i in range(20000)))
    folder.put("tools/map-editor.py", "# The map editor; it stays at the studio.\n")
    folder.put("logs/bake.log", f"baked {version}: 24 assets\n" * 400)
    folder.put("maps/drowned-halt.draft.json", "{}\n")
    folder.put("data/upload.token", "not-a-real-token\n")


def make_all(out: Path) -> dict[str, Path]:
    return {version: make(out, version) for version in VERSIONS} | {"pocket": make_pocket(out)}


if __name__ == "__main__":
    for root in make_all(Path(sys.argv[1])).values():
        print(root)
