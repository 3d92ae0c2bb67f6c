"""Reading and checking a listing of 40 languages for three storefronts with 30 pictures, beside the parser alone and the aim."""

from __future__ import annotations

import tomllib

from bench.profiles import best_ms
from bench.rows import Figure, Tree
from rampa.core.check.listing.whole import Surroundings, check_listing
from rampa.core.listing.rating import QUESTIONS
from rampa.core.listing.reader import PictureFacts, read_listing
from rampa.core.listing.table import LISTING_RULES

AIM_MS = 100.0
LANGUAGES, PICTURES = 40, 30
SHORT = "Route lantern wagons through the fog, e\u0301vening {n}."
LINE = (
    "Set the points at Sluice Junction, keep the siding at Marrow Bend free, and watch the line: شارع {n} 夜の線路.\n"
)
FORMS = {"desktop": (2400, 1500), "phone": (1200, 2400), "tablet": (2048, 1536), "headset": (2048, 1536)}


def _texts() -> dict[str, str]:
    answers = "\n".join(f'{name} = "{next(iter(q.answers))}"' for name, q in QUESTIONS.items())
    links = '[links]\nsupport = "https://quillback.example/s"\nprivacy = "https://quillback.example/p"\n'
    head = 'main = "aa"\ncategory = "puzzle"\nlicence = "LicenseRef-Quillback"\n'
    texts = {"listing.toml": f"{head}{links}[rating]\n{answers}\n"}
    for n in range(LANGUAGES):
        code = "a" + chr(97 + n % 26) + (f"-X{n:02}" if n >= 26 else "")
        long = "".join(LINE.format(n=n * 100 + i) for i in range(18))
        own = '[storefronts.mossgate]\nshort = "Lantern wagons, fog, a thaw."\n' if n % 3 == 0 else ""
        texts[f"texts/{code}.toml"] = (
            f'name = "Peatlight {n}"\nshort = "{SHORT.format(n=n)}"\nlong = """\n{long}"""\n{own}'
        )
    return texts


def _pictures() -> dict[str, PictureFacts]:
    made = {"pictures/icon.png": PictureFacts("0" * 64, 1024, 1024)}
    for n in range(PICTURES - 1):
        form = list(FORMS)[n % len(FORMS)]
        made[f"pictures/{form}/{n}-fog.png"] = PictureFacts(f"{n:064x}", *FORMS[form])
    return made


def check(_: Tree) -> list[Figure]:
    texts, pictures = _texts(), _pictures()
    beside = Surroundings(tuple(LISTING_RULES), tuple(sorted(p[6:-5] for p in texts if p.startswith("texts/"))))
    ours = best_ms(lambda: check_listing(*read_listing(texts, pictures), beside))
    parser = best_ms(lambda: [tomllib.loads(text) for text in texts.values()])
    return [
        Figure("listing-check-time-aim", ours, AIM_MS, "ms", 1.0),
        Figure("listing-check-time-tomllib", ours, parser, "ms", 4.0),
    ]
