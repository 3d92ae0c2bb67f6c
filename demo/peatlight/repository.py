"""Peatlight's git repository, made with git itself: `python -m demo.peatlight.repository OUT`. The same commits always."""

from __future__ import annotations

import datetime as dt
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
from PIL import Image

from demo.peatlight import content, documents, drawing, sources
from demo.peatlight.texts import HINTS, LINES

PEOPLE = {
    "Iida": "iida@quillback.example",
    "Oskari": "oskari@quillback.example",
    "Marisol": "marisol@quillback.example",
}
FIRST = dt.datetime(2026, 10, 5, 21, 15, tzinfo=dt.UTC)
SIZE = (512, 256)


class Repository:
    """Commits what stands in its folder; each commit is a day later than the one before."""

    now: dt.datetime | None = None
    """The moment of its commits, instead of days of their own."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self._days = 0
        root.mkdir(parents=True)
        self.git("init", "--quiet", "--initial-branch=main")

    def git(self, *words: str) -> str:
        moment = (self.now or FIRST + dt.timedelta(days=self._days * 3, minutes=self._days * 17)).isoformat()
        environment = {
            **{k: v for k, v in os.environ.items() if not k.startswith("GIT_")},
            "GIT_CONFIG_GLOBAL": os.devnull,
            "GIT_CONFIG_NOSYSTEM": "1",
            "GIT_AUTHOR_DATE": moment,
            "GIT_COMMITTER_DATE": moment,
        }
        done = subprocess.run(
            ["git", *words], cwd=self.root, env=environment, check=True, capture_output=True, text=True
        )
        return done.stdout.strip()

    def put(self, path: str, data: bytes | str) -> None:
        target = self.root / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data if isinstance(data, bytes) else data.encode())

    def commit(self, message: str, who: str) -> str:
        self._days += 1
        self.git("add", "--all")
        name = ("-c", f"user.name={who}", "-c", f"user.email={PEOPLE[who]}")
        self.git(*name, "commit", "--quiet", "-m", message)
        return self.git("rev-parse", "HEAD")


def make(root: Path) -> Path:
    """Several commits on main, four branches, two tags."""
    repo = Repository(root)
    _first(repo)
    repo.commit("A night on the bog: program, places, texts", "Iida")
    repo.git("tag", "v1.4.0")
    repo.put("texts/fi.toml", _texts("fi"))
    repo.put("texts/es.toml", _texts("es"))
    repo.commit("Finnish and Spanish", "Marisol")
    repo.put("addons/winter-timetable/timetable.txt", _timetable())
    repo.put("sounds/bell.notes", "880 0.4\n660 0.6\n")
    repo.commit("Winter Timetable, and a bell for it", "Oskari")
    repo.git("tag", "v1.5.0-beta.1")
    repo.git("branch", "fog-drift")
    repo.put("src/fog.c", sources.FOG_MENDED)
    repo.commit("The fog needs no lamp", "Oskari")
    repo.put("art/kiln-yard.png", _picture(3, 77))
    repo.commit("Kiln Yard in a warmer light", "Iida")
    _branches(repo)
    repo.git("checkout", "--quiet", "main")
    return root


def _branches(repo: Repository) -> None:
    repo.git("checkout", "--quiet", "-b", "marrow-bend")
    repo.put("art/marrow-bend.png", _picture(2, 78))
    repo.put("maps/marrow-bend.places", _places(2, 8))
    repo.commit("Marrow Bend moves east", "Iida")
    repo.git("checkout", "--quiet", "fog-drift")
    repo.put("src/fog.c", sources.FOG_BROKEN)
    repo.commit("Fog drifts along the line (not finished)", "Oskari")
    repo.git("checkout", "--quiet", "main")
    _deep_fog(repo)
    repo.git("checkout", "--quiet", "main")
    repo.git("checkout", "--quiet", "-b", "release/1.5")
    repo.put("texts/en.toml", _texts("en") + 'hurry = "Hurry, the thaw is near."\n')
    repo.commit("One more line for the last hour", "Marisol")


def _deep_fog(repo: Repository) -> None:
    """Ten commits; the fourth crashes on one class of visors, and nothing says so before somebody plays it there."""
    repo.git("checkout", "--quiet", "-b", "deep-fog")
    spanish, finnish = 'hurry = "Deprisa, se acerca el deshielo."', 'hurry = "Kiire, suoja lähestyy."'
    for path, data, message, who in (
        ("sounds/bell.notes", "880 0.4\n660 0.6\n440 0.8\n", "The bell rings three times", "Oskari"),
        ("maps/kiln-yard.places", _places(3, 7), "Two more stacks in Kiln Yard", "Iida"),
        ("texts/es.toml", f"{_texts('es')}{spanish}\n", "Spanish for the last hour", "Marisol"),
        ("src/fog.c", sources.FOG_DEEP, "Fog is deeper where one stands in it", "Oskari"),
        ("sounds/owl.notes", "330 0.3\n294 0.9\n", "The owl is further away", "Oskari"),
        ("maps/sluice-junction.places", _places(1, 9), "Sluice Junction has a second gate", "Iida"),
        ("art/signal-loft.png", _picture(4, 81), "The Signal Loft at four in the morning", "Iida"),
        ("texts/fi.toml", f"{_texts('fi')}{finnish}\n", "Finnish for the last hour", "Marisol"),
        ("maps/alder-halt.places", _places(0, 8), "The platform of Alder Halt is longer", "Iida"),
        ("sounds/thaw.notes", "392 0.6\n440 0.6\n", "The thaw in two notes", "Oskari"),
    ):
        repo.put(path, data)
        repo.commit(message, who)


def push_to(root: Path, branch: str, path: str, data: str, message: str, who: str) -> str:
    """One more commit on a branch, now: what a trigger sees."""
    repo = Repository.__new__(Repository)
    repo.root, repo._days, repo.now = root, 0, dt.datetime.now(dt.UTC)
    repo.git("checkout", "--quiet", branch)
    repo.put(path, data)
    commit = repo.commit(message, who)
    repo.git("checkout", "--quiet", "main")
    return commit


def _first(repo: Repository) -> None:
    repo.put("rampa.toml", documents.compiled())
    repo.put("checklists.toml", documents.CHECKLISTS)
    repo.put("LICENCE.txt", "Peatlight is made up for Rampa's demo. Everything in it was generated.\n")
    for path, text in (
        ("src/main.c", sources.MAIN),
        ("src/night.c", sources.NIGHT),
        ("src/night.h", sources.NIGHT_H),
        ("src/fog.c", sources.FOG),
        ("src/crash.c", sources.CRASH),
        ("src/draw.c", drawing.IN_C),
        ("tools/count_texts.py", sources.COUNT_TEXTS),
        ("texts/en.toml", _texts("en")),
    ):
        repo.put(path, text)
    for number, place in enumerate(content.PLACES):
        repo.put(f"art/{content.slug(place)}.png", _picture(number, number))
        repo.put(f"maps/{content.slug(place)}.places", _places(number, 5))
    repo.put("art/icon.png", content.png(content.icon(1024)))
    repo.put("art/opening.png", content.png(content.picture("Alder Halt", np.random.default_rng(5))))
    for number, name in enumerate(("lantern", "wheels", "owl", "thaw")):
        repo.put(f"sounds/{name}.notes", "".join(f"{220 + 55 * (number + n)} 0.5\n" for n in range(6)))


def _picture(number: int, seed: int) -> bytes:
    place = content.PLACES[number]
    width, height = SIZE if number != 4 else (500, 250)  # one that is no power of two: a warning worth reading
    made = content.picture(place, np.random.default_rng([1907, seed]), width, height)
    return content.png(made if isinstance(made, Image.Image) else Image.fromarray(made))


def _places(number: int, count: int) -> str:
    rng = np.random.default_rng([1907, 300 + number, count])
    return "".join(f"{x} {y} {h}\n" for x, y, h in rng.integers((20, 20, 4000), (236, 236, 30000), (count, 3)))


def _timetable() -> str:
    """Each night from the first frost to the thaw: when a wagon leaves where, a minute later each week."""
    rows = []
    for night in range(168):
        leaves = dt.datetime(2026, 10, 5, 22, 40) + dt.timedelta(days=night, minutes=night // 7)
        rows += [
            f"{leaves + dt.timedelta(minutes=25 * stop):%Y-%m-%d %H:%M} {p}\n" for stop, p in enumerate(content.PLACES)
        ]
    return "".join(rows)


def _texts(language: str) -> str:
    lines = {key: said[language] for key, said in LINES.items()}
    lines |= {f"hint{n}": hint for n, hint in enumerate(HINTS[language], 1)}
    return "".join(f'{key} = "{text}"\n' for key, text in lines.items())


if __name__ == "__main__":
    print(make(Path(sys.argv[1])))
