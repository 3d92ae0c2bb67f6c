"""A ceremony rehearsed in a folder: the same drafts and the same rules, keys of no worth, and a simulated device that follows.

FOLDER/NUMBER.root.json   the roots that were published in it
FOLDER/keys.json          what stands for the service's keys: readable, and good for nothing else
FOLDER/device/            what the device saw
"""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping, Sequence
from pathlib import Path

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.delivery import names
from rampa.core.errors import NotFound
from rampa.core.files import replace_file
from rampa.core.trust import root as root_format
from rampa.core.trust.follow import refresh
from rampa.core.trust.issue import Issued, issue
from rampa.core.trust.keys import HolderKey
from rampa.core.trust.terms import ONLINE, TOP, TrustRole, channel_role

TITLE, CHANNEL = "a-rehearsal", channel_role("0" * 32)
WORD = b"what stands for a line"


class RehearsalRoom:
    """`now` is handed in, as everywhere."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def roots(self) -> list[bytes]:
        """In their order."""
        found = sorted(self.folder.glob("*.root.json"), key=lambda p: int(p.name.partition(".")[0]))
        return [p.read_bytes() for p in found]

    def draft(self, holders: Sequence[HolderKey], threshold: int, now: dt.datetime, *, new_keys: bool) -> bytes:
        before = self.roots()[-1] if self.roots() else b""
        keys = self._make_keys() if new_keys or not before else self._keys("keys.json")
        online = {role: keys[role].public_key().public_bytes_raw() for role in TOP}
        return root_format.write_draft(root_format.draft_root(TITLE, before, holders, threshold, online, now))

    def publish(self, draft: bytes, now: dt.datetime) -> list[str]:
        """What it would have done, and what a device made of it. Raises `Refused` as the service would."""
        made = root_format.read_draft(draft)
        before = self.roots()[-1] if self.roots() else b""
        waiting = self.folder / "waiting.json"
        name = "waiting.json" if waiting.exists() else "keys.json"
        online = {role: key.public_key().public_bytes_raw() for role, key in self._keys(name).items() if role in TOP}
        root_format.must_follow_root(made, before, online, now)
        facts = root_format.facts_of(made.root)
        replace_file(self.folder / f"{facts.version}.root.json", made.root)
        if waiting.exists():
            waiting.replace(self.folder / "keys.json")
        said = [f"Root {facts.version} would be published: any {facts.threshold} of {', '.join(facts.holders)}."]
        self._follow(now)
        came = "from root 1" if facts.version == 1 else f"from root 1 over {facts.version - 1} more"
        return [*said, f"A simulated device followed {came}, and took what the new keys signed."]

    def _follow(self, now: dt.datetime) -> None:
        roots = self.roots()
        state: dict[str, Issued] = {}
        # Above whatever a device saw at earlier tries.
        for _ in range(len(roots)):
            old = {r: Issued(i.version, now - dt.timedelta(days=999), i.data) for r, i in state.items()}
            state = issue(old, {CHANNEL: {f"{CHANNEL}/linux": WORD}}, self._keys("keys.json"), now)
        files = {f"{names.METADATA}/{n}.root.json": data for n, data in enumerate(roots, 1)}
        files |= {f"{names.METADATA}/{i.version}.{role}.json": i.data for role, i in state.items()}
        files[names.TIMESTAMP] = state[TrustRole.TIMESTAMP].data
        files[names.target_name(f"{CHANNEL}/linux", WORD)] = WORD

        def fetch(name: str, limit: int) -> bytes:
            if name not in files:
                raise NotFound("delivery.no-file", f"there is no file {name}")
            return files[name]

        refresh(self.folder / "device", roots[0], f"{CHANNEL}/linux", fetch, now)

    def _make_keys(self) -> Mapping[TrustRole, Ed25519PrivateKey]:
        made = {role: Ed25519PrivateKey.generate() for role in ONLINE}
        body = {role.value: key.private_bytes_raw().hex() for role, key in made.items()}
        replace_file(self.folder / "waiting.json", json.dumps(body, indent=1).encode(), 0o600)
        return made

    def _keys(self, name: str) -> Mapping[TrustRole, Ed25519PrivateKey]:
        try:
            body = json.loads((self.folder / name).read_bytes())
        except OSError as error:
            hint = "Begin it with a draft: `rampa trust ceremony draft FILE --rehearsal FOLDER …`."
            raise NotFound(
                "rehearsal.none", "no ceremony is rehearsed here", where=str(self.folder), hint=hint
            ) from error
        return {TrustRole(r): Ed25519PrivateKey.from_private_bytes(bytes.fromhex(k)) for r, k in body.items()}
