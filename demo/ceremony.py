"""The demo's ceremony: three made-up holders make their keys and sign the first root, as `rampa trust ceremony` has people do.

Their key files lie in FOLDER/holders, where nobody should keep them; the passphrase lies beside them.
"""

from __future__ import annotations

import secrets
from pathlib import Path

from rampa.client import Client
from rampa.core.trust import keys, root
from rampa.schema.trust import RootDraftIn, RootHolder
from rampa.system import RANDOM

HOLDERS = ("Oskari", "Tuuli", "Vendla")
SIGNING = HOLDERS[:2]


def hold(client: Client, folder: Path) -> None:
    """Two of the three sign; the worker writes the delivery then."""
    at, passphrase = folder / "holders", secrets.token_urlsafe(12)
    at.mkdir(mode=0o700)
    made = {name: keys.make_holder_key(name, passphrase, RANDOM) for name in HOLDERS}
    for name, file in made.items():
        (at / f"{name.lower()}.key").write_bytes(file)
        (at / f"{name.lower()}.public").write_bytes(keys.public_part(file))
    (at / "passphrase.txt").write_text(passphrase + "\n")
    public = [keys.read_holder_key(file) for file in made.values()]
    asked = [RootHolder(holder=k.holder, public=k.public.hex()) for k in public]
    draft = root.read_draft(client.delivery.draft_root("peatlight", RootDraftIn(holders=asked, threshold=len(SIGNING))))
    for name in SIGNING:
        draft, _ = root.sign_draft(draft, keys.unlock_holder_key(made[name], passphrase))
    client.delivery.publish_root("peatlight", root.write_draft(draft))
