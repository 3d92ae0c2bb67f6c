"""Checks of the studio's own: written as a rule, or made of what a storefront's machines found."""

from __future__ import annotations

from rampa.core.check.studio_rule import StudioRule, proposed, read_rule, rule_text
from rampa.core.errors import Conflict, Invalid, NotFound, Refused
from rampa.db import StudioRuleRow, find_submission, studio_rules
from rampa.operations.base import Act, Actor, Services, action, audit, begin, must
from rampa.operations.channels.obstacles import profile_of_build
from rampa.operations.submissions.content import submitted
from rampa.operations.submissions.views import source
from rampa.schema import submissions as wire

MOST = 200


def list_rules(services: Services, actor: Actor) -> wire.RuleList:
    with begin(services, actor) as uow:
        rows = studio_rules(uow.session)
        return wire.RuleList(items=[_out(row) for row in rows], allowed_actions=[action(actor, Act.MAKE_RULE, "add")])


def add_rule(services: Services, actor: Actor, asked: wire.RuleIn) -> wire.RuleOut:
    """Raises `Invalid` for a rule that cannot be read, `Conflict` for a name that is there."""
    must(actor, Act.MAKE_RULE)
    if bool(asked.text.strip()) == (asked.found is not None):
        raise Invalid("rule.what", "a rule is written, or made of what a storefront found", where="text")
    rule, made_of = (read_rule(asked.text), "") if asked.text.strip() else _of_finding(services, asked)
    with begin(services, actor) as uow:
        rows = studio_rules(uow.session)
        if any(row.name == rule.name for row in rows):
            raise Conflict(
                "rule.exists",
                f"there is a rule {rule.name} already",
                where="name",
                hint="Remove it, or name this one otherwise.",
            )
        if len(rows) >= MOST:
            raise Refused("rule.many", f"the studio has {MOST} rules, and no more are kept")
        row = StudioRuleRow(name=rule.name, rule=rule, made_of=made_of, made_by=actor.name, created_at=uow.now)
        uow.session.add(row)
        uow.session.flush()
        audit.record(uow, "rule.add", rule.name)
        return _out(row)


def remove_rule(services: Services, actor: Actor, name: str) -> None:
    must(actor, Act.MAKE_RULE)
    with begin(services, actor) as uow:
        row = next((row for row in studio_rules(uow.session) if row.name == name), None)
        if row is None:
            raise NotFound("rule.unknown", f"the studio has no rule {name!r}", where="rule")
        uow.session.delete(row)
        audit.record(uow, "rule.remove", name)


def _of_finding(services: Services, asked: wire.RuleIn) -> tuple[StudioRule, str]:
    with begin(services) as uow:
        row = find_submission(uow.session, asked.title, asked.submission or 0)
        found = row.seen.findings if row.seen else []
        profile = profile_of_build(uow, row.build)
    assert asked.found is not None
    if asked.found > len(found):
        hint = f"rampa submission show {asked.submission} lists them."
        raise NotFound("submission.finding", f"{row.name} has {len(found)} findings", where="found", hint=hint)
    one = found[asked.found - 1]
    _, ruled = submitted(services, row.build, profile)
    return proposed(one.code, one.message, one.where, row.storefront, ruled.paths), source(row.storefront, one.code)


def _out(row: StudioRuleRow) -> wire.RuleOut:
    return wire.RuleOut(
        name=row.name,
        text=rule_text(row.rule),
        says=row.rule.says,
        severity=row.rule.severity,
        storefronts=list(row.rule.storefronts),
        made_of=row.made_of,
        made_by=row.made_by,
        created_at=row.created_at,
    )
