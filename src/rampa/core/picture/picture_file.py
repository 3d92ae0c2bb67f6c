"""From a picture's file to its sets for some platforms, in one go: for a process apart, where decoded pictures cannot leave."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.picture.remark import Remark
from rampa.core.picture.sets import MadePicture, icon_remarks, icon_set, opening_picture, opening_remarks
from rampa.core.picture.source import SourcePicture, read_source
from rampa.core.platform.rules import Platform
from rampa.core.platform.table import PLATFORMS


@dataclass(frozen=True, slots=True)
class MadeSet:
    """`platform` is its name."""

    platform: str
    files: list[MadePicture]
    remarks: list[Remark]


@dataclass(frozen=True, slots=True)
class MadeSets:
    """`width` and `height` in pixels, of the file itself."""

    width: int
    height: int
    form: str
    transparent: bool
    sets: list[MadeSet]


def make_sets(data: bytes, use: str, background: str, platforms: list[str]) -> MadeSets:
    """`use` is icon or opening, `platforms` are names. Raises `Invalid` when the data is no picture, or one that is too large."""
    source = read_source(data)
    made = [_set(source, platform, use, background) for platform in (PLATFORMS[name] for name in platforms)]
    return MadeSets(source.width, source.height, source.form, source.transparent, made)


def _set(source: SourcePicture, platform: Platform, use: str, background: str) -> MadeSet:
    if use == "icon":
        return MadeSet(platform.name, icon_set(source, platform, background), list(icon_remarks(source, platform)))
    return MadeSet(
        platform.name, [opening_picture(source, platform, background)], list(opening_remarks(source, platform))
    )
