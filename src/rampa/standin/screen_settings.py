"""A simulated device's form, habit and conditions, kept beside it."""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import dataclass
from pathlib import Path

from rampa.core.devices.screen import Conditions, Form, Network, UpdateHabit
from rampa.core.files import replace_file

SETTINGS = "screen.json"
AS_IT_IS = Conditions()


@dataclass(frozen=True)
class ScreenSettings:
    form: Form
    habit: UpdateHabit = UpdateHabit.AT_A_LOOK
    conditions: Conditions = AS_IT_IS


def read_settings(folder: Path) -> ScreenSettings:
    """Raises OSError, ValueError and KeyError for a folder that holds none."""
    said = json.loads((folder / SETTINGS).read_text())
    conditions = Conditions(Network(said["network"]), said["room"], dt.timedelta(seconds=said["clock"]))
    return ScreenSettings(Form(said["form"]), UpdateHabit(said["habit"]), conditions)


def write_settings(folder: Path, settings: ScreenSettings) -> None:
    conditions = settings.conditions
    body = {
        "form": settings.form,
        "habit": settings.habit,
        "network": conditions.network,
        "room": conditions.room,
        "clock": conditions.clock.total_seconds(),
    }
    replace_file(folder / SETTINGS, json.dumps(body, indent=1).encode())
