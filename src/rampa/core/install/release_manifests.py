"""The manifests of a release: its signed statement's manifests, fetched, checked, and the tree that they make."""

from __future__ import annotations

from pathlib import Path

from rampa.core.content.depots.choice import Choice, chosen
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.patch import maker, manifest_difference
from rampa.core.content.tree.merge import merge
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged
from rampa.core.install.delivery import Delivery
from rampa.core.signing.statement import DepotLine, Statement

CHOSEN = "chosen.txt"
"""The file beside a release's manifests that lists the depots that are installed, one a line."""


def lines_for(statement: Statement, choice: Choice) -> tuple[DepotLine, ...]:
    """The depots that a device gets."""
    names = chosen({d.depot: d.selector for d in statement.depots}, choice)
    return tuple(d for d in statement.depots if d.depot in names)


def chosen_lines(statement: Statement, release: Path) -> tuple[DepotLine, ...]:
    """Those that an installation was given. Raises OSError when the list is gone."""
    # Damaged bytes name no depot: what is missing then is found where the tree is put together.
    names = (release / CHOSEN).read_text(errors="replace").split()
    return tuple(d for d in statement.depots if d.depot in names)


def manifest_file(release: Path, line: DepotLine) -> Path:
    return release / f"{line.manifest.hex()}.manifest"


def key_of(statement: Statement, envelope: bytes, lines: tuple[DepotLine, ...]) -> str:
    """One name for a build with these depots."""
    what = envelope + b"".join(d.manifest for d in lines)
    return f"{statement.build}-{manifest_format.digest_of(what).hex()[:12]}"


def fetch_manifests(
    lines: tuple[DepotLine, ...], delivery: Delivery, held: dict[bytes, Path], old: dict[str, bytes]
) -> tuple[dict[str, bytes], int]:
    """Each depot's manifest, checked against the statement, and how many bytes were fetched for them. `old`: those installed."""
    out, fetched = {}, 0
    for line in lines:
        data = b""
        if line.manifest in held:
            data = manifest_file(held[line.manifest], line).read_bytes()
        if manifest_format.digest_of(data) != line.manifest:
            data, size = _fetch_manifest(line, delivery, old.get(line.depot))
            fetched += size
        # The digest is of the encoded bytes: they are checked before anything decodes them.
        if len(data) != line.size or manifest_format.digest_of(data) != line.manifest:
            raise Damaged(
                "manifest.forged",
                f"the manifest of depot {line.depot} is not the one that was signed",
                hint="Nothing was replaced.",
            )
        out[line.depot] = data
    return out, fetched


def _fetch_manifest(line: DepotLine, delivery: Delivery, base: bytes | None) -> tuple[bytes, int]:
    """By its difference from the installed one where that gives the right bytes, else whole; and the bytes fetched."""
    fetched = 0
    if base is not None and maker.available():
        difference = delivery.manifest_difference(line.manifest, manifest_format.digest_of(base))
        fetched = len(difference)
        try:
            data = manifest_difference.apply(difference, base) if difference else b""
        except Damaged:
            data = b""
        if manifest_format.digest_of(data) == line.manifest:
            return data, fetched
    data = delivery.manifest(line.manifest)
    return data, fetched + len(data)


def tree_of(statement: Statement, encoded: dict[str, bytes]) -> Tree:
    tree = merge(manifest_format.decode(e).tree for e in encoded.values())
    if not any(f.path == statement.launch for f in tree.files):
        raise Damaged("statement.damaged", "the statement's launch entry is in none of its depots")
    return tree
