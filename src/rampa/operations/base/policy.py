"""Who may do what: one table. Routes, use cases and the `allowed_actions` of answers read it, and nothing else says it.

A route names its act; a use case that can be reached in more ways than one asks again (`must`).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from enum import StrEnum
from typing import TypeVar

from rampa.core.errors import Denied
from rampa.core.transitions import possible, words
from rampa.operations.base.context import Actor
from rampa.schema.common import Action, Role

S = TypeVar("S", bound=StrEnum)
E = TypeVar("E", bound=StrEnum)


class Act(StrEnum):
    """What can be done, as the end of "an engineer may not …"."""

    OPEN = "call what needs no sign-in"
    OWN = "manage one's own session and tokens"
    CHANGE_FACTOR = "change one's own second factor"
    ALLOW_MACHINE = "let a machine sign in as oneself"
    READ = "read the studio's titles, builds, channels and events"
    READ_SOURCE = "read a title's source"
    READ_SYMBOLS = "read symbols"
    READ_ARCHIVE = "fetch a build's source archive"
    READ_PACK = "fetch packs"
    READ_CONTENT = "read the content of builds that are on no channel"
    READ_VARIABLES = "read step variables"
    READ_STORE = "read what the content store holds"
    ADD_PERSON = "add people"
    CHANGE_PERSON = "change roles, disable people and reset passwords"
    SET_TITLE_ROLE = "give people roles at a title"
    IMPORT_TITLE = "import titles"
    CHANGE_DOCUMENT = "change profile documents"
    SET_ISOLATION = "say whether runs need a sandbox"
    SET_DOCUMENT_OWNER = "say who owns a profile document"
    CHANGE_LISTING = "change listings"
    AFFIRM_RATING = "affirm age ratings"
    ADD_KEY = "add signing identities"
    CONNECT_KEY = "use keys of the key module"
    UNLOCK_KEY = "lock and unlock signing identities"
    DRILL_KEY = "drill signing identities"
    EXPORT_KEY = "export signing identities"
    SET_KEY_POLICY = "say what a signing identity may be used for"
    APPROVE_RUN = "approve runs"
    HAND_OVER_KEY = "hand over a signing identity"
    CHANGE_MASTER_KEY = "change the master key"
    MARK_CODE_TAKEN = "mark version codes as taken"
    MAKE_GRANT = "make grants and sign builds again"
    MAKE_BUILD = "make builds"
    ABANDON_BUILD = "abandon builds"
    NOTE_BUILD = "pin builds and change their notes"
    SET_RETENTION = "remove builds by a policy"
    CHANGE_CHANNEL = "change a title's channels"
    SET_GATES = "set the gates of channels"
    APPROVE_BUILD = "approve builds for channels"
    WAIVE_GATE = "waive gates"
    MAKE_RELEASE = "make releases and write their notes"
    PLACE = "place builds"
    WITHDRAW = "withdraw builds"
    ROLL_OUT = "grow, hold and roll back rollouts"
    UNSEAL = "unseal a build's content"
    PREPARE_UPDATE = "make differences"
    USE_DEVICE = "write down and remove devices"
    REPORT_DEVICE = "report what a device has"
    FETCH_BUILD = "fetch what devices install"
    TEST = "test builds"
    MANAGE_TESTERS = "invite testers and give them access"
    ANSWER_FEEDBACK = "answer testers"
    MANAGE_WEBHOOKS = "say where events are sent"
    HOLD_CEREMONY = "draft and publish a title's root"
    CONNECT_STOREFRONT = "connect storefronts"
    READ_STUDIO = "read who the studio is"
    MANAGE_STUDIO = "say who the studio is and hand it in"
    READ_STUDIO_DOCUMENT = "read the studio's documents"
    VERIFY_STUDIO = "verify the studio"
    SUBMIT = "put builds before storefronts"
    SHOW = "say what players get of what passed"
    KEEP_CALENDAR = "write agreements into the calendar"
    READ_REVIEW = "read what is before the studio's reviewers"
    REVIEW = "review builds"
    MAKE_RULE = "make checks of the studio's own"
    MANAGE_ORIGINS = "say where deliveries lie"
    CONNECT_SOURCE = "connect sources"
    FETCH_SOURCE = "fetch a source"
    UPLOAD_FOLDER = "upload folders"
    START_RUN = "start and repeat runs"
    CANCEL_RUN = "cancel runs"
    CHANGE_TRIGGER = "change triggers"
    CHANGE_VARIABLES = "change step variables"
    WORK = "take and report runs"
    ENROL_AGENT = "enrol agents"
    CHANGE_AGENT = "pause and remove agents"
    CHANGE_STORE = "check, collect and repack the content store"


MATTERS = frozenset(
    {
        Act.CONNECT_KEY,
        Act.EXPORT_KEY,
        Act.HAND_OVER_KEY,
        Act.SET_KEY_POLICY,
        Act.CHANGE_MASTER_KEY,
        Act.APPROVE_RUN,
        Act.SET_GATES,
        Act.APPROVE_BUILD,
        Act.WAIVE_GATE,
        Act.ADD_PERSON,
        Act.CHANGE_PERSON,
        Act.SET_TITLE_ROLE,
        Act.CHANGE_FACTOR,
        Act.ALLOW_MACHINE,
        Act.HOLD_CEREMONY,
        Act.AFFIRM_RATING,
        Act.CONNECT_STOREFRONT,
        Act.VERIFY_STUDIO,
    }
)
"""What asks for the second factor again, of who has one."""
OF_THE_STUDIO = frozenset({Act.SET_ISOLATION})
"""What is of the studio's machines, though its route names a title: no role at a title counts for it."""
EVERYBODY = frozenset(Role)
MACHINES = frozenset({Role.AGENT, Role.DEVICE})
PEOPLE = EVERYBODY - MACHINES
READERS = frozenset({Role.OWNER, Role.ENGINEER, Role.VIEWER})
AGENTS = frozenset({Role.AGENT})
DEVICES = frozenset({Role.DEVICE})
TESTERS = READERS | {Role.TESTER}
MAKERS = frozenset({Role.OWNER, Role.ENGINEER, Role.AGENT})
ENGINEERS = frozenset({Role.OWNER, Role.ENGINEER})
OWNERS = frozenset({Role.OWNER})

POLICY: dict[Act, frozenset[Role]] = {
    # Nobody in particular: a route that is open asks for no role at all.
    Act.OPEN: frozenset(),
    Act.OWN: PEOPLE,
    Act.CHANGE_FACTOR: PEOPLE,
    Act.ALLOW_MACHINE: PEOPLE,
    Act.READ: READERS,
    Act.READ_SOURCE: MAKERS,
    Act.READ_SYMBOLS: ENGINEERS,
    Act.READ_ARCHIVE: ENGINEERS,
    Act.READ_PACK: READERS | MACHINES,
    Act.READ_CONTENT: ENGINEERS,
    Act.READ_VARIABLES: ENGINEERS,
    Act.READ_STORE: ENGINEERS,
    Act.ADD_PERSON: OWNERS,
    Act.CHANGE_PERSON: OWNERS,
    Act.SET_TITLE_ROLE: OWNERS,
    Act.IMPORT_TITLE: ENGINEERS,
    Act.CHANGE_DOCUMENT: ENGINEERS,
    Act.SET_ISOLATION: OWNERS,
    Act.SET_DOCUMENT_OWNER: OWNERS,
    Act.CHANGE_LISTING: ENGINEERS,
    Act.AFFIRM_RATING: ENGINEERS,
    Act.ADD_KEY: ENGINEERS,
    Act.UNLOCK_KEY: ENGINEERS,
    Act.DRILL_KEY: ENGINEERS,
    Act.CONNECT_KEY: OWNERS,
    Act.EXPORT_KEY: OWNERS,
    Act.SET_KEY_POLICY: OWNERS,
    Act.APPROVE_RUN: ENGINEERS,
    Act.HAND_OVER_KEY: OWNERS,
    Act.CHANGE_MASTER_KEY: OWNERS,
    Act.MARK_CODE_TAKEN: ENGINEERS,
    Act.MAKE_GRANT: ENGINEERS,
    Act.MAKE_BUILD: MAKERS,
    Act.ABANDON_BUILD: ENGINEERS,
    Act.NOTE_BUILD: ENGINEERS,
    Act.SET_RETENTION: ENGINEERS,
    Act.CHANGE_CHANNEL: ENGINEERS,
    Act.SET_GATES: OWNERS,
    Act.APPROVE_BUILD: ENGINEERS,
    Act.WAIVE_GATE: OWNERS,
    Act.MAKE_RELEASE: ENGINEERS,
    Act.PLACE: ENGINEERS,
    Act.WITHDRAW: ENGINEERS,
    Act.ROLL_OUT: ENGINEERS,
    Act.UNSEAL: ENGINEERS,
    Act.PREPARE_UPDATE: ENGINEERS,
    Act.USE_DEVICE: ENGINEERS,
    Act.REPORT_DEVICE: ENGINEERS | DEVICES,
    Act.FETCH_BUILD: READERS | DEVICES,
    Act.TEST: TESTERS,
    Act.MANAGE_TESTERS: ENGINEERS,
    Act.ANSWER_FEEDBACK: ENGINEERS,
    Act.MANAGE_WEBHOOKS: ENGINEERS,
    Act.HOLD_CEREMONY: OWNERS,
    Act.CONNECT_STOREFRONT: OWNERS,
    Act.READ_STUDIO: READERS | {Role.REVIEWER},
    Act.MANAGE_STUDIO: OWNERS,
    Act.READ_STUDIO_DOCUMENT: OWNERS | {Role.REVIEWER},
    Act.VERIFY_STUDIO: OWNERS | {Role.REVIEWER},
    Act.SUBMIT: ENGINEERS,
    Act.SHOW: ENGINEERS,
    Act.MAKE_RULE: ENGINEERS,
    Act.KEEP_CALENDAR: OWNERS,
    Act.READ_REVIEW: READERS | {Role.REVIEWER},
    Act.REVIEW: ENGINEERS | {Role.REVIEWER},
    Act.MANAGE_ORIGINS: OWNERS,
    Act.CONNECT_SOURCE: ENGINEERS,
    Act.FETCH_SOURCE: ENGINEERS,
    Act.UPLOAD_FOLDER: ENGINEERS,
    Act.START_RUN: ENGINEERS,
    Act.CANCEL_RUN: ENGINEERS,
    Act.CHANGE_TRIGGER: ENGINEERS,
    Act.CHANGE_VARIABLES: ENGINEERS,
    Act.WORK: AGENTS,
    Act.ENROL_AGENT: ENGINEERS,
    Act.CHANGE_AGENT: ENGINEERS,
    Act.CHANGE_STORE: OWNERS,
}
"""The role REVIEWER belongs to storefronts' reviewers: until there are submissions it reads nothing of the studio's. TESTER sees
nothing of it but what it was given to test (operations/testers/access). AGENT and DEVICE are no person's and no token's: an agent
may what it may for a run that it holds (operations/agents/scope), a device for the channel that it follows
(operations/devices/scope)."""


def may(role: Role, act: Act) -> bool:
    return role in POLICY[act]


def denial(role: Role, act: Act) -> str:
    """Why this role may not, as a sentence; empty where it may."""
    said = f"{with_article(role)} may not {act}."
    return "" if may(role, act) else said[0].upper() + said[1:]


def must(actor: Actor, act: Act) -> None:
    """Raises `Denied` for who may not."""
    if not may(actor.role, act):
        takers = " or ".join(with_article(r) for r in Role if may(r, act))
        raise Denied("role.denied", f"{with_article(actor.role)} may not {act}", hint=f"It takes {takers}.")


def action(actor: Actor, act: Act, name: str, obstacle: str = "") -> Action:
    """One entry of `allowed_actions`: the role's right first, then what else stands in the way."""
    # The role first: to someone who never may, "it is placed already" would sound as if waiting could help.
    reason = denial(actor.role, act) or obstacle
    return Action(name=name, possible=not reason, reason=reason)


def actions(actor: Actor, table: Mapping[tuple[S, E], S], state: S, offered: Mapping[E, Act]) -> list[Action]:
    """The table's events times the policy: what can be done in this state, by this role, and else why not."""
    return from_events(actor, state, possible(table, state), offered)


def from_events(actor: Actor, state: S, open_events: Collection[E], offered: Mapping[E, Act]) -> list[Action]:
    obstacle = f"It is {words(state)}."
    return [action(actor, act, e.value, "" if e in open_events else obstacle) for e, act in offered.items()]


def with_article(role: Role) -> str:
    return f"{'an' if role[0] in 'aeiou' else 'a'} {role}" if role is not Role.OWNER else "the owner"
