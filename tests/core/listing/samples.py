"""A small listing that nothing is wrong with."""

from __future__ import annotations

from rampa.core.listing.edits import ListingFiles
from rampa.core.listing.listing import Listing
from rampa.core.listing.rating import QUESTIONS
from rampa.core.listing.reader import PictureFacts, must_read
from rampa.core.listing.table import LISTING_RULES

ANSWERS = "\n".join(f'{name} = "{next(iter(q.answers))}"' for name, q in QUESTIONS.items())
FACTS = f"""# For every storefront.
main = "en"
category = "puzzle"
licence = "LicenseRef-Quillback"

[links]
support = "https://quillback.example/support"
privacy = "https://quillback.example/privacy"

[rating]
{ANSWERS}
"""
EN = '''name = "Peatlight"
short = "A night on the bog railway."
long = """
Fog lies on the bog.
Send the wagons home.
"""
'''
FI = EN.replace("A night on the bog railway", "Yö suoradalla").replace("Fog lies on the bog", "Sumu makaa suolla")
TEXTS = {"listing.toml": FACTS, "texts/en.toml": EN, "texts/fi.toml": FI}
SIZES = {form: (rule.width, rule.height) for rules in LISTING_RULES.values() for form, rule in rules.pictures.items()}


def pictures(count: int = 3) -> dict[str, PictureFacts]:
    made = {"pictures/icon.png": PictureFacts("0" * 64, 1024, 1024)}
    for form, (width, height) in SIZES.items():
        for n in range(1, count + 1):
            made[f"pictures/{form}/{n}-fog.png"] = PictureFacts(f"{len(made):064x}", width, height)
    return made


def listing(changed: dict[str, str] | None = None, made: dict[str, PictureFacts] | None = None) -> Listing:
    return must_read(TEXTS | (changed or {}), pictures() if made is None else made)


def files(changed: dict[str, str] | None = None) -> ListingFiles:
    return ListingFiles(TEXTS | (changed or {}), {path: p.digest for path, p in pictures().items()})
