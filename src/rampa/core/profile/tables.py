"""The named tables that are no layers: depots, and a title's own steps."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from rampa.core.content.depots.choice import Selector
from rampa.core.profile.layers import LayerReader
from rampa.core.profile.positions import Positions
from rampa.core.profile.settings.kinds import Setting
from rampa.core.profile.settings.steps import STEP
from rampa.core.profile.settings.table import DEPOT
from rampa.core.profile.values import Value


@dataclass(frozen=True, slots=True)
class DepotRules:
    """A depot as the document says it."""

    name: str
    line: int
    only: tuple[str, ...] = ("*",)
    not_: tuple[str, ...] = ()
    platforms: tuple[str, ...] = ()
    addon: str = ""
    architectures: tuple[str, ...] = ()
    language: str = ""
    quality: str = ""
    from_: str = ""
    to: str = ""

    @property
    def selector(self) -> Selector:
        return Selector(self.architectures, self.language, self.addon, self.quality)


@dataclass(frozen=True, slots=True)
class OwnStep:
    """A step as the document says it: a command of the title's own, or limits for a built-in of that name. 0: not said."""

    name: str
    line: int
    command: tuple[str, ...] = ()
    folder: str = ""
    variables: tuple[str, ...] = ()
    secrets: tuple[str, ...] = ()
    network: bool = False
    seconds: int = 0
    silent: int = 0
    memory: int = 0
    output: int = 0
    retries: int = 0
    when: str = "success"


def read_depot(reader: LayerReader, at: Positions, name: str, table: dict[str, Any]) -> DepotRules:
    path = ("depots", name)
    read = _values(reader, path, table, DEPOT, f"depot {name}")
    fields = {(f"{k}_" if k in ("not", "from") else k): v.value for k, v in read.items()}
    return DepotRules(name, at.of(path).line, **fields)


def read_step(reader: LayerReader, at: Positions, name: str, table: dict[str, Any]) -> OwnStep:
    path = ("steps", name)
    read = _values(reader, path, table, STEP, f"step {name}")
    return OwnStep(name, at.of(path).line, **{k: v.value for k, v in read.items()})


def _values(
    reader: LayerReader, path: tuple[str, ...], table: dict[str, Any], known: dict[str, Setting], layer: str
) -> dict[str, Value]:
    out: dict[str, Value] = {}
    for word, value in table.items():
        if word not in known:
            reader.unknown((*path, word), tuple(known))
        else:
            found = reader.value((*path, word), value, known[word], layer)
            if found:
                out[word] = found
    return out
