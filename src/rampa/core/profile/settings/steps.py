"""Settings of a step: what stands in `[steps.NAME]`."""

from __future__ import annotations

import posixpath
import re

from rampa.core.profile.settings import checks
from rampa.core.profile.settings.kinds import Setting

DAY = 24 * 3600
WHEN = ("success", "failure", "always", "development", "testing", "release")


def _variable(text: str) -> str:
    fits = re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]{0,80}=[^\0]{0,4000}", text, re.DOTALL)
    return "" if fits else "it must read NAME=value, with letters, digits and underscores in the name"


def _inside(text: str) -> str:
    normal = posixpath.normpath(text.replace("\\", "/"))
    if not text or "\0" in text or normal.startswith(("/", "..")) or ":" in normal:
        return "it must be a folder inside the source, such as tools/maps"
    return ""


STEP: dict[str, Setting] = {
    s.name: s
    for s in (
        Setting(
            "steps.command",
            "Command",
            "The program and its arguments, each a text of its own; no shell reads them. {source}, {out}, {profile}, {platform}, "
            "{purpose}, {version}, {code}, {commit} and {architectures} are put in.",
            "texts",
            check=checks.argument,
            example='["python3", "tools/atlas.py", "--out", "{out}"]',
            used="runs",
        ),
        Setting("steps.folder", "Working folder", "Inside the source.", check=_inside, example='"tools"', used="runs"),
        Setting(
            "steps.variables",
            "Variables",
            "For this step alone, as NAME=value. Secrets go into a set of step variables.",
            "texts",
            check=_variable,
            example='["BAKE_QUALITY=full"]',
            used="runs",
        ),
        Setting(
            "steps.secrets",
            "Secrets",
            "Names of secrets of the step variables that this step gets; no other step sees them.",
            "texts",
            check=checks.variable_name,
            example='["ASSET_TOKEN"]',
            used="runs",
        ),
        Setting(
            "steps.network",
            "Network",
            "It may use the network of the agent's machine; without this it has none.",
            "flag",
            default=False,
            example="true",
            used="runs",
        ),
        Setting(
            "steps.seconds",
            "Time limit",
            "It is stopped after that.",
            "number",
            least=1,
            most=DAY,
            unit="seconds",
            example="900",
            used="runs",
        ),
        Setting(
            "steps.silent",
            "Silence",
            "After so long without a line the run says that the step is silent.",
            "number",
            least=5,
            most=DAY,
            unit="seconds",
            example="120",
            used="runs",
        ),
        Setting(
            "steps.memory",
            "Memory limit",
            "Of all its processes together.",
            "number",
            least=16,
            most=2**20,
            unit="MiB",
            example="4096",
            used="runs",
        ),
        Setting(
            "steps.output",
            "Output limit",
            "Bytes that it may write into the log.",
            "number",
            least=10,
            most=2**20,
            unit="kB",
            example="50000",
            used="runs",
        ),
        Setting(
            "steps.retries",
            "Retries",
            "How often it is tried again when it fails.",
            "number",
            most=9,
            example="2",
            used="runs",
        ),
        Setting(
            "steps.when",
            "When",
            "As long as all went well; only when something failed; always; or only for a purpose.",
            allowed=WHEN,
            example='"always"',
            used="runs",
        ),
    )
}
STEP_NAME = checks.name
