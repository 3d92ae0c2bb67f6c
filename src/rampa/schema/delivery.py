"""A delivery: its files as they are to be written elsewhere, addresses for closed channels, origins."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.schema.common import Action, Query, Slug, Wire
from rampa.schema.titles.titles import TitlePath

FileName = Annotated[str, StringConstraints(max_length=200, pattern=r"^[a-z0-9./-]+$")]
Identifier = Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z0-9._-]+$")]
WebAddress = Annotated[str, StringConstraints(max_length=1000, pattern=r"^https?://[!-~]+$")]


class OpenFilePath(Query):
    identifier: Identifier
    name: FileName


class ClosedFilePath(OpenFilePath):
    ticket: Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z0-9_-]+$")]


class FilesQuery(Query):
    """`since`: the count that was seen last."""

    since: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0


class DeliveryFile(Wire):
    """`over`: nothing names it any more, and it is to be removed."""

    name: str
    size: int
    change: int
    over: bool = False


class DeliveryFiles(Wire):
    """What changed since, by `change`; `change` at the top is the newest that there is. `timestamp` is the one file whose name
    stays: written last, it makes the others count. In base64."""

    title: str
    identifier: str
    change: int
    items: list[DeliveryFile]
    timestamp: str


class ClosedAddress(Wire):
    """Files of a channel by invitation are below this address until it ends."""

    address: str
    expires_at: dt.datetime


class OriginIn(Wire):
    """The lowest priority is asked first."""

    name: Slug
    address: WebAddress
    priority: Annotated[int, Field(ge=1, le=100)] = 10


class OriginPath(TitlePath):
    origin: Slug


class OriginChange(Wire):
    paused: bool | None = None
    priority: Annotated[int, Field(ge=1, le=100)] | None = None


class DeliveryOrigin(Wire):
    """`good_at`: when it last had what the service has; `said`: what was wrong when it was last looked at."""

    name: str
    address: str
    priority: int
    paused: bool
    made_by: str
    looked_at: dt.datetime | None
    good_at: dt.datetime | None
    said: str
    allowed_actions: list[Action] = []


class OriginList(Wire):
    items: list[DeliveryOrigin]


class TrustedStart(Wire):
    """What a device is told once: the root from which it follows, and the role of its channel, signed by the title's manifest
    key (rampa.core.trust.start). In base64."""

    signed: str
