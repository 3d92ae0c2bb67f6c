"""Telling a studio's owners, once, that something of a title's trust runs out or cannot be signed any more."""

from __future__ import annotations

import hashlib

from sqlalchemy import select

from rampa.db import PersonRow, TitleRow, TrustRow, queue
from rampa.operations.base import Services, begin
from rampa.operations.trust.standing import standing
from rampa.schema.common import Role


def tell_owners(services: Services) -> None:
    """A letter to each owner where what there is to say is another than was said last."""
    with begin(services) as uow:
        for row in uow.session.scalars(select(TrustRow).with_for_update()):
            title = uow.session.get_one(TitleRow, row.title_id)
            said = standing(uow, title, row)
            # Without the moments: a letter a day that names another hour would be read by nobody.
            told = hashlib.sha256("".join(s.partition(" until ")[0] for s in said).encode()).hexdigest() if said else ""
            if told == row.told:
                continue
            row.told = told
            owners = select(PersonRow.email).where(PersonRow.role == Role.OWNER, PersonRow.disabled_at.is_(None))
            for email in uow.session.scalars(owners) if said else ():
                text = "\n\n".join([*said, "See how it stands: rampa trust show"])
                subject = f"The trust of {title.name} needs somebody"
                queue.put(uow.session, "send_letter", queue.MAIL, to=email, subject=subject, text=text)
