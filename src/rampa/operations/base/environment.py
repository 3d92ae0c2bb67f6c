"""What every process of the service is told by its environment, the one that answers and the one that works off the queue.

Every variable is in docs/operating.md.
"""

from __future__ import annotations

import datetime as dt
import os
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from rampa.core.content.layout.audience import read_audience
from rampa.core.content.layout.rules import USUAL_RULES, LayoutRules
from rampa.core.content.patch.sets import Budget
from rampa.core.errors import Invalid
from rampa.core.signing.seal import read_masters
from rampa.db import Database
from rampa.operations.base.context import BUDGET, LEASE, NOWHERE, Services
from rampa.operations.base.provider import Provider, read_roles, safe_address
from rampa.store.address import open_store
from rampa.store.key_module import KeyModule
from rampa.store.reach import Reach, hosts_for, listed
from rampa.store.screen_host import ScreenHostAddress

LONGEST = 86_400.0


@dataclass(frozen=True)
class ProcessSettings:
    database_url: str
    store: Path
    master_key: tuple[bytes, ...]
    lease: dt.timedelta = LEASE
    budget: Budget = BUDGET
    layout: LayoutRules = USUAL_RULES
    reach: Reach = NOWHERE
    webhook_reach: Reach = NOWHERE
    storefront_reach: Reach = NOWHERE
    hand_over: Path | None = None
    origin: str = ""
    provider: Provider | None = None
    key_module: KeyModule | None = None
    screens: ScreenHostAddress | None = None

    @classmethod
    def from_environment(cls) -> ProcessSettings:
        return cls(
            database_url=needed("RAMPA_DATABASE_URL", "a PostgreSQL address, such as postgresql+psycopg://…"),
            store=Path(needed("RAMPA_STORE", "the folder of the content store")),
            master_key=read_master_keys(),
            lease=dt.timedelta(seconds=seconds("RAMPA_LEASE_SECONDS", LEASE.total_seconds())),
            reach=listed(
                os.environ.get("RAMPA_SOURCE_FOLDERS", ""),
                os.environ.get("RAMPA_SOURCE_HOSTS", ""),
                os.environ.get("RAMPA_SOURCE_CERTIFICATES", ""),
                Path(needed("RAMPA_STORE", "the folder of the content store")) / "known_hosts",
            ),
            webhook_reach=hosts_for("RAMPA_WEBHOOK_HOSTS"),
            storefront_reach=hosts_for("RAMPA_STOREFRONT_HOSTS"),
            hand_over=Path(folder) if (folder := os.environ.get("RAMPA_HAND_OVER", "")) else None,
            origin=read_origin(),
            provider=read_provider(),
            key_module=read_key_module(),
            screens=ScreenHostAddress(said) if (said := os.environ.get("RAMPA_SCREENS", "")) else None,
            budget=Budget(
                whole("RAMPA_DIFFERENCE_SECONDS", int(Budget.seconds)),
                whole("RAMPA_DIFFERENCE_MB", Budget.size >> 20) << 20,
                whole("RAMPA_DIFFERENCE_DEVICES", Budget.devices),
            ),
            layout=read_layout_rules(),
        )

    def services(self) -> Services:
        return Services(
            Database(self.database_url),
            open_store(self.store),
            self.master_key,
            lease=self.lease,
            budget=self.budget,
            layout=self.layout,
            reach=self.reach,
            webhook_reach=self.webhook_reach,
            storefront_reach=self.storefront_reach,
            hand_over=self.hand_over,
            origin=self.origin,
            provider=self.provider,
            key_module=self.key_module,
            screens=self.screens,
        )


def read_layout_rules() -> LayoutRules:
    """Of packs for players. Raises `Invalid`."""
    usual = USUAL_RULES
    return LayoutRules(
        devices=whole("RAMPA_PLAYER_PACK_DEVICES", usual.devices),
        seconds=whole("RAMPA_PLAYER_PACK_SECONDS", usual.seconds),
        frame=whole("RAMPA_PLAYER_PACK_FRAME_MB", usual.frame),
        kept_days=whole("RAMPA_PLAYER_PACK_DAYS", usual.kept_days),
        price=whole("RAMPA_REQUEST_BYTES", usual.price),
        past=whole("RAMPA_PAST_MB", usual.past >> 20) << 20,
        audience=read_audience(said) if (said := os.environ.get("RAMPA_AUDIENCE", "")) else usual.audience,
    )


def read_origin() -> str:
    """From RAMPA_ORIGIN. Raises `Invalid` for what is no origin (RFC 6454)."""
    said = os.environ.get("RAMPA_ORIGIN", "")
    parts = urlsplit(said)
    if said and (f"{parts.scheme}://{parts.netloc}" != said or not safe_address(said)):
        hint = "Say it as https://rampa.studio.example, with nothing behind it."
        raise Invalid("settings.origin", f"RAMPA_ORIGIN is {said!r}", where="RAMPA_ORIGIN", hint=hint)
    return said


def read_provider() -> Provider | None:
    """From RAMPA_PROVIDER and its variables, where it is set. Raises `Invalid`."""
    issuer = os.environ.get("RAMPA_PROVIDER", "")
    if not issuer:
        return None
    return Provider(
        issuer=issuer,
        client_id=needed("RAMPA_PROVIDER_CLIENT", "what the provider calls this service"),
        secret=_secret("RAMPA_PROVIDER_SECRET", "the secret of this client"),
        roles=read_roles(needed("RAMPA_PROVIDER_ROLES", "GROUP=ROLE, with commas between them")),
        name=os.environ.get("RAMPA_PROVIDER_NAME", "") or Provider.name,
        groups=os.environ.get("RAMPA_PROVIDER_GROUPS", "") or Provider.groups,
    )


def read_key_module() -> KeyModule | None:
    """From RAMPA_KEY_MODULE and its variables, where it is set. Raises `Invalid`."""
    library = os.environ.get("RAMPA_KEY_MODULE", "")
    if not library:
        return None
    slot = needed("RAMPA_KEY_MODULE_SLOT", "the label of the slot that holds the keys")
    return KeyModule(Path(library), slot, _secret("RAMPA_KEY_MODULE_PIN", "the slot's PIN"))


def _secret(name: str, what: str) -> str:
    """From the variable, or from the file that NAME_FILE names."""
    said = os.environ.get(name, "")
    path = "" if said else needed(f"{name}_FILE", f"a file that holds {what}")
    try:
        return said or Path(path).read_text().strip()
    except (OSError, UnicodeDecodeError) as error:
        raise Invalid("settings.secret-file", f"the file of {name} cannot be read", where=path) from error


def seconds(name: str, otherwise: float) -> float:
    """Raises `Invalid` for what is no number of seconds."""
    said = os.environ.get(name, "")
    try:
        found = float(said or otherwise)
    except ValueError:
        found = 0.0
    # At most a day: "inf" and 1e300 are numbers too, and no time adds up with them.
    if not 0 < found <= LONGEST:
        should = f"a number of seconds above 0, and at most {LONGEST:,.0f}"
        raise Invalid("settings.seconds", f"{name} is {said!r}, and should be {should}", where=name)
    return found


def whole(name: str, otherwise: int) -> int:
    """Raises `Invalid` for what is no whole number; 0 is one, and allows nothing."""
    said = os.environ.get(name, "") or str(otherwise)
    if not (said.isascii() and said.isdigit() and len(said) < 10):
        should = "a whole number below a thousand million"
        raise Invalid("settings.whole-number", f"{name} is {said!r}, and should be {should}", where=name)
    return int(said)


def needed(name: str, what: str) -> str:
    value = os.environ.get(name, "")
    if not value:
        raise Invalid("settings.missing", f"the environment variable {name} is not set", hint=f"It is {what}.")
    return value


def read_master_keys() -> tuple[bytes, ...]:
    """From RAMPA_MASTER_KEY, or from the file that RAMPA_MASTER_KEY_FILE names. The first seals, all of them open."""
    text = os.environ.get("RAMPA_MASTER_KEY", "")
    path = "" if text else needed("RAMPA_MASTER_KEY_FILE", "a file that holds 64 hexadecimal digits a line")
    try:
        return read_masters(text or Path(path).read_text())
    except (OSError, UnicodeDecodeError) as error:
        raise Invalid("settings.master-key", "the master key cannot be read", where=path) from error
    except Invalid as error:
        # The reason without the text: a key that is nearly right must not stand in a log.
        raise Invalid("settings.master-key", error.message, where=path or "RAMPA_MASTER_KEY") from error
