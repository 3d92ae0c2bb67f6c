"""What a device takes, as options: its architecture, and what the player chose."""

from __future__ import annotations

import typer

ARCHITECTURE = typer.Option("", "--architecture", help="The device's; the first that was built without it.")
LANGUAGE = typer.Option(None, "--language", help="Languages that the player chose; all without any.")
ADDON = typer.Option(None, "--addon", help="Addons that the player has; all without any; `-` for none.")
QUALITY = typer.Option("", "--quality", help="The asset quality that the player chose.")


def choice_words(
    architecture: str, language: list[str] | None, addon: list[str] | None, quality: str
) -> dict[str, str]:
    """As the service is asked."""
    return {
        "architecture": architecture,
        "languages": ",".join(language or []),
        "addons": ",".join(addon or []),
        "quality": quality,
    }
