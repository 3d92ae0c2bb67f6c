"""What does not go into a shipped build, by class: data, version 1. A profile document names the classes."""

from __future__ import annotations

SYMBOLS = "symbols"
"""The class whose files are kept beside the build."""
LEAVE_OUT_CLASSES: dict[str, tuple[str, tuple[str, ...]]] = {
    "version-control": ("version control", (".git/", ".hg/", ".svn/", ".gitignore", ".gitattributes", ".gitmodules")),
    "source-assets": (
        "source asset",
        (
            "*.ora",
            "*.psd",
            "*.xcf",
            "*.kra",
            "*.blend",
            "*.blend1",
            "*.fbx",
            "*.usdc",
            "*.usd",
            "*.tif",
            "*.tiff",
            "*.exr",
            "*.svg",
            "*.flac",
            "*.aif",
            "*.aiff",
            "*.mid",
            "*.usda",
            "*.gltf",
        ),
    ),
    SYMBOLS: ("symbols", ("*.sym", "*.pdb", "*.dSYM/", "*.debug", "*.dwo", "*.map.txt")),
    "tools": (
        "editor or tool",
        ("tools/", "editor/", "*.bak", "*.orig", "*.tmp", "*~", "*.swp", "Thumbs.db", ".DS_Store"),
    ),
    "logs": ("log", ("*.log", "logs/", "*.dmp", "core.[0-9]*")),
    "secrets": ("secret", ("*.p12", "*.pfx", "*.pem", "*.key", "*.jks", ".env", "id_rsa*", "id_ed25519*", "*.token")),
}
"""class -> (what a person reads, patterns as in gitignore(5))"""

ALWAYS = ("version-control", "secrets")
"""Left out whatever the document says: neither has ever been meant for players."""
