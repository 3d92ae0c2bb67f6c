"""What a person needs, beside the bundle itself, to hand in a title's first bundle on a storefront's own page."""

from __future__ import annotations

import io
import json
import zipfile

from rampa.core.errors import Conflict
from rampa.core.submission.course import Course
from rampa.db import find_submission
from rampa.operations.base import Act, Actor, Services, begin, must
from rampa.operations.submissions.asked import made_pictures
from rampa.operations.submissions.places import table_of

READ_ME = """A person hands in this title's first bundle.

1. Open {page}
   and sign in there.
2. Choose the bundle {bundle}: rampa build bundle {build}, or the build's page in the console.
3. Choose the sheet: sheet.json
4. Choose all pictures of the folder pictures.
5. Hand it in. Rampa sees within a minute that it was done: nothing else is to be done there or here.
"""


def archive(services: Services, actor: Actor, slug: str, number: int) -> tuple[str, bytes]:
    """(file name, a ZIP with the sheet and the pictures). Raises `Conflict` for a submission that nobody has to hand in."""
    must(actor, Act.SUBMIT)
    with begin(services, actor) as uow:
        row = find_submission(uow.session, slug, number)
        if row.course is not Course.BY_HAND or row.build.bundle is None:
            raise Conflict("submission.not-by-hand", f"{row.name} is {row.words}: nobody hands it in")
        said = READ_ME.format(page=row.hand_in, bundle=row.build.bundle.name, build=row.build.name)
        table = table_of(uow, row)
    told, pictures = made_pictures(services, row.title, row.listing, table)
    asked = row.asked.model_copy(update={"listing": told})
    sheet = asked.model_dump(mode="json", exclude={"upload", "identifier"})
    files = {"read-me.txt": said.encode(), "sheet.json": json.dumps(sheet, ensure_ascii=False, indent=1).encode()}
    files |= {f"pictures/{digest[:16]}{_ending(data)}": data for digest, data in pictures.items()}
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as made:
        for path, data in files.items():
            made.writestr(path, data)
    return f"{slug}-{number}-{row.storefront}.zip", out.getvalue()


def _ending(data: bytes) -> str:
    return ".png" if data.startswith(b"\x89PNG") else ".jpg"
