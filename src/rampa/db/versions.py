"""Version codes that were given to builds, or are taken at a storefront."""

from __future__ import annotations

import uuid

from sqlalchemy import BigInteger, ForeignKey, Index, String, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from rampa.db.base import Base, Identified
from rampa.db.builds import BuildRow


class ReservationRow(Identified, Base):
    """A version code that was given to a build, or is taken at the storefront, for ever. Rising per identifier and storefront.

    Where a profile names no storefront, `storefront` is empty and the codes rise per platform.
    """

    __tablename__ = "reservation"
    identifier: Mapped[str] = mapped_column(String(200))
    platform: Mapped[str] = mapped_column(String(40))
    storefront: Mapped[str] = mapped_column(String(40), default="")
    code: Mapped[int] = mapped_column(BigInteger)
    build_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("build.id"))
    version_name: Mapped[str] = mapped_column(String(64), default="")
    origin: Mapped[str] = mapped_column(String(20), default="build")
    """build, manual (entered by a person) or bundle (read from a bundle that is at the storefront)."""
    note: Mapped[str] = mapped_column(String(300), default="")
    created_by: Mapped[str] = mapped_column(String(200), default="")
    build: Mapped[BuildRow | None] = relationship(lazy="joined")
    __table_args__ = (
        UniqueConstraint("identifier", "storefront", "platform", "code", name="uq_reservation_line"),
        Index(
            "uq_reservation_storefront",
            "identifier",
            "storefront",
            "code",
            unique=True,
            postgresql_where=text("storefront <> ''"),
        ),
    )
