"""What determines the native part of a build, as one digest: when it is the same, only content changed."""

from __future__ import annotations

import json
from collections.abc import Iterable

from blake3 import blake3

from rampa.core.patterns import read_patterns
from rampa.core.profile.resolution import Resolved

SETTINGS = ("platform", "purpose", "toolchain.name", "toolchain.versions", "toolchain.export")
GROUPS = ("code.", "system.")


def native_files(profile: Resolved, files: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Of (path, digest) pairs, those that `code.native` names."""
    spec = read_patterns(profile.settings.code.native)
    return {path: digest for path, digest in files if spec.match_file(path)}


def native_digest(profile: Resolved, files: Iterable[tuple[str, str]]) -> str:
    """Over native sources (by path and digest) and the settings of code, system and toolchain. 64 hexadecimal digits."""
    keys = [k for k in profile.values if k in SETTINGS or k.startswith(GROUPS)]
    settings = {k: profile.get(k) for k in sorted(keys)}
    # Sorted: the digest must not change with the order in which a repository lists its files.
    seen = {"files": sorted(native_files(profile, files).items()), "settings": settings}
    return blake3(json.dumps(seen, sort_keys=True, default=list).encode()).hexdigest()
