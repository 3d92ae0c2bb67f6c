"""Peatlight's listing: texts in three languages, pictures for forms of devices. Its checks still have something to say."""

from __future__ import annotations

import io
from functools import cache
from pathlib import Path

import numpy as np
from PIL import Image

from demo.peatlight import content

FACTS = """# What Peatlight says of itself on every storefront, in all languages.
main = "en"
category = "puzzle"
licence = "LicenseRef-Quillback"

[links]
support = "https://quillback.example/peatlight/support"
privacy = "https://quillback.example/privacy"

[videos]
desktop = "https://quillback.example/peatlight/night-shift.webm"

# Read docs/listing.md before you change an answer: somebody has to affirm them again.
[rating]
harm = "none"
fear = "eerie"
language = "mild"
intimacy = "none"
substances = "none"
chance = "none"
spending = "no"
contact = "none"
place_shared = "no"
motion = "gentle"

[storefronts.visorfield]
category = "management"
"""
EN = '''name = "Peatlight"
short = "Route lantern wagons through the fog of a bog railway before the morning thaw."
long = """
The last shift of winter. Fog lies on the bog, the narrow-gauge line is open until six, and every lantern \\
that goes out leaves a wagon standing in the dark.

Set the points at Sluice Junction, keep the siding at Marrow Bend free, and watch the line from the Signal Loft. When the thaw \\
comes, the rails sink: what is not home by then stays out.

- Five places, from Alder Halt to Kiln Yard
- Fog that drifts, thickens and puts lanterns out
- Nights of about twenty minutes
- The addon Winter Timetable brings snow and a timetable that nobody can keep
"""

[storefronts.visorfield]
short = "Stand in the Signal Loft and send lantern wagons through the fog of a bog railway."
'''
FI = '''name = "Peatlight"
short = "Ohjaa lyhtyvaunut sumun läpi kapearaiteisella suoradalla, ennen kuin aamun suoja upottaa kiskot ja yövuoro päättyy."
long = """
Talven viimeinen yövuoro. Sumu makaa suolla, kapearaiteinen rata on auki kuuteen, ja jokainen sammunut \\
lyhty jättää vaunun pimeään.

Aseta vaihteet Sluice Junctionissa, pidä Marrow Bendin sivuraide vapaana ja katso rataa opastinvintistä. Kun suoja tulee, \\
kiskot uppoavat: mikä ei ole silloin perillä, jää ulos.
"""
'''
ES = """name = "Peatlight"
short = "Guía vagones con farol por la niebla de un tren de turbera antes del deshielo."
"""
SHAPES = {"desktop": (2400, 1500, 4), "phone": (1200, 2400, 3), "headset": (2048, 1536, 3)}
"""Form of device -> width and height in pixels, how many."""
QUALITY = 88


def write(folder: Path) -> Path:
    """FOLDER/listing, with everything in it."""
    root = folder / "listing"
    for path, text in {"listing.toml": FACTS, "texts/en.toml": EN, "texts/fi.toml": FI, "texts/es.toml": ES}.items():
        _put(root / path, text.encode())
    _put(root / "pictures/icon.png", content.png(content.icon()))
    for form, (width, height, count) in SHAPES.items():
        for number, place in enumerate(content.PLACES[:count]):
            _put(root / f"pictures/{form}/{number + 1}-{content.slug(place)}.jpg", _picture(number, width, height))
    return root


@cache
def _picture(number: int, width: int, height: int) -> bytes:
    rng = np.random.default_rng([1907, number, width])
    out = io.BytesIO()
    # Drawn at half its size: what is far away in fog has no edges to lose.
    drawn = content.picture(content.PLACES[number], rng, width // 2, height // 2)
    drawn.resize((width, height), Image.Resampling.BICUBIC).save(out, "JPEG", quality=QUALITY)
    return out.getvalue()


def _put(file: Path, data: bytes) -> None:
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_bytes(data)
