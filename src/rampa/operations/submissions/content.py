"""What a build is made of, as checks of submissions look at it."""

from __future__ import annotations

from rampa.core.bundle.frameworks import frameworks_in
from rampa.core.check.studio_rule import HEAD, Ruled
from rampa.core.check.submission import SubmittedBundle
from rampa.core.errors import RampaError
from rampa.core.profile.resolved import ResolvedProfile
from rampa.db import BuildRow
from rampa.operations.base import Services
from rampa.operations.content.stored_bytes import StoredFileBytes
from rampa.operations.content.stored_trees import build_tree


def submitted(services: Services, build: BuildRow, profile: ResolvedProfile) -> tuple[SubmittedBundle, Ruled]:
    """The same facts for our checks and for the studio's own. Raises `Damaged` where the content cannot be read."""
    tree = build_tree(services, build)
    bundle, said = build.bundle, build.bundle.read_back if build.bundle else None
    paths = [file.path for file in tree.files]
    inside = [name for names in said.facts.libraries.values() for name in names] if said else []
    found = tuple(frameworks_in([*paths, *inside]))
    permissions = dict(profile.settings.system.permissions)
    made = SubmittedBundle(
        bundle.size if bundle else 0,
        build.version_code,
        build.purpose,
        bundle.grant if bundle else 0,
        permissions,
        found,
        said.facts.debuggable if said else False,
    )
    content = StoredFileBytes(services, tree)

    def read(path: str) -> bytes:
        try:
            return content.read(path, 0, HEAD)
        except RampaError:
            return b""  # what is damaged in the store is said by its own check

    return made, Ruled(tuple(dict.fromkeys([*paths, *inside])), frozenset(permissions), found, read)
