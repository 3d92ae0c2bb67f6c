"""Peatlight's texts in three languages, and the small real program that starts."""

from __future__ import annotations

import json

LINES: dict[str, dict[str, str]] = {
    "title": {"en": "Peatlight", "fi": "Peatlight", "es": "Peatlight"},
    "shift": {"en": "Night shift begins.", "fi": "Yövuoro alkaa.", "es": "Empieza el turno de noche."},
    "route": {"en": "Wagon {n}: {a} to {b}", "fi": "Vaunu {n}: {a} – {b}", "es": "Vagón {n}: de {a} a {b}"},
    "fog": {"en": "Fog on the line", "fi": "Sumua radalla", "es": "Niebla en la vía"},
    "thaw": {
        "en": "The thaw comes at six. {n} of {m} wagons are home.",
        "fi": "Suoja tulee kuudelta. {n}/{m} vaunua perillä.",
        "es": "El deshielo llega a las seis. {n} de {m} vagones en casa.",
    },
}
HINTS = {
    "en": ("Lanterns go out in thick fog.", "A siding costs four minutes.", "The Signal Loft sees two bends ahead."),
    "fi": (
        "Lyhdyt sammuvat sankassa sumussa.",
        "Sivuraide maksaa neljä minuuttia.",
        "Opastinvintti näkee kaksi mutkaa.",
    ),
    "es": ("Los faroles se apagan en la niebla.", "Un apartadero cuesta cuatro minutos.", "La torre ve dos curvas."),
}


def locale(language: str, version: str) -> bytes:
    body = {
        "language": language,
        "version": version,
        "lines": {key: words[language] for key, words in LINES.items()},
        "hints": {f"hint.{i:03d}": HINTS[language][i % 3] for i in range(240)},
    }
    return json.dumps(body, ensure_ascii=False, indent=1).encode()


PROGRAM = '''#!/usr/bin/env python3
"""Peatlight: a night shift on the bog railway. Route lantern wagons through the fog before the morning thaw."""
import json, os, random, struct, sys, zlib
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VERSION = "{version}"


def words(language):
    file = ROOT / "locale" / (language + ".json")
    return json.loads((file if file.exists() else ROOT / "locale" / "en.json").read_text("utf-8"))["lines"]


{drawing}def self_test():
    needed = ["maps/network.json", "data/bog.arc", "locale/en.json", "locale/fi.json", "locale/es.json"]
    missing = [n for n in needed if not (ROOT / n).is_file()]
    if missing:
        print("missing: " + ", ".join(missing))
        return 1
    if (ROOT / "data/bog.arc").open("rb").read(8) != b"PEATARC1":
        print("data/bog.arc is not an archive")
        return 1
    draw()
    print("Peatlight " + VERSION + " self-test: ok")
    return 0


def shift(language, seed):
    say, rng = words(language), random.Random(seed)
    network = json.loads((ROOT / "maps/network.json").read_text())
    names = {{p["id"]: p["name"] for p in network["places"]}}
    print(say["title"] + " " + VERSION + ". " + say["shift"])
    clock, home, wagons = 22 * 60, 0, 6
    for number in range(1, wagons + 1):
        track = rng.choice(network["tracks"])
        late = rng.random() < track["fog"] / 2
        clock += track["minutes"] * (3 if late else 2)
        home += clock < 30 * 60
        note = "  (" + say["fog"] + ")" if late else ""
        line = say["route"].format(n=number, a=names[track["from"]], b=names[track["to"]])
        print("%02d:%02d  " % (clock // 60 % 24, clock % 60) + line + note)
    print(say["thaw"].format(n=home, m=wagons))
    return 0


if __name__ == "__main__":
    if "--self-test" in sys.argv:
        sys.exit(self_test())
    language = next((a.split("=", 1)[1] for a in sys.argv if a.startswith("--language=")), os.environ.get("LANG", "en")[:2])
    sys.exit(shift(language, next((a for a in sys.argv[1:] if a.isdigit()), 7)))
'''

STARTER = '@echo off\r\nrem Starts Peatlight with the Python that is installed.\r\npy "%~dp0peatlight" %*\r\n'
