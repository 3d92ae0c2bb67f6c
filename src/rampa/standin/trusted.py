"""A simulated device that follows its channel from files alone: what it saw of the title's trust, and what it takes from it.

FOLDER/trust/start.dsse      the root from which it follows, taken once
FOLDER/trust/metadata/       what it saw since: nothing below that is taken (rampa.core.trust.follow)
FOLDER/trust/origins.json    where the files lay, as the last signed line said
FOLDER/trust/report.json     what it installed while the service did not answer
"""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterable
from dataclasses import asdict
from typing import Protocol

from rampa.core.delivery import line as line_format
from rampa.core.delivery.line import LineBuild, OriginPlace, SignedLine
from rampa.core.errors import Damaged, RampaError, Refused
from rampa.core.files import replace_file
from rampa.core.install.file_delivery import FileDelivery, FileSource
from rampa.core.signing import statement as statement_format
from rampa.core.trust.follow import refresh
from rampa.core.trust.start import TrustStart, verify_start
from rampa.schema.devices import DeviceReport
from rampa.standin.device import SimulatedDevice

START, METADATA, ORIGINS, REPORT = "start.dsse", "metadata", "origins.json", "report.json"


class Places(FileSource, Protocol):
    def each(self) -> Iterable[FileSource]:
        """One after another: for what must be whole from one place."""
        ...


class TrustedDevice:
    """The same device, by its folder."""

    def __init__(self, device: SimulatedDevice) -> None:
        self.device = device
        self._folder = device.folder / "trust"

    def start(self) -> TrustStart | None:
        """Where it follows from; None for a device that was never told."""
        try:
            envelope = (self._folder / START).read_bytes()
        except FileNotFoundError:
            return None
        return self._verified(envelope)

    def begin(self, envelope: bytes) -> TrustStart:
        """Takes the start, once: another one is never taken in its place. Raises `Damaged` for one that is forged."""
        known = self.start()
        if known is not None:
            return known
        start = self._verified(envelope)
        replace_file(self._folder / START, envelope)
        return start

    def _verified(self, envelope: bytes) -> TrustStart:
        who = self.device.identity
        return verify_start(envelope, who.identifier, bytes.fromhex(who.key))

    def look(self, places: Places, now: dt.datetime) -> SignedLine:
        """What its line has now, from the first place where all of it holds. Raises what the last place's refusal was."""
        start, platform = self.start(), self.device.identity.platform
        if start is None:
            raise Refused("trust.none", "this device was told no root to follow from")
        last: RampaError | None = None
        for place in places.each():
            try:
                data = refresh(self._folder / METADATA, start.root, f"{start.role}/{platform}", place.fetch, now)
                line = line_format.decode(data)
                line_format.must_be_line(line, start.title, platform)
            except (Damaged, Refused) as error:
                last = error  # a place can be stolen, or years old: the next one may be neither
            except RampaError as error:
                last = last or error
            else:
                self._keep_origins(line.origins)
                return line
        raise last or Refused("trust.none", "there is no place to look at")

    def wanted(self, line: SignedLine) -> LineBuild:
        """Raises `NotFound` where the line has nothing for this device."""
        who = self.device.identity
        return line_format.chosen(line, who.number or who.name, self.device.having())

    def delivery(self, build: LineBuild, files: FileSource, envelope: bytes) -> FileDelivery:
        statement = statement_format.verify(envelope, bytes.fromhex(self.device.identity.key))
        return FileDelivery(files, build, statement)

    def origins(self) -> list[OriginPlace]:
        """As the last line said; none where none was seen."""
        try:
            return [OriginPlace(**each) for each in json.loads((self._folder / ORIGINS).read_text())]
        except (OSError, ValueError, TypeError):
            return []

    def _keep_origins(self, origins: Iterable[OriginPlace]) -> None:
        replace_file(self._folder / ORIGINS, json.dumps([asdict(o) for o in origins]).encode())

    def keep_report(self, report: DeviceReport) -> None:
        replace_file(self._folder / REPORT, report.model_dump_json().encode())

    def kept_report(self) -> DeviceReport | None:
        try:
            return DeviceReport.model_validate_json((self._folder / REPORT).read_bytes())
        except (OSError, ValueError):
            return None

    def reported(self) -> None:
        (self._folder / REPORT).unlink(missing_ok=True)
