"""The property list of an IPA (`Payload/NAME.app/Info.plist`): read and changed with the standard library's plistlib.

An IPA that Rampa makes or changes carries no vendor code signature: it is for the simulated device, which checks a grant instead.
"""

from __future__ import annotations

import plistlib
import re
from typing import Any
from xml.parsers.expat import ExpatError

from rampa.core.errors import Damaged

INFO = re.compile(r"Payload/([^/]+)\.app/Info\.plist")
UNSIGNED = "It carries no vendor code signature: it installs on simulated devices only."


class PropertyList:
    """Raises `Damaged` when it cannot be read. Written back in the form that it had: XML or binary."""

    def __init__(self, data: bytes) -> None:
        self._binary = data.startswith(b"bplist00")
        try:
            values = plistlib.loads(data)
        except (
            ValueError,
            ExpatError,
            OverflowError,
            IndexError,
            KeyError,
            TypeError,
            RecursionError,
            MemoryError,
        ) as error:
            raise Damaged("manifest.plist", "the property list cannot be read") from error
        except Exception as error:
            # plistlib answers a hostile file with whatever its parts raise (InvalidFileException, struct.error, ..).
            raise Damaged("manifest.plist", "the property list cannot be read") from error
        if not isinstance(values, dict):
            raise Damaged("manifest.plist", "the property list is not a table")
        self.values: dict[str, Any] = values

    def text(self, key: str) -> str:
        value = self.values.get(key, "")
        return value if isinstance(value, str) else str(value)

    def set_version(self, name: str, code: int) -> None:
        self.values["CFBundleShortVersionString"] = name
        self.values["CFBundleVersion"] = str(code)

    def encode(self) -> bytes:
        form = plistlib.FMT_BINARY if self._binary else plistlib.FMT_XML
        return plistlib.dumps(self.values, fmt=form, sort_keys=False)
