"""An agent's token in other hands, an agent under another's name, and an agent that wants more than its run."""

from __future__ import annotations

import json
import time
import uuid
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from hypothesis import given
from hypothesis import strategies as st

from rampa.agent.identity import AgentIdentity, enrol
from rampa.client import Client
from rampa.client.sources.folders import upload_folder
from rampa.core.agent import proof
from rampa.core.agent.proof import Proof
from rampa.core.errors import RampaError
from rampa.core.signing import dsse
from rampa.operations.agents import enrolment
from rampa.schema import agents as wire
from rampa.schema.builds.builds import BundleIn, NewBuild, SignBundleIn
from rampa.schema.people import NewToken
from rampa.schema.runs import NewRuns
from tests.agents import FakeAgent, beside, with_repository
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import DOCUMENT
from tests.service.test_written_bundle import asked as of_one_chunk

TITLE = "peatlight"
NO_BUNDLE = BundleIn(name="peatlight.zip", size=0, sha256="0" * 64, chunks=[])
KEY = Ed25519PrivateKey.generate()
PUBLIC = KEY.public_key().public_bytes_raw()


@pytest.fixture
def agent(world: World, client: Client, tmp_path: Path) -> FakeAgent:
    return with_repository(world.services, client, tmp_path)


def start(client: Client) -> int:
    return client.runs.start(TITLE, NewRuns(profiles=["linux-release"]))[0].number


def unknown(client: Client) -> Client:
    return Client(client.connection.address, connection=beside(client, None))


def refused(call: Callable[[], object]) -> str:
    with pytest.raises(RampaError) as caught:
        call()
    return caught.value.code


def test_it_is_no_person(client: Client, agent: FakeAgent) -> None:
    """It listed its owner's tokens, revoked one, and made one for a year."""
    own = client.people.make_token(NewToken(name="desk"))
    start(client)
    agent.work()
    it = agent.client
    for attack in (
        it.people.tokens,
        it.people.all,
        lambda: it.people.make_token(NewToken(name="for a year", days=366)),
        lambda: it.people.revoke_token(own.id),
        lambda: it.titles.revise(TITLE, DOCUMENT, "Mine now.", 1),
        lambda: it.runs.start(TITLE, NewRuns(profiles=["linux-release"])),
        lambda: it.agents.remove("kiln-1"),
        lambda: it.agents.make_code("loft-2"),
        lambda: it.signing.export("quillback-2026", "a long password"),
        it.variables.all,
        it.agents.all,
        lambda: it.titles.get(TITLE),
        lambda: it.channels.place(TITLE, "public", 1, "1"),
    ):
        assert refused(attack) == "role.denied"
    assert "desk" in [t.name for t in client.people.tokens()]


def test_it_takes_no_other_name(world: World, client: Client, agent: FakeAgent) -> None:
    """An impostor took a run's secrets, and the real agent ended."""
    other = FakeAgent(client, world.services, "loft-2")
    registered = wire.RegisterIn(instance=other.instance, abilities=other.abilities)
    asked = wire.AskIn(instance=agent.instance, abilities=other.abilities, wait=0)
    start(client)
    work = agent.work()
    for attack in (
        lambda: other.client.agents.register("kiln-1", registered),
        lambda: other.client.agents.ask_for_work("kiln-1", asked),
        lambda: other.client.agents.say_goodbye("kiln-1", agent.instance),
        lambda: other.client.agents.beat("kiln-1", work.lease, None),
        lambda: other.client.agents.end_run("kiln-1", work.lease, wire.EndIn(result="done")),
    ):
        assert refused(attack) == "agent.other"
    assert refused(lambda: other.client.agents.beat("loft-2", work.lease, None)) == "lease.lost"
    assert agent.ask().work is None
    assert client.runs.get(TITLE, 1).state == "working"


def test_a_stolen_token_does_not_replace_the_agent(client: Client, agent: FakeAgent) -> None:
    """It speaks for one start; a second start takes the key, which never left the machine."""
    another = wire.RegisterIn(instance=uuid.uuid4().hex, abilities=agent.abilities)
    assert refused(lambda: agent.client.agents.register("kiln-1", another)) == "agent.instance"
    assert refused(lambda: agent.client.agents.say_goodbye("kiln-1", another.instance)) == "agent.instance"
    assert agent.ask().work is None


def test_it_touches_nothing_but_its_run(client: Client, agent: FakeAgent) -> None:
    """It burned version codes, gave up others' builds, changed notes, pinned them."""
    it = agent.client
    by_hand = client.builds.open(TITLE, NewBuild(profile="linux-release"))
    new = NewBuild(profile="linux-release", version_name="9.9.9")
    assert refused(lambda: it.builds.open(TITLE, new)) == "lease.lost"
    number = start(client)
    work = agent.work()
    assert refused(lambda: it.builds.open(TITLE, new)) == "lease.lost"
    assert refused(lambda: it.builds.open(TITLE, new.model_copy(update={"lease": "0" * 32}))) == "lease.lost"
    mine = it.builds.open(TITLE, NewBuild(profile="linux-release", revision=work.revision, lease=work.lease))
    # Opening again burns no further code: it is the same build.
    again = it.builds.open(TITLE, NewBuild(profile="linux-release", revision=work.revision, lease=work.lease))
    assert (again.number, again.version_code) == (mine.number, mine.version_code)
    attacks: tuple[Callable[[], object], ...] = (
        lambda: it.builds.missing(TITLE, by_hand.number, []),
        lambda: it.builds.sign_inside(TITLE, by_hand.number, SignBundleIn(bundle=NO_BUNDLE, lease=work.lease)),
        lambda: it.builds.put_pack(TITLE, by_hand.number, b"fog"),
        lambda: list(it.builds.write_bundle(TITLE, by_hand.number, of_one_chunk(3))),
    )
    for attack in attacks:
        assert refused(attack) == "lease.lost"
    attacks = (
        lambda: it.builds.abandon(TITLE, by_hand.number),
        lambda: it.builds.abandon(TITLE, mine.number),
        lambda: it.builds.pin(TITLE, by_hand.number, True),
        lambda: it.builds.get(TITLE, by_hand.number),
        lambda: it.fetch(f"/api/v1/titles/{TITLE}/builds/{by_hand.number}/symbols/manifest"),
    )
    for attack in attacks:
        assert refused(attack) == "role.denied"
    client.runs.cancel(TITLE, number)
    agent.end(work, "stopped")
    assert (
        refused(lambda: it.builds.sign_inside(TITLE, mine.number, SignBundleIn(bundle=NO_BUNDLE, lease=work.lease)))
        == "lease.lost"
    )
    assert client.builds.get(TITLE, by_hand.number).state == "open"


def test_it_reads_the_source_of_its_run_while_it_has_it(
    world: World, client: Client, agent: FakeAgent, tmp_path: Path
) -> None:
    folder = tmp_path / "theirs"
    folder.mkdir()
    (folder / "plan.txt").write_text("What nobody may know.\n" * 999)
    sent, _, _ = upload_folder(client, TITLE, folder, "", lambda *_: None)
    it, at = agent.client, f"/api/v1/titles/{TITLE}/source/git/source.git/info/refs?service=git-upload-pack"
    assert refused(lambda: it.fetch(at)) == "lease.lost"
    start(client)
    work = agent.work()
    assert it.fetch(at).startswith(b"001e# service=git-upload-pack")
    assert refused(lambda: it.fetch(f"/api/v1/titles/{TITLE}/folders/{sent.number}/manifest")) == "lease.lost"
    assert refused(lambda: it.fetch(f"/api/v1/titles/elsewhere/folders/{sent.number}/manifest")) == "lease.lost"
    (pack,) = world.services.store.packs()
    assert refused(lambda: it.fetch(f"/api/v1/packs/{pack.digest.hex()}")) == "lease.lost"
    assert client.fetch(f"/api/v1/packs/{pack.digest.hex()}")
    agent.end(work, "failed", code="step.failed")
    assert refused(lambda: it.fetch(at)) == "lease.lost"


def test_a_code_enrols_one_machine_under_one_name(world: World, client: Client, agent: FakeAgent) -> None:
    near = unknown(client)
    code = client.agents.make_code("yard-3").code
    assert refused(lambda: enrol(near, "loft-2", code)) == "enrolment.denied"
    enrol(near, "yard-3", code.lower().replace("-", " "))
    assert refused(lambda: enrol(near, "yard-3", code)) == "enrolment.denied"
    assert refused(lambda: client.agents.make_code("yard-3")) == "agent.exists"
    old = client.agents.make_code("bank-4").code
    fresh = client.agents.make_code("bank-4").code
    assert refused(lambda: enrol(near, "bank-4", old)) == "enrolment.denied"
    late = replace(world.services, now=lambda: world.services.now() + enrolment.CODE_LIFE)
    asked = wire.EnrolIn(code=fresh, public_key=PUBLIC.hex())
    assert refused(lambda: enrolment.enrol(late, "bank-4", asked, "")) == "enrolment.denied"
    acts = [e.act for e in client.events.all()]
    assert (acts.count("enrol.refuse"), acts.count("agent.enrol")) == (4, 2)


def test_codes_are_not_guessed(client: Client, agent: FakeAgent) -> None:
    client.agents.make_code("yard-3")
    near = unknown(client)
    found = [refused(lambda: enrol(near, "yard-3", "AAAA-AAAA-AAAA-AAAA")) for _ in range(12)]
    assert found == ["enrolment.denied"] * 10 + ["enrol.throttled"] * 2


def test_a_proof_is_good_once_for_its_agent_and_its_moment(client: Client, agent: FakeAgent) -> None:
    near = unknown(client)
    code = client.agents.make_code("yard-3").code
    mine = enrol(near, "yard-3", code)
    said = mine.proof(uuid.uuid4().hex, time.time())
    assert near.agents.make_token("yard-3", said).seconds == enrolment.TOKEN_LIFE.total_seconds()
    forged = AgentIdentity("yard-3", KEY)
    for name, tried, why in (
        ("yard-3", said, "used before"),
        ("kiln-1", said, "not the one"),
        ("kiln-1", AgentIdentity("kiln-1", mine.key).proof(uuid.uuid4().hex, time.time()), "not the one"),
        ("yard-3", forged.proof(uuid.uuid4().hex, time.time()), "not the one"),
        ("nobody", forged.proof(uuid.uuid4().hex, time.time()), "not the one"),
        ("yard-3", mine.proof(uuid.uuid4().hex, time.time() - 3600), "differ by 3,6"),
        ("yard-3", AgentIdentity("kiln-1", mine.key).proof(uuid.uuid4().hex, time.time()), "another agent"),
    ):
        with refuses("agent.proof", why):
            near.agents.make_token(name, tried)
    with refuses("proof.base64"):
        near.agents.make_token("yard-3", wire.ProofIn(proof="fog!"))


@given(st.recursive(st.none() | st.integers() | st.text(), lambda v: st.lists(v) | st.dictionaries(st.text(), v)))
def test_whatever_a_proof_says_it_is_refused_as_one(payload: object) -> None:
    said = dsse.sign(proof.KIND, json.dumps(payload).encode(), KEY)
    with refuses("agent.proof"):
        proof.read(said, "kiln-1", PUBLIC, 0)


@pytest.mark.parametrize(
    "change",
    [{"instance": "x" * 32}, {"nonce": 7}, {"at": 1.5}, {"at": True}, {"nonce": "0" * 31}, {"at": "0"}],
)
def test_a_proof_of_another_shape_is_refused(change: dict[str, object]) -> None:
    good = {"agent": "kiln-1", "instance": "0" * 32, "nonce": "1" * 32, "at": 0}
    assert proof.read(dsse.sign(proof.KIND, json.dumps(good).encode(), KEY), "kiln-1", PUBLIC, 0) == Proof(
        "kiln-1", "0" * 32, "1" * 32, 0
    )
    with refuses("agent.proof"):
        proof.read(dsse.sign(proof.KIND, json.dumps(good | change).encode(), KEY), "kiln-1", PUBLIC, 0)


def test_tokens_are_renewed_in_time_and_after_a_sleep(world: World, client: Client, agent: FakeAgent) -> None:
    first = agent.bearer.current()
    assert agent.bearer.current() == first
    late = replace(world.services, now=lambda: world.services.now() + enrolment.TOKEN_LIFE)
    assert enrolment.find_agent_token(world.services, first) is not None
    assert enrolment.find_agent_token(late, first) is None
    # The machine slept: what it has is not taken any more, and it gets another within the same call.
    agent.bearer._token = "rampa-agent-gone"
    agent.ask()
    assert agent.bearer.current() not in (first, "rampa-agent-gone")
