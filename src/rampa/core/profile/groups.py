"""Settings of a resolved profile as typed groups, made from the one table: keys, defaults and limits are said there alone.

A test holds the fields and the table together. What is not set is empty after its kind; where "nothing" and "not set" differ, the
field says so by being able to be None.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any, TypeVar

from rampa.core.profile.settings.table import SETTINGS

G = TypeVar("G")
EMPTY: dict[str, Any] = {"text": "", "texts": (), "number": 0, "flag": False, "table": {}}


@dataclass(frozen=True, slots=True)
class TitleSettings:
    name: str
    studio: str
    folder: str
    identifier: str


@dataclass(frozen=True, slots=True)
class VersionSettings:
    name: str
    form: str
    code: str
    per_architecture: bool
    first_code: int


@dataclass(frozen=True, slots=True)
class ContentSettings:
    include: tuple[str, ...]
    leave_out: tuple[str, ...]
    leave_out_classes: tuple[str, ...]
    units: tuple[str, ...]
    opening: str
    languages: tuple[str, ...]
    language_files: str
    addons: tuple[str, ...] | None
    """None: all of them."""
    player_files: tuple[str, ...]
    player_files_updates: str
    provided_libraries: tuple[str, ...]
    packing: Mapping[str, str]
    compression: int
    player_frame: int
    encryption: bool


@dataclass(frozen=True, slots=True)
class BudgetsSettings:
    """Sizes as texts, such as `300 MB`."""

    depots: Mapping[str, str]
    folders: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class DisplaySettings:
    orientation: str
    window: str
    resolution: str
    resizable: bool
    touch_controls: bool
    streamed: bool


@dataclass(frozen=True, slots=True)
class PicturesSettings:
    icon: str
    icon_background: str
    opening: str


@dataclass(frozen=True, slots=True)
class CodeSettings:
    architectures: tuple[str, ...]
    ahead_of_time: bool
    unused_code: str
    graphics: tuple[str, ...]
    debug_helpers: bool
    diagnostics: bool
    symbols: str
    native: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SystemSettings:
    minimum: str
    target: str
    permissions: Mapping[str, str]
    features: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ToolchainSettings:
    name: str
    versions: str
    licence: str
    export: tuple[str, ...]
    variables: str
    secrets: tuple[str, ...]
    network: bool
    steps: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class OutputSettings:
    kind: str
    bundle: str
    folder: str


@dataclass(frozen=True, slots=True)
class LaunchSettings:
    program_name: str
    entry: str
    entries: Mapping[str, str]
    arguments: tuple[str, ...]
    self_test: bool
    reads_encrypted: bool


@dataclass(frozen=True, slots=True)
class SigningSettings:
    identity: str
    schemes: tuple[str, ...]
    rsa_padding: str


@dataclass(frozen=True, slots=True)
class Settings:
    """All settings of one profile."""

    platform: str
    purpose: str
    storefront: str
    place: str
    submit: bool
    title: TitleSettings
    version: VersionSettings
    content: ContentSettings
    budgets: BudgetsSettings
    display: DisplaySettings
    pictures: PicturesSettings
    code: CodeSettings
    system: SystemSettings
    toolchain: ToolchainSettings
    output: OutputSettings
    launch: LaunchSettings
    signing: SigningSettings


def typed(values: Mapping[str, Any]) -> Settings:
    """From values by key. A key that the table does not have is a `KeyError`."""
    unknown = [key for key in values if key not in SETTINGS]
    if unknown:
        raise KeyError(f"there is no setting {unknown[0]}")
    return Settings(
        platform=_value(values, "platform"),
        purpose=_value(values, "purpose"),
        storefront=_value(values, "storefront"),
        place=_value(values, "place"),
        submit=_value(values, "submit"),
        title=_group(TitleSettings, "title", values),
        version=_group(VersionSettings, "version", values),
        content=_group(ContentSettings, "content", values),
        budgets=_group(BudgetsSettings, "budgets", values),
        display=_group(DisplaySettings, "display", values),
        pictures=_group(PicturesSettings, "pictures", values),
        code=_group(CodeSettings, "code", values),
        system=_group(SystemSettings, "system", values),
        toolchain=_group(ToolchainSettings, "toolchain", values),
        output=_group(OutputSettings, "output", values),
        launch=_group(LaunchSettings, "launch", values),
        signing=_group(SigningSettings, "signing", values),
    )


def _group(kind: type[G], name: str, values: Mapping[str, Any]) -> G:
    return kind(**{f.name: _value(values, f"{name}.{f.name}") for f in fields(kind)})  # type: ignore[arg-type]


def _value(values: Mapping[str, Any], key: str) -> Any:
    setting = SETTINGS[key]
    found = values.get(key)
    # No addons and all addons are two things, so what was not said must stay visible.
    return EMPTY[setting.kind] if found is None and key != "content.addons" else found
