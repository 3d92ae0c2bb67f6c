"""Phones, tablets and headsets: Android, iOS, a generic headset.

The headset is no product: its system levels and limits are made up.
"""

from __future__ import annotations

import re

from rampa.core.platform.desktop import NO_UNDERSCORE
from rampa.core.platform.requirements import AtLeast, Fits, Holding, OneOf
from rampa.core.platform.rules import IconFile, OpeningPicture, Platform, Rule

ORIENTATIONS = ("landscape", "portrait", "any")
PERMISSIONS = ("bluetooth", "camera", "contacts", "location", "microphone", "network", "notifications", "storage")
FEATURES = ("touch", "gamepad", "gyroscope", "vibration", "camera", "microphone")
NO_HYPHEN = Fits(
    re.compile(r"[a-z][a-z0-9_]*(\.[a-z][a-z0-9_]*)+"),
    "lower-case letters, digits and underscores, separated by dots",
    lambda text: text.replace("-", "_"),
)
TOUCH = Rule(
    "display.touch-needed",
    "display.touch_controls",
    OneOf((True,)),
    "nobody can play it on a handheld without a gamepad",
    "blocker",
)
TURNED = Rule(
    "display.orientation-not-set",
    "display.orientation",
    OneOf(("landscape", "portrait")),
    "the picture turns with the hand, and each scene must be drawn for both",
    "warning",
)
ARM64 = Rule(
    "code.architecture-missing",
    "code.architectures",
    Holding("arm64"),
    "no device that is sold today could run it",
)

ANDROID = Platform(
    name="android",
    title="Android",
    containers=("apk", "aab"),
    architectures=("arm64", "x86_64", "arm32", "x86"),
    code_limit=2_100_000_000,
    folds_case=False,
    levels="API level",
    lowest="21",
    usual="26",
    graphics=("vulkan", "opengles"),
    windows=("fullscreen",),
    identifiers=NO_HYPHEN,
    icons=tuple(IconFile(f"icon-{s}.png", s) for s in (48, 72, 96, 144, 192, 512)),
    opening=OpeningPicture("opening.png", 1280, 720),
    handheld=True,
    rising_codes=True,
    permissions=PERMISSIONS,
    features=FEATURES,
    path_limit=1024,
    rules=(TOUCH, TURNED, ARM64),
)

IOS = Platform(
    name="ios",
    title="iOS",
    containers=("ipa",),
    architectures=("arm64",),
    code_limit=2**31 - 1,
    folds_case=False,
    levels="iOS version",
    lowest="12.0",
    usual="15.0",
    graphics=("metal",),
    windows=("fullscreen",),
    identifiers=NO_UNDERSCORE,
    icons=tuple(IconFile(f"icon-{s}.png", s, opaque=True) for s in (40, 58, 60, 80, 87, 120, 152, 167, 180, 1024)),
    opening=OpeningPicture("opening.png", 1334, 750),
    handheld=True,
    rising_codes=True,
    permissions=PERMISSIONS,
    features=FEATURES,
    path_limit=1024,
    needs_grant=True,
    rules=(
        TOUCH,
        TURNED,
        Rule(
            "version.plain-numbers",
            "version.name",
            Fits(re.compile(r"\d{1,9}(\.\d{1,9}){0,2}"), "one to three numbers separated by dots, and no stage"),
            "the property list takes nothing else as the version that players read",
        ),
        Rule(
            "code.ahead-of-time-needed",
            "code.ahead_of_time",
            OneOf((True,)),
            "the system runs no code that is made on the device",
        ),
    ),
)

HEADSET = Platform(
    rising_codes=True,
    name="headset",
    title="Headset",
    containers=("apk", "zip"),
    architectures=("arm64", "arm32"),
    code_limit=2_100_000_000,
    folds_case=False,
    levels="system level, made up for this generic headset",
    lowest="40",
    usual="42",
    graphics=("vulkan", "opengles"),
    windows=("fullscreen",),
    identifiers=NO_HYPHEN,
    icons=tuple(IconFile(f"icon-{s}.png", s, opaque=True) for s in (64, 128, 512)),
    opening=OpeningPicture("opening.png", 1024, 1024),
    free_names=True,
    permissions=("bluetooth", "hand-tracking", "microphone", "network", "room-view", "storage"),
    features=("gamepad", "hand-tracking", "microphone", "room-view", "standing-space"),
    path_limit=1024,
    rules=(
        Rule(
            "display.window-mode",
            "display.window",
            OneOf(("fullscreen",)),
            "a headset has one picture for each eye and no windows",
        ),
        Rule(
            "system.minimum-level",
            "system.minimum",
            AtLeast("42"),
            "older systems drop frames when the head turns",
            "warning",
        ),
    ),
)
