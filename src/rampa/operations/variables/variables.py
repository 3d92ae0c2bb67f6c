"""Step variables: variables that people see, secrets that rest sealed and are never answered."""

from __future__ import annotations

import json
import re

from sqlalchemy import select
from sqlalchemy.orm import undefer

from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.run.mask import LEAST
from rampa.core.signing.seal import seal, unseal
from rampa.db import VariablesRow, find_variables, first_of, newest_documents
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.schema import sources as wire

NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]{0,80}")
OURS = "RAMPA_"
FORBIDDEN = frozenset({"PATH", "LD_PRELOAD", "LD_LIBRARY_PATH", "HOME", "TMPDIR"})


def put_variables(
    services: Services, actor: Actor, name: str, asked: wire.StepVariablesIn, expected: int | None
) -> tuple[wire.StepVariablesOut, int]:
    """Makes or replaces the group. `expected` is the version that the caller saw, None for whichever it is."""
    _check(asked)
    with begin(services, actor) as uow:
        rows = select(VariablesRow).where(VariablesRow.name == name).options(undefer(VariablesRow.sealed))
        row = first_of(uow.session, rows, lock=True)
        if row is not None and expected is not None and row.version != expected:
            raise Conflict("variables.moved", f"the group {name} was changed meanwhile", hint="Load it again.")
        if row is None:
            row = VariablesRow(name=name, created_at=services.now(), version=0)
            uow.session.add(row)
        kept = _secrets(services, row)
        secrets = {k: kept.get(k, "") if v is None else v for k, v in asked.secrets.items()}
        lost = [k for k, v in asked.secrets.items() if v is None and k not in kept]
        if lost:
            raise Invalid("variables.secret", f"the secret {lost[0]} has no value yet", where=f"secrets.{lost[0]}")
        row.variables, row.note, row.secrets = asked.variables, asked.note, sorted(secrets)
        row.sealed = seal(json.dumps(secrets).encode(), services.master_key, f"variables:{name}", services.random)
        row.version += 1
        row.changed_at, row.changed_by = services.now(), actor.name
        changed = sorted(k for k, v in secrets.items() if kept.get(k) != v)
        variables = sorted(asked.variables)
        audit.record(uow, "variables.change", name, variables=variables, secrets_changed=changed)
        uow.session.flush()
        return _out(uow, row), row.version


def _check(asked: wire.StepVariablesIn) -> None:
    for key in (*asked.variables, *asked.secrets):
        if not NAME.fullmatch(key):
            hint = "Letters, digits and underscores; no digit first."
            raise Invalid("variables.name", f"{key[:80]!r} cannot name a variable", where=key[:80], hint=hint)
        if key.upper().startswith(OURS) or key in FORBIDDEN:
            raise Invalid("variables.name", f"{key} is set by the agent itself", where=key, hint="Take another name.")
        if key in asked.variables and key in asked.secrets:
            raise Invalid("variables.twice", f"{key} is a variable and a secret", where=key)
    for key, value in asked.secrets.items():
        if value is not None and len(value) < LEAST:
            hint = "It would be masked in ordinary words. Use a longer one."
            raise Invalid("variables.short", f"a secret has at least {LEAST} characters", where=key, hint=hint)


def list_variables(services: Services) -> list[wire.StepVariablesOut]:
    with begin(services) as uow:
        used = _uses(uow)
        return [_out(uow, r, used) for r in uow.session.scalars(select(VariablesRow).order_by(VariablesRow.name))]


def get_variables(services: Services, name: str) -> tuple[wire.StepVariablesOut, int]:
    with begin(services) as uow:
        row = find_variables(uow.session, name)
        return _out(uow, row), row.version


def remove_variables(services: Services, actor: Actor, name: str) -> None:
    with begin(services, actor) as uow:
        row = find_variables(uow.session, name)
        used = _uses(uow).get(name, [])
        if used:
            hint = "Name another group in toolchain.variables first."
            raise Refused("variables.used", f"{', '.join(used)} name the group {name}", where=name, hint=hint)
        uow.session.delete(row)
        audit.record(uow, "variables.remove", name)


def open_variables(uow: UnitOfWork, name: str) -> tuple[dict[str, str], dict[str, str]]:
    """(variables, secrets) for an agent; empty where no group is named."""
    if not name:
        return {}, {}
    row = find_variables(uow.session, name)
    return dict(row.variables), _secrets(uow.services, row)


def _secrets(services: Services, row: VariablesRow) -> dict[str, str]:
    if not row.sealed:
        return {}
    found: dict[str, str] = json.loads(unseal(row.sealed, services.master_key, f"variables:{row.name}"))
    return found


def _uses(uow: UnitOfWork) -> dict[str, list[str]]:
    """Group -> the titles' profiles that name it."""
    out: dict[str, list[str]] = {}
    for title, document in newest_documents(uow.session):
        for name, profile in document.profiles.items():
            group = profile.settings.toolchain.variables
            if group:
                out.setdefault(group, []).append(f"{title.slug} {name}")
    return out


def _out(uow: UnitOfWork, row: VariablesRow, used: dict[str, list[str]] | None = None) -> wire.StepVariablesOut:
    return wire.StepVariablesOut(
        name=row.name,
        note=row.note,
        variables=row.variables,
        secrets=list(row.secrets),
        version=row.version,
        changed_at=row.changed_at,
        changed_by=row.changed_by,
        used_by=(_uses(uow) if used is None else used).get(row.name, []),
    )
