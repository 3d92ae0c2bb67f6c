"""Who the demo's studio is, and the papers that show it: drawn here, and made up as all of it."""

from __future__ import annotations

import io

from PIL import Image, ImageDraw

from rampa.client import Client
from rampa.core.studio.verification import DocumentKind
from rampa.schema.studio import StudioFacts

FACTS = StudioFacts(
    legal_name="Quillback Works Ltd",
    postal_address="Signal Loft, Alder Halt 1\n00001 Peatland",
    contact="office@quillback.example",
    register_number="PL-1907-3",
)
PAPERS = {
    DocumentKind.REGISTER: ("register-extract.png", "Extract from the register of companies"),
    DocumentKind.ADDRESS: ("water-bill.png", "Bill of the Alder Halt waterworks"),
    DocumentKind.SIGNATORY: ("signatories.png", "Who may sign for the studio: Iida"),
}


def tell(client: Client) -> None:
    client.studio.say(FACTS)
    for kind, (name, heading) in PAPERS.items():
        client.studio.add_document(kind, name, _paper(heading))


def _paper(heading: str) -> bytes:
    page = Image.new("RGB", (620, 877), "#fbfaf5")
    lines = [heading, "", FACTS.legal_name, *FACTS.postal_address.split("\n"), FACTS.register_number]
    ImageDraw.Draw(page).multiline_text(
        (60, 80), "\n".join([*lines, "", "Made up for a demo."]), fill="#222", spacing=12
    )
    out = io.BytesIO()
    page.save(out, "PNG", optimize=True)
    return out.getvalue()
