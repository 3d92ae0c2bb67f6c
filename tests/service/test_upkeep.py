"""What keeps a service tidy: retention, collecting and repacking the store, symbols, triggers that change, the master key."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.client.builds.parts import BuildParts
from rampa.client.builds.symbols import bring_symbols
from rampa.core.content.select.selection import ContentRules, Pattern, select
from rampa.core.profile.document import read_document
from rampa.core.profile.resolved import resolve
from rampa.core.signing import succession
from rampa.operations.sources import repository
from rampa.schema.agents import EndIn
from rampa.schema.builds.builds import NewBuild
from rampa.schema.builds.changes import RetentionPolicy
from rampa.schema.runs import NewRuns
from rampa.schema.sources import NewTrigger, SourceIn, TriggerIn
from rampa.schema.store import CollectIn, RepackIn
from tests.agents import FakeAgent
from tests.conftest import OWNER, World
from tests.gits import peatlight
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, import_title, make_folder, noise

TITLE = "peatlight"
NOW = CollectIn(young_hours=0, grace_hours=0)


@pytest.fixture
def ready(client: Client) -> Client:
    add_key(client)
    import_title(client)
    return client


@pytest.fixture
def three(ready: Client, tmp_path: Path) -> Client:
    """Three builds, each with a large file of its own; the newest is live on studio."""
    folder = make_folder(tmp_path / "source", 50_000)
    for n in range(3):
        (folder / "data/night.bin").write_bytes(noise(400_000, n))
        build(ready, folder, tmp_path / "state")
    ready.channels.place(TITLE, "studio", 3, ready.channels.preview(TITLE, "studio", 3).etag)
    return ready


def test_retention_shows_what_goes_and_then_lets_it_go(three: Client) -> None:
    assert three.builds.retention(TITLE).policy == RetentionPolicy(keep_newest=0, keep_days=0)
    assert three.builds.retention(TITLE).removes == []
    three.builds.pin(TITLE, 1, pinned=True)
    policy = RetentionPolicy(keep_newest=1, keep_days=0)
    seen = three.builds.preview_retention(TITLE, policy)
    assert ([b.number for b in seen.removes], [(k.number, bool(k.why)) for k in seen.keeps]) == ([2], [(1, True)])
    assert seen.frees > 300_000
    assert three.builds.retention(TITLE).removes == [], "looking changes nothing"
    three.builds.set_retention(TITLE, policy)
    with refuses("retention.moved"):
        three.builds.apply_retention(TITLE, [1, 2])
    assert [b.number for b in three.builds.apply_retention(TITLE, [2]).removes] == [2], "what went"
    assert three.builds.retention(TITLE).removes == []
    assert [b.number for b in three.builds.all(TITLE, state="ready")] == [3, 1]


def test_a_store_is_collected_when_it_was_seen_twice(three: Client, world: World) -> None:
    before = three.store.usage()
    three.builds.set_retention(TITLE, RetentionPolicy(keep_newest=1, keep_days=0))
    three.builds.apply_retention(TITLE, [1, 2])
    seen = three.store.preview_collect(NOW)
    assert seen.idle > 300_000
    assert seen.removed == 0
    first = three.store.collect(NOW)
    assert (first.condemned, first.removed) == (len(seen.packs), 0), "what was condemned waits once"
    second = three.store.collect(NOW)
    assert (second.removed, second.frees) == (first.condemned, seen.idle)
    after = three.store.usage()
    assert after != before
    three.builds.files(TITLE, 3)
    assert three.store.preview_collect(NOW).idle == 0


def test_packs_that_are_mostly_waste_are_written_again(three: Client) -> None:
    three.builds.set_retention(TITLE, RetentionPolicy(keep_newest=1, keep_days=0))
    three.builds.apply_retention(TITLE, [1, 2])
    seen = three.store.preview_repack(RepackIn(share=0.9))
    assert seen.made == 0
    done = three.store.repack(RepackIn(share=0.9))
    assert (done.packs, done.size) == (seen.packs, seen.size)
    assert three.store.preview_repack(RepackIn(share=0.9)).packs <= seen.packs
    assert [e.act for e in three.events.all(act="store.repack")] == ["store.repack"]


def test_symbols_are_kept_beside_a_build_and_come_back(ready: Client, tmp_path: Path) -> None:
    folder = make_folder(tmp_path / "source", 20_000)
    (tmp_path / "kept").mkdir()
    (tmp_path / "kept/peatlight.debug").write_bytes(noise(30_000))
    opened = ready.builds.open(TITLE, NewBuild(profile="linux-release"))
    profile = resolve(read_document(DOCUMENT.encode()), "linux-release")
    parts = BuildParts(ready, TITLE, opened, profile, select(folder, profile.rules), tmp_path / "state")
    bundle = parts.bundle(None)
    parts.sign(bundle)
    parts.send_content()
    symbols = parts.send_symbols(select(tmp_path / "kept", ContentRules((Pattern("*", "all"),), ())))
    made = parts.complete(bundle, 1.0, symbols=symbols)
    assert (made.symbols_files, made.symbols_size) == (1, 30_000)
    bring_symbols(ready, TITLE, 1, tmp_path / "back")
    assert (tmp_path / "back/peatlight.debug").read_bytes() == noise(30_000)
    assert ready.builds.find_symbols("0" * 40).items == []
    assert "peatlight.debug" not in {f.path for f in ready.builds.files(TITLE, 1)}, "players do not get them"


def test_a_succession_is_given_out_once_there_is_one(ready: Client) -> None:
    add_key(ready, "next-2026")
    ready.signing.hand_over("quillback-2026", "next-2026")
    line = succession.decode(ready.signing.succession("next-2026"))
    succession.verify(line)
    names = [ready.signing.get(n).fingerprint for n in ("quillback-2026", "next-2026")]
    assert succession.fingerprints(line) == names


def test_the_owner_wraps_the_vault_again(ready: Client) -> None:
    done = ready.signing.change_master_key()
    assert (done.wrapped, done.unchanged > 0) == (0, True), "the master key is the same"
    assert done.keys == 1


def test_who_is_signed_in_and_what_acts_there_are(ready: Client) -> None:
    assert ready.people.session().person.email == OWNER
    assert "build.place" in ready.events.acts()
    assert len(ready.events.acts()) == len(set(ready.events.acts())) > 40
    assert {c.name for c in ready.channels.all(TITLE)} == {"studio", "testers", "early", "public"}
    assert {s.key for s in ready.profiles.settings().settings} >= {"launch.entry", "content.include"}


def test_a_trigger_is_changed_and_removed(ready: Client, world: World, tmp_path: Path) -> None:
    repo = peatlight(tmp_path / "peatlight", DOCUMENT)
    ready.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
    assert repository.fetch(world.services, TITLE)
    assert ready.sources.fetch(TITLE).tried_at, "another fetch waits in the queue"
    made = ready.runs.add_trigger(TITLE, NewTrigger(name="main", kind="branch", pattern="ma*"))
    fields = made.model_dump(include=set(TriggerIn.model_fields))
    changed = ready.runs.change_trigger(TITLE, "main", TriggerIn(**fields | {"active": False, "pattern": "release/*"}))
    assert (changed.active, changed.pattern) == (False, "release/*")
    ready.runs.remove_trigger(TITLE, "main")
    assert ready.runs.triggers(TITLE) == []
    refs = ready.connection.request(
        "GET", f"/api/v1/titles/{TITLE}/source/git/source.git/info/refs?service=git-upload-pack"
    )
    assert b"refs/heads/main" in refs.content


def test_an_agent_sends_a_letter_says_goodbye_and_is_watched(ready: Client, world: World, tmp_path: Path) -> None:
    repo = peatlight(tmp_path / "peatlight", DOCUMENT)
    ready.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
    assert repository.fetch(world.services, TITLE)
    agent = FakeAgent(ready, world.services, "kiln-1")
    ready.runs.start(TITLE, NewRuns(profiles=["linux-unsigned"]))
    work = agent.work()
    agent.client.agents.send_letter("kiln-1", work.lease)
    seen = next(iter(ready.runs.watch_all(TITLE)))
    assert [(r.number, r.state) for r in seen] == [(1, "working")]
    agent.client.agents.end_run(
        "kiln-1", work.lease, EndIn(result="failed", code="step.failed", step="fetch", detail="x")
    )
    agent.client.agents.say_goodbye("kiln-1", agent.instance)
    assert ready.agents.get("kiln-1").state == "stopped"
    with world.services.db.engine.connect() as connection:
        jobs = connection.exec_driver_sql("select task_name, args from procrastinate_jobs").fetchall()
    (letter,) = (args for name, args in jobs if name == "send_letter")
    told = letter if isinstance(letter, dict) else json.loads(letter)
    assert told["to"] == OWNER
    assert "peatlight run 1" in told["subject"] + told["text"]


def test_a_service_without_a_console_says_so(world: World) -> None:
    answer = world.app.test_client().get("/")  # type: ignore[attr-defined]
    assert answer.status_code == 503
    assert "console" in answer.text
