"""Engineers, runs and agents that have an identity sign what its owner did not mean: another title's build, a release of a
branch, without a second person, all night long.

Before: whatever named an identity was signed by it.
"""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.signing.key_policy import KeyPolicy, KeyUse, refusal, spent, too_few
from rampa.operations.runs.assignment import assign
from rampa.schema.common import Role
from rampa.schema.people import PersonChange
from rampa.schema.runs import NewRuns
from rampa.schema.signing.identities import KeyPolicyWire
from tests.agents import FakeAgent, with_repository
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder

TITLE, KEY = "peatlight", "quillback-2026"


def allow(client: Client, **policy: object) -> None:
    client.signing.set_policy(KEY, KeyPolicyWire(**policy))


def events(client: Client, act: str) -> list[str]:
    return [e.sentence for e in client.events.all() if e.act == act]


@pytest.fixture
def agent(world: World, client: Client, tmp_path: Path) -> FakeAgent:
    return with_repository(world.services, client, tmp_path)


@pytest.mark.parametrize(
    ("policy", "code"),
    [
        ({"titles": ["peatlight-pocket"]}, "signing.title"),
        ({"identifiers": ["example.quillback.pocket"]}, "signing.identifier"),
        ({"purposes": ["testing"]}, "signing.purpose"),
        ({"branches": ["release/*"]}, "signing.branch"),
        ({"approvals": 1}, "signing.approvals"),
    ],
)
def test_a_build_by_hand_beyond_it(client: Client, tmp_path: Path, policy: dict[str, object], code: str) -> None:
    add_key(client)
    import_title(client)
    allow(client, **policy)
    folder = make_folder(tmp_path / "source", 50_000)
    with refuses(code, "quillback-2026 does not sign peatlight#1"):
        build(client, folder, tmp_path / "state")
    assert client.signing.get(KEY).used == 0
    told = events(client, "key.refuse")
    assert len(told) == 1
    assert "was refused quillback-2026 for peatlight#1" in told[0]
    allow(client)
    build(client, folder, tmp_path / "state")


def test_a_budget_ends_a_night_of_signatures(world: World, client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    allow(client, per_day=2)
    folder = make_folder(tmp_path / "source", 50_000)
    for _ in range(2):
        build(client, folder, tmp_path / "state")
    with refuses("signing.budget", "signed 2 times in 24 hours, and may 2"):
        build(client, folder, tmp_path / "state")
    later = dt.datetime.now(dt.UTC) + dt.timedelta(hours=25)
    object.__setattr__(world.services, "now", lambda: later)
    fresh = world.client()
    build(fresh, folder, tmp_path / "state")


def test_a_run_of_another_branch_does_not_start(client: Client, agent: FakeAgent) -> None:
    allow(client, branches=["release/*", "tag/v*"])
    for asked in (NewRuns(profiles=["linux-release"]), NewRuns(profiles=["linux-release"], of="main")):
        with refuses("run.blocked", "would not sign it: its policy does not allow the branch main"):
            client.runs.start(TITLE, asked)
        assert any("policy" in stop for stop in client.runs.plan(TITLE, asked)[0].stops)
    # What needs no signature is nobody's concern.
    client.runs.start(TITLE, NewRuns(profiles=["linux-unsigned"]))


def test_a_run_waits_for_somebody_else_s_word(world: World, client: Client, agent: FakeAgent, tmp_path: Path) -> None:
    allow(client, approvals=1)
    (run,) = client.runs.start(TITLE, NewRuns(profiles=["linux-release"]))
    assert assign(world.services) == 0
    waits = client.runs.get(TITLE, run.number)
    assert (waits.waits_for, waits.approvals_missing) == (
        "Waits for one more person's approval: rampa run approve 1",
        1,
    )
    # The one who started it does not count, whatever they call with.
    with refuses("approval.own", "Iida started peatlight run 1"):
        client.runs.approve(TITLE, run.number)
    for role in (Role.TESTER, Role.VIEWER):
        with refuses("role.denied"):
            world.client(role).runs.approve(TITLE, run.number)
    other = world.client(Role.ENGINEER)
    approved = other.runs.approve(TITLE, run.number)
    assert (approved.approved_by, approved.approvals_missing) == (["Engineer"], 0)
    assert other.runs.approve(TITLE, run.number).approved_by == ["Engineer"]
    assert assign(world.services) == 1
    assert events(client, "run.approve")[0].startswith("approved peatlight run 1, linux-release at ")
    work = agent.work()
    agent.build(work, make_folder(tmp_path / "folder", 20_000), tmp_path / "state")
    agent.end(work)
    assert client.runs.get(TITLE, run.number).state == "done"
    with refuses("approval.ended", "is done"):
        other.runs.approve(TITLE, run.number)


def test_a_word_that_is_taken_back_does_not_count(
    world: World, client: Client, agent: FakeAgent, tmp_path: Path
) -> None:
    """Approved, then disabled before it is signed; and a policy that grew while the run was worked on."""
    allow(client, approvals=1)
    (run,) = client.runs.start(TITLE, NewRuns(profiles=["linux-release"]))
    world.client(Role.ENGINEER).runs.approve(TITLE, run.number)
    assert assign(world.services) == 1
    work = agent.work()
    engineer = next(p for p in client.people.all() if p.role == Role.ENGINEER)
    client.people.change(engineer.id, PersonChange(disabled=True))
    with refuses("signing.approvals", "one more person must approve"):
        agent.build(work, make_folder(tmp_path / "folder", 20_000), tmp_path / "state")


def test_an_agent_signs_for_the_branch_of_its_run_alone(
    world: World, client: Client, agent: FakeAgent, tmp_path: Path
) -> None:
    """The policy changes under it: what counts is what it is at the signature."""
    client.runs.start(TITLE, NewRuns(profiles=["linux-release"]))
    assign(world.services)
    work = agent.work()
    allow(client, branches=["release/*"])
    with refuses("signing.branch", "does not sign peatlight#1"):
        agent.build(work, make_folder(tmp_path / "folder", 20_000), tmp_path / "state")
    allow(client, branches=["mai*"])
    agent.build(work, make_folder(tmp_path / "again", 20_000), tmp_path / "state")


def test_what_cannot_be_read_is_said(client: Client) -> None:
    add_key(client)
    with refuses("policy.purpose", "no purpose 'launch'"):
        allow(client, purposes=["launch"])
    with refuses("key.unknown"):
        client.signing.set_policy("nobody", KeyPolicyWire())


@pytest.mark.parametrize(
    ("branches", "ref", "fits"),
    [
        ((), "", True),
        (("main",), "branch/main", True),
        (("main",), "branch/mainly", False),
        (("main",), "", False),
        (("main",), "tag/main", False),
        (("release/*",), "branch/release/1.6", True),
        (("release/*",), "branch/pre-release/1.6", False),
        (("tag/v*",), "tag/v1", True),
        (("tag/v*",), "branch/tag/v1", False),
        (("tag/v*", "main"), "branch/main", True),
        (("*",), "tag/v1", False),
        (("*",), "", False),
    ],
)
def test_branches_fit_as_they_are_named(branches: tuple[str, ...], ref: str, fits: bool) -> None:
    found = refusal(KeyPolicy(branches=branches), KeyUse("t", "i", "release", ref))
    assert (found is None) == fits


def test_approvals_are_for_releases_and_budgets_end_where_they_say() -> None:
    policy = KeyPolicy(approvals=2, per_day=3)
    assert [too_few(policy, purpose, 0) is None for purpose in ("development", "testing", "release")] == [
        True,
        True,
        False,
    ]
    assert [too_few(policy, "release", n) is None for n in range(4)] == [False, False, True, True]
    assert [spent(policy, n) is None for n in range(5)] == [True, True, True, False, False]
    assert spent(KeyPolicy(), 10**6) is None
