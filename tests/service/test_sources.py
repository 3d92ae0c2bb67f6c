"""Sources over HTTP: repositories, matches, triggers, signed calls, uploaded folders, step variables."""

from __future__ import annotations

import datetime as dt
import gzip
import json
import zlib
from dataclasses import replace
from pathlib import Path

import httpx
import pytest

from rampa.client import Client
from rampa.client.sources.folders import bring_folder, upload_folder
from rampa.core.errors import Invalid, NotFound, Unavailable
from rampa.core.run.triggers import call_signature, secret_bytes
from rampa.operations.runs import triggers
from rampa.operations.sources import repository
from rampa.schema import sources as wire
from rampa.schema.common import Role
from tests.conftest import World
from tests.gits import Repo, peatlight
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, import_title

TITLE = "peatlight"


@pytest.fixture
def repo(world: World, client: Client, tmp_path: Path) -> Repo:
    """A title with its repository connected and fetched."""
    add_key(client)
    import_title(client)
    made = peatlight(tmp_path / "peatlight")
    client.sources.connect(TITLE, wire.SourceIn(address=str(made.root), every=0))
    assert repository.fetch(world.services, TITLE)
    triggers.after_fetch(world.services, TITLE)
    return made


def add(client: Client, **more: object) -> wire.TriggerOut:
    return client.runs.add_trigger(TITLE, wire.NewTrigger(**{"profiles": ["linux-unsigned"], **more}))


def look(world: World) -> list[int]:
    assert repository.fetch(world.services, TITLE)
    return triggers.after_fetch(world.services, TITLE)


def test_what_a_repository_holds(world: World, client: Client, repo: Repo) -> None:
    repo.git("tag", "v1.4.0")
    repo.commit("Fog", {"src/fog.c": "int fog = 1;\n"})
    look(world)
    source = client.sources.get(TITLE)
    assert (source.branch, source.branches, source.tags, source.error) == ("main", 1, 1, "")
    assert [c.subject for c in client.sources.commits(TITLE)] == ["Fog", "A night on the bog"]
    assert [c.subject for c in client.sources.commits(TITLE, limit=1)] == ["Fog", "A night on the bog"]
    assert [r.name for r in client.sources.refs(TITLE, "tag")] == ["v1.4.0"]
    assert client.sources.proposal(TITLE).found
    assert client.sources.proposal(TITLE).document == DOCUMENT


def test_without_a_document_one_is_proposed_from_the_tree(world: World, client: Client, repo: Repo) -> None:
    repo.git("rm", "-q", "rampa.toml")
    repo.commit("No document", {"bin/peatlight": b"\x7fELF\x02\x01\x01" + bytes(9) + b"\x03\0\x3e\0" + bytes(50)})
    look(world)
    seen = client.sources.proposal(TITLE)
    assert not seen.found
    assert 'platform = "linux"' in seen.document
    assert seen.seen


def test_a_repository_is_looked_at_before_there_is_a_title(client: Client, tmp_path: Path) -> None:
    repo = peatlight(tmp_path / "fog-line")
    repo.git("rm", "-q", "rampa.toml")
    repo.commit("No document", {})
    seen = client.sources.try_repository(wire.TryIn(source=wire.SourceIn(address=str(repo.root))))
    assert not seen.found
    assert 'name = "Fog Line"' in seen.document
    with refuses("source.unreachable", r"git repository|not exist"):
        client.sources.try_repository(wire.TryIn(source=wire.SourceIn(address=str(tmp_path / "nowhere"))))


def test_a_fetch_that_fails_is_said_and_the_mirror_stays(world: World, client: Client, repo: Repo) -> None:
    repo.root.rename(repo.root.with_name("elsewhere"))
    assert not repository.fetch(world.services, TITLE)
    source = client.sources.get(TITLE)
    assert "git repository" in source.error or "not exist" in source.error
    assert source.branches == 1


def test_a_credential_is_never_answered(world: World, client: Client, repo: Repo) -> None:
    asked = wire.SourceIn(address="https://git.quillback.example/peatlight.git", user="iida", password="hush-hush-hush")
    answer = client.sources.connect(TITLE, asked)
    assert (answer.credential, answer.user) == ("password", "iida")
    for role in (Role.VIEWER, Role.OWNER):
        with world.client(role) as other:
            assert "hush" not in other.sources.get(TITLE).model_dump_json()
    assert "hush" not in json.dumps([e.model_dump(mode="json") for e in client.events.all()])


def test_an_owned_document_follows_the_repository(world: World, client: Client, repo: Repo) -> None:
    client.titles.set_owner(TITLE, "https://git.quillback.example/peatlight.git")
    newer = DOCUMENT.replace('name = "1.4.0"', 'name = "1.4.1"')
    commit = repo.commit("1.4.1", {"rampa.toml": newer})
    look(world)
    assert client.titles.get(TITLE).revision == 2
    assert client.titles.revision(TITLE, 2).document == newer
    assert client.titles.revisions(TITLE)[0].commit == commit
    repo.commit("broken", {"rampa.toml": "[title"})
    assert not repository.fetch(world.services, TITLE)
    assert "no profile document" in client.sources.get(TITLE).error
    assert client.titles.get(TITLE).revision == 2


def test_patterns_show_what_they_match_before_they_are_saved(world: World, client: Client, repo: Repo) -> None:
    for name in ("release/1.6", "feature/fog"):
        repo.git("branch", name)
    look(world)
    found = client.sources.matches(TITLE, "branch", "release/*")
    assert (found.matched, found.others) == (["release/1.6"], ["feature/fog", "main"])


def test_a_branch_that_moves_starts_runs_once_and_the_newest_commit_wins(
    world: World, client: Client, repo: Repo
) -> None:
    client.runs.add_trigger(
        TITLE, wire.NewTrigger(name="fog", kind="branch", pattern="ma*", paths=["src/"], profiles=["linux-unsigned"])
    )
    assert look(world) == []
    repo.commit("words only", {"README.md": "fog"})
    assert look(world) == []
    assert "no path of it that counts" in client.runs.triggers(TITLE)[0].last_said
    repo.commit("fog", {"src/fog.c": "int fog = 3;\n"})
    assert look(world) == [1]
    assert look(world) == []
    newest = repo.commit("more fog", {"src/fog.c": "int fog = 4;\n"})
    assert look(world) == [2]
    assert [(r.number, r.state, r.superseded_by) for r in client.runs.all(TITLE)] == [
        (2, "waiting", 0),
        (1, "superseded", 2),
    ]
    run = client.runs.get(TITLE, 2)
    assert (run.why, run.trigger, run.commit, run.ref) == ("trigger", "fog", newest, "branch/main")


def test_a_tag_starts_the_profiles_that_are_named(world: World, client: Client, repo: Repo) -> None:
    client.runs.add_trigger(
        TITLE, wire.NewTrigger(name="tags", kind="tag", pattern="v*", profiles=["linux-release", "windows-release"])
    )
    repo.git("tag", "nightly")
    repo.git("tag", "v1.4.0")
    assert look(world) == [1, 2]
    assert {r.ref for r in client.runs.all(TITLE)} == {"tag/v1.4.0"}


def test_a_trigger_that_cannot_start_says_why_and_breaks_nothing(world: World, client: Client, repo: Repo) -> None:
    client.runs.add_trigger(TITLE, wire.NewTrigger(name="own", kind="branch", pattern="*"))
    client.runs.add_trigger(
        TITLE, wire.NewTrigger(name="named", kind="branch", pattern="*", profiles=["linux-unsigned"])
    )
    repo.commit("fog", {"src/fog.c": "int fog = 3;\n"})
    assert look(world) == [1]
    said = {t.name: t.last_said for t in client.runs.triggers(TITLE)}
    assert "no profile is named" in said["own"]
    assert "Started run 1" in said["named"]


def test_a_schedule_starts_once_at_its_time(world: World, client: Client, repo: Repo) -> None:
    made = client.runs.add_trigger(
        TITLE, wire.NewTrigger(name="night", kind="schedule", schedule="30 2 * * *", profiles=["linux-unsigned"])
    )
    assert made.next_at
    assert triggers.due_schedules(world.services) == []
    later = made.next_at + dt.timedelta(days=2)
    then = replace(world.services, now=lambda: later)
    assert triggers.due_schedules(then) == [1]
    assert triggers.due_schedules(then) == []
    assert client.runs.get(TITLE, 1).why == "schedule"
    with refuses("trigger.schedule", "five fields"):
        client.runs.add_trigger(TITLE, wire.NewTrigger(name="bad", kind="schedule", schedule="every night"))
    with refuses("trigger.schedule", "never comes"):
        client.runs.add_trigger(TITLE, wire.NewTrigger(name="bad", kind="schedule", schedule="0 0 31 2 *"))
    with refuses("trigger.paths", "brackets", where="paths"):
        client.runs.add_trigger(TITLE, wire.NewTrigger(name="bad", kind="branch", paths=["data/", "[z-a]"]))
    with refuses("trigger.pattern"):
        client.runs.add_trigger(TITLE, wire.NewTrigger(name="bad", kind="branch", pattern=""))
    with refuses("trigger.exists"):
        client.runs.add_trigger(TITLE, wire.NewTrigger(name="night", kind="branch", pattern="*"))


def call(world: World, name: str, secret: str, body: bytes, time: int | None = None) -> httpx.Response:
    moment = str(time if time is not None else int(world.services.now().timestamp()))
    signature = call_signature(secret_bytes(secret), moment, body)
    transport = httpx.WSGITransport(app=world.app, raise_app_exceptions=False)  # type: ignore[arg-type]
    headers = {"Rampa-Time": moment, "Rampa-Hmac": signature, "Content-Type": "application/json"}
    with httpx.Client(transport=transport, base_url="http://rampa.test") as http:
        return http.post(f"/api/v1/titles/{TITLE}/triggers/{name}/call", content=body, headers=headers)


def test_a_signed_call_starts_what_it_may_and_only_once(world: World, client: Client, repo: Repo) -> None:
    repo.git("branch", "feature/fog")
    made = client.runs.add_trigger(
        TITLE, wire.NewTrigger(name="pushed", kind="call", pattern="ma*", profiles=["linux-unsigned"])
    )
    assert made.secret
    assert client.runs.triggers(TITLE)[0].secret == ""
    now = int(world.services.now().timestamp())
    answer = call(world, "pushed", made.secret, b"{}", now)
    assert (answer.status_code, answer.json()["started"]) == (200, [1])
    assert call(world, "pushed", made.secret, b"{}", now).json()["code"] == "call.twice"
    assert call(world, "pushed", made.secret, b'{"of": "feature/fog"}').json()["started"] == []
    wrong = made.secret[:-2] + ("AA" if made.secret[-2:] != "AA" else "BB")
    for answer in (
        call(world, "pushed", wrong, b'{"of": "main"}'),
        call(world, "nothing", made.secret, b'{"of": "main"}'),
        call(world, "pushed", made.secret, b'{"of":"main"}', time=1_700_000_000),
    ):
        assert answer.status_code == 401, answer.text
        assert answer.json()["code"] in ("call.signature", "call.old")
    assert len(list(client.runs.all(TITLE))) == 1


def test_defaults_of_branches(world: World, client: Client, repo: Repo) -> None:
    repo.git("branch", "release/1.6")
    look(world)
    client.sources.set_defaults(TITLE, [
        wire.BranchDefault(pattern="release/*", profiles=["linux-release", "windows-release"]),
        wire.BranchDefault(pattern="*", profiles=["linux-unsigned"], step_variables="nightly"),
    ])  # fmt: skip
    own = {r.name: (r.profiles, r.step_variables) for r in client.sources.refs(TITLE)}
    assert own["release/1.6"] == (["linux-release", "windows-release"], "")
    assert own["main"] == (["linux-unsigned"], "nightly")


def test_an_uploaded_folder_comes_back_and_only_changes_travel(client: Client, tmp_path: Path) -> None:
    import_title(client)
    folder = peatlight(tmp_path / "source").root
    (folder / "data/big.bin").write_bytes(bytes(range(256)) * 8000)
    (folder / "id_rsa").write_text("a key\n")
    first, sent, stayed = upload_folder(client, TITLE, folder, "the first", lambda *_: None)
    assert (first.number, sent.uploaded > 0, stayed > 0) == (1, True, True)
    (folder / "src/fog.c").write_text("int fog = 9;\n")
    second, sent, _ = upload_folder(client, TITLE, folder, "", lambda *_: None)
    assert sent.content - sent.present < 100
    assert [f.number for f in client.sources.folders(TITLE)] == [2, 1]
    bring_folder(client, TITLE, second.number, tmp_path / "back", lambda _: None)
    assert (tmp_path / "back/src/fog.c").read_text() == "int fog = 9;\n"
    assert (tmp_path / "back/bin/peatlight").stat().st_mode & 0o111 == (folder / "bin/peatlight").stat().st_mode & 0o111
    assert not (tmp_path / "back/id_rsa").exists()
    assert not (tmp_path / "back/.git").exists()


def test_environment_groups_keep_their_secrets(world: World, client: Client) -> None:
    import_title(client)
    made = client.variables.put(
        "desktop", wire.StepVariablesIn(variables={"PACE": "1"}, secrets={"TOKEN": "lantern-4f9c"})
    )
    assert (made.variables, made.secrets, made.version) == ({"PACE": "1"}, ["TOKEN"], 1)
    again = client.variables.put(
        "desktop", wire.StepVariablesIn(variables={}, secrets={"TOKEN": None, "KEY": "another-one"}), 1
    )
    assert (again.secrets, again.version) == (["KEY", "TOKEN"], 2)
    with refuses("variables.moved", "changed meanwhile"):
        client.variables.put("desktop", wire.StepVariablesIn(), 1)
    everything = json.dumps([e.model_dump(mode="json") for e in client.variables.all()])
    everything += json.dumps([e.model_dump(mode="json") for e in client.events.all()])
    assert "lantern-4f9c" not in everything
    for bad, code, said in (
        ({"variables": {"PATH": "/x"}}, "variables.name", "set by the agent itself"),
        ({"variables": {"RAMPA_RUN": "1"}}, "variables.name", "set by the agent itself"),
        ({"variables": {"A B": "1"}}, "variables.name", "cannot name a variable"),
        ({"secrets": {"T": "abc"}}, "variables.short", "at least 6 characters"),
        ({"secrets": {"NEW": None}}, "variables.secret", "has no value yet"),
        ({"variables": {"T": "1"}, "secrets": {"T": "abcdefgh"}}, "variables.twice", "a variable and a secret"),
    ):
        with refuses(code, said):
            client.variables.put("other", wire.StepVariablesIn(**bad))
    with world.client(Role.TESTER) as tester, refuses("role.denied"):
        tester.variables.all()
    client.variables.remove("desktop")
    with refuses("variables.unknown"):
        client.variables.get("desktop")


def test_a_group_that_a_profile_names_is_not_removed(client: Client) -> None:
    document = DOCUMENT.replace("[content]", '[toolchain]\nvariables = "desktop"\n\n[content]', 1)
    client.titles.add(document)
    client.variables.put("desktop", wire.StepVariablesIn(variables={"A": "1"}))
    assert client.variables.get("desktop").used_by[0] == "peatlight linux-release"
    with refuses("variables.used", "name the group desktop"):
        client.variables.remove("desktop")


@pytest.mark.parametrize("address", ["file:///etc", "/etc", "ext::sh -c true", "-x", "../../../../etc/passwd"])
def test_a_submodule_that_points_into_the_service_is_refused(
    world: World, client: Client, repo: Repo, address: str
) -> None:
    repo.commit("A submodule", {".gitmodules": f'[submodule "engine"]\n\tpath = engine\n\turl = {address}\n'})
    repo.git("update-index", "--add", "--cacheinfo", f"160000,{'a' * 40},engine")
    repo.git("commit", "-q", "-m", "Its commit")
    commit = repo.git("rev-parse", "HEAD")
    look(world)
    with pytest.raises((Invalid, NotFound, Unavailable)) as caught:
        client.sources.modules(TITLE, commit)
    assert caught.value.code in ("source.module", "source.address", "git.failed")
    assert "root:" not in str(caught.value)


def test_a_hostile_request_of_git_is_refused(world: World, client: Client, repo: Repo) -> None:
    look(world)
    http = world.app.test_client()  # type: ignore[attr-defined]
    headers = {"Authorization": f"Bearer {world.token(Role.ENGINEER)}", "Content-Encoding": "gzip"}
    at = f"/api/v1/titles/{TITLE}/source/git/source.git/git-upload-pack"
    for body in (b"fog", zlib.compress(b"fog"), gzip.compress(bytes(80_000_000), 1)):
        answer = http.post(at, data=body, headers=headers)
        assert answer.json["code"] == "git.request", len(body)
