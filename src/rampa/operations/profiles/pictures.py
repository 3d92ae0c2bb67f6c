"""Picture sets and proposed documents: nothing is stored, the heart computes, the wire carries."""

from __future__ import annotations

import base64
import binascii

from sqlalchemy import select

from rampa.core.apart import QUICK
from rampa.core.errors import Invalid
from rampa.core.picture import picture_file
from rampa.core.picture.sets import MadePicture
from rampa.core.platform.rules import Platform
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile import proposal
from rampa.core.profile.file_probe import Seen
from rampa.db import PersonRow, StudioRow
from rampa.operations.base import Actor, Services, begin
from rampa.schema.profiles import pictures as wire


def make_sets(asked: wire.PictureIn) -> wire.PicturesOut:
    """Raises `Invalid` when the data is no picture, or one that is too large."""
    platforms = [_platform(name).name for name in asked.platforms] or list(PLATFORMS)
    data = _decoded(asked.data, "data")
    made = QUICK.read(picture_file.make_sets, data, asked.use, asked.background, platforms)
    return wire.PicturesOut(
        width=made.width,
        height=made.height,
        form=made.form,
        transparent=made.transparent,
        sets=[_set(each) for each in made.sets],
    )


def propose(services: Services, actor: Actor, asked: wire.FolderIn) -> wire.ProposalOut:
    """A first document for a folder, with the studio's name, and its domain from the asker's address."""
    with begin(services, actor) as uow:
        studio = uow.session.scalar(select(StudioRow.name)) or ""
        email = uow.session.scalar(select(PersonRow.email).where(PersonRow.id == actor.principal)) or ""
    seen = [Seen(f.path, f.size, _decoded(f.head, f.path), f.executable) for f in asked.files]
    made = proposal.propose(asked.name, seen, studio=studio, domain=asked.domain or email.partition("@")[2])
    return wire.ProposalOut(
        document=made.text, reasons=[wire.ReasonOut(line=line, why=why) for line, why in made.reasons]
    )


def _decoded(text: str, where: str) -> bytes:
    try:
        return base64.b64decode(text)
    except binascii.Error as error:
        raise Invalid("request.base64", "this is not base64", where=where[:200]) from error


def _platform(name: str) -> Platform:
    if name not in PLATFORMS:
        raise Invalid(
            "platform.unknown", f"there is no platform {name[:40]!r}", hint=f"There is: {', '.join(PLATFORMS)}."
        )
    return PLATFORMS[name]


def _set(made: picture_file.MadeSet) -> wire.PictureSetOut:
    return wire.PictureSetOut(
        platform=made.platform,
        platform_title=PLATFORMS[made.platform].title,
        files=[_file(f) for f in made.files],
        remarks=made.remarks,
    )


def _file(made: MadePicture) -> wire.PictureFileOut:
    return wire.PictureFileOut(
        name=made.name,
        form=made.form,
        width=made.width,
        height=made.height,
        depth=made.depth,
        sizes=list(made.sizes),
        size=len(made.data),
        data=base64.b64encode(made.data).decode(),
    )
