"""Desktop platforms: Linux, Windows, macOS."""

from __future__ import annotations

import re

from rampa.core.platform.requirements import Fits
from rampa.core.platform.rules import IconFile, OpeningPicture, Platform

# Names of devices there, in any folder and with any ending: no file of that name can be made.
WINDOWS_NAMES = frozenset(
    ["con", "prn", "aux", "nul", *(f"com{i}" for i in range(1, 10)), *(f"lpt{i}" for i in range(1, 10))]
)
MODES = ("fullscreen", "borderless", "window")
INPUTS = ("gamepad", "keyboard", "mouse", "touch", "microphone", "camera")
ANY_IDENTIFIER = Fits(
    re.compile(r"[a-z][a-z0-9_-]*(\.[a-z][a-z0-9_-]*)+"),
    "lower-case letters, digits, hyphens and underscores, separated by dots",
)
NO_UNDERSCORE = Fits(
    re.compile(r"[a-z][a-z0-9-]*(\.[a-z][a-z0-9-]*)+"),
    "lower-case letters, digits and hyphens, separated by dots",
    lambda text: text.replace("_", "-"),
)

LINUX = Platform(
    name="linux",
    title="Linux",
    containers=("zip", "tar.zst"),
    architectures=("x86_64", "arm64", "x86"),
    code_limit=2**31 - 1,
    folds_case=False,
    levels="version of the C library (glibc)",
    lowest="2.17",
    usual="2.31",
    graphics=("vulkan", "opengl"),
    windows=MODES,
    identifiers=ANY_IDENTIFIER,
    icons=tuple(IconFile(f"icon-{s}.png", s) for s in (16, 24, 32, 48, 64, 128, 256, 512)),
    opening=OpeningPicture("opening.png", 1280, 720),
    permissions=("camera", "microphone", "network"),
    features=INPUTS,
    path_limit=4096,
    free_names=True,
)

WINDOWS = Platform(
    name="windows",
    title="Windows",
    containers=("zip",),
    architectures=("x86_64", "arm64", "x86"),
    code_limit=2**31 - 1,
    folds_case=True,
    levels="Windows version and build number",
    lowest="10.0",
    usual="10.0.17763",
    graphics=("direct3d12", "direct3d11", "vulkan", "opengl"),
    windows=MODES,
    identifiers=ANY_IDENTIFIER,
    icons=(IconFile("icon.ico", 256, "ico", (16, 20, 24, 32, 40, 48, 64, 128, 256)),),
    opening=OpeningPicture("opening.bmp", 800, 450, "bmp"),
    permissions=("camera", "microphone", "network"),
    features=INPUTS,
    # 260 with the byte that ends a name; longer ones work only where a machine was set up for them.
    path_limit=259,
    free_names=True,
    reserved_names=WINDOWS_NAMES,
    reserved_characters='<>:"|?*',
)

MACOS = Platform(
    name="macos",
    title="macOS",
    containers=("zip",),
    architectures=("arm64", "x86_64"),
    code_limit=2**31 - 1,
    folds_case=True,
    levels="macOS version",
    lowest="10.15",
    usual="12.0",
    graphics=("metal",),
    windows=MODES,
    identifiers=NO_UNDERSCORE,
    icons=tuple(IconFile(f"icon-{s}.png", s) for s in (16, 32, 64, 128, 256, 512, 1024)),
    opening=OpeningPicture("opening.png", 1280, 720),
    permissions=("camera", "microphone", "location", "network", "notifications"),
    features=INPUTS,
    path_limit=1024,
    free_names=True,
)
