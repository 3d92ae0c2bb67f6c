"""What the service refuses, call by call: the problem's code is what a program goes by."""

from __future__ import annotations

import base64
import uuid
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from werkzeug.test import TestResponse

from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.tree import Tree
from rampa.operations.people import people, sessions
from rampa.schema.common import Role
from rampa.schema.devices import NewDevice
from rampa.service.base.streams import Streams
from rampa.service.wiring import make_app
from rampa.store.folder import FolderStore
from tests.conftest import OWNER, World
from tests.core.picture.test_pictures import png
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, import_title, make_folder

PEATLIGHT = "/api/v1/titles/peatlight"
BUILDS = f"{PEATLIGHT}/builds"
READY, OPEN = f"{BUILDS}/1", f"{BUILDS}/2"
FOG = base64.b64encode(b"fog").decode()
ZERO = "0" * 64
DOT = base64.b64encode(png(8, 8)).decode()
BUNDLE = {"name": "peatlight-1.4.0-2-linux-release.zip", "size": 3, "sha256": ZERO, "chunks": []}


def manifest(depot: str) -> str:
    """A manifest of no files, as it is sent."""
    return base64.b64encode(manifest_format.encode(Manifest(depot, Tree(), DEFAULT))).decode()


NO_BUNDLE = {"name": "peatlight.apk", "size": 0, "sha256": "0" * 64, "chunks": []}


def completion(*depots: str, **more: object) -> dict[str, object]:
    return {"manifests": [{"depot": d, "data": manifest(d)} for d in depots], "bundle": BUNDLE, **more}


@pytest.fixture
def http(world: World, tmp_path: Path):  # type: ignore[no-untyped-def]
    """A title with one build that is ready and one that waits for its content; a title with none; two identities."""
    with world.client() as client:
        add_key(client)
        import_title(client)
        build(client, make_folder(tmp_path / "source", 50_000), tmp_path / "state")
        client.titles.add(DOCUMENT.replace("peatlight", "kilnwalk").replace('"Peatlight"', '"Kilnwalk"'))
        add_key(client, "loft-2026")
        for name, platform in (("desk", "linux"), ("kiln", "windows")):
            device = NewDevice(name=name, platform=platform, channel="studio", simulated=True)
            client.devices.register("peatlight", device)
        made = world.app.test_client()  # type: ignore[attr-defined]
        made.environ_base["HTTP_AUTHORIZATION"] = f"Bearer {world.token()}"
        assert made.post(BUILDS, json={"profile": "linux-release"}).status_code == 201
    return made


CALLS: list[tuple[str, str, Any, str]] = [
    ("GET", "/api/v1/titles/peatlight/profiles/fog", None, "profile.unknown"),
    ("GET", f"{PEATLIGHT}/revisions/9", None, "revision.unknown"),
    ("PUT", f"{PEATLIGHT}/draft", {"document": "x", "base": 1}, "precondition.needed"),
    ("POST", "/api/v1/pictures/sets", {"data": "fog", "use": "icon"}, "request.base64"),
    ("POST", "/api/v1/pictures/sets", {"data": FOG, "use": "icon"}, "picture.unknown"),
    ("POST", "/api/v1/pictures/sets", {"data": DOT, "use": "icon", "platforms": ["fog"]}, "platform.unknown"),
    ("GET", f"{BUILDS}/9", None, "build.unknown"),
    ("POST", BUILDS, {"profile": "fog"}, "profile.unknown"),
    ("PATCH", READY, {"notes": "x"}, "precondition.needed"),
    ("GET", f"{OPEN}/bundle", None, "bundle.none"),
    ("GET", f"{OPEN}/files", None, "build.not-ready"),
    ("GET", f"{READY}/symbols/manifest", None, "symbols.none"),
    ("GET", f"{READY}/depots/fog/manifest", None, "depot.unknown"),
    ("GET", f"{READY}/depots/fog/manifest-difference?base={ZERO}", None, "depot.unknown"),
    ("GET", f"{READY}/grant", None, "grant.none"),
    ("POST", f"{READY}/re-sign", {"grant": 7}, "grant.unknown"),
    ("POST", f"{OPEN}/re-sign", {}, "build.unsigned"),
    ("POST", f"{OPEN}/signatures", {"bundle": NO_BUNDLE}, "signing.none"),
    ("POST", f"{READY}/signatures", {"bundle": NO_BUNDLE}, "build.closed"),
    ("POST", f"{OPEN}/complete", completion("base"), "depots.other"),
    ("POST", f"{OPEN}/complete", completion("base", "fog"), "depots.other"),
    ("POST", f"{OPEN}/complete", completion("base", "languages"), "bundle.digest"),
    (
        "POST",
        f"{OPEN}/complete",
        completion("base", "languages", symbols={"depot": "fog", "data": manifest("fog")}),
        "symbols.depot",
    ),
    (
        "POST",
        f"{OPEN}/complete",
        {"manifests": [{"depot": "base", "data": manifest("languages")}], "bundle": BUNDLE},
        "manifest.depot",
    ),
    ("POST", f"{OPEN}/complete", {"manifests": [{"depot": "base", "data": FOG}], "bundle": BUNDLE}, "manifest.damaged"),
    ("POST", f"{READY}/content-keys/unseal", {}, "content.plain"),
    ("GET", f"{PEATLIGHT}/updates/matrix?builds=9", None, "matrix.builds"),
    ("GET", f"{PEATLIGHT}/updates/matrix?builds={','.join(str(n) for n in range(60))}", None, "matrix.wide"),
    ("GET", f"{PEATLIGHT}/channels/fog", None, "channel.unknown"),
    ("POST", f"{PEATLIGHT}/channels/studio/placements", {"build": 1}, "precondition.needed"),
    ("POST", f"{PEATLIGHT}/channels/studio/placements/7/withdraw", {}, "placement.unknown"),
    ("GET", f"{PEATLIGHT}/channels/studio/offer?platform=linux", None, "offer.none"),
    ("PUT", f"{PEATLIGHT}/devices/fog/report", {"build": 1}, "device.unknown"),
    ("PUT", f"{PEATLIGHT}/devices/desk/report", {"build": 9}, "build.unknown"),
    ("PUT", f"{PEATLIGHT}/devices/kiln/report", {"build": 1}, "device.platform"),
    ("POST", "/api/v1/keys", {"name": "x", "pkcs8": FOG}, "key.nothing"),
    ("POST", "/api/v1/keys", {"name": "x", "pkcs12": "fog=fog="}, "key.base64"),
    ("POST", "/api/v1/keys", {"name": "x", "pkcs12": FOG, "password": "y"}, "key.pkcs12"),
    ("GET", "/api/v1/keys/fog", None, "key.unknown"),
    ("POST", "/api/v1/keys/loft-2026/unlock", {"passphrase": "night shift 1907"}, "key.open"),
    ("GET", "/api/v1/keys/loft-2026/succession", None, "succession.none"),
    ("POST", "/api/v1/store/check/cancel", {}, "check.none"),
    ("GET", "/api/v1/store/check", None, "check.none"),
    ("GET", f"{PEATLIGHT}/folders/1/manifest", None, "folder.unknown"),
    ("POST", f"{PEATLIGHT}/folders", {"manifest": "fog=fog="}, "manifest.base64"),
    ("POST", f"{PEATLIGHT}/folders", {"manifest": manifest("fog")}, "manifest.depot"),
    ("GET", f"{PEATLIGHT}/source", None, "source.none"),
    ("POST", f"{PEATLIGHT}/runs", {"profiles": ["linux-release"]}, "source.none"),
    ("POST", f"{PEATLIGHT}/runs", {"profiles": ["linux-release"], "folder": 1, "of": "main"}, "run.source"),
    ("GET", f"{PEATLIGHT}/runs/1", None, "run.unknown"),
    ("DELETE", f"{PEATLIGHT}/triggers/fog", None, "trigger.unknown"),
    (
        "PUT",
        f"{PEATLIGHT}/source",
        {"address": "https://git.example/x", "user": "a", "password": "b", "key": "c"},
        "source.credential",
    ),
    ("PUT", f"{PEATLIGHT}/source", {"address": "ext::sh"}, "source.address"),
    ("GET", "/api/v1/agents/fog", None, "agent.unknown"),
    ("GET", "/api/v1/variables/fog", None, "variables.unknown"),
    ("PUT", "/api/v1/variables/desktop", {"variables": {"1FOG": "x"}}, "variables.name"),
    ("PUT", "/api/v1/variables/desktop", {"variables": {"RAMPA_FOG": "x"}}, "variables.name"),
    (
        "PUT",
        "/api/v1/variables/desktop",
        {"variables": {"FOG": "x"}, "secrets": {"FOG": "a secret"}},
        "variables.twice",
    ),
    ("PUT", "/api/v1/variables/desktop", {"secrets": {"FOG": "x"}}, "variables.short"),
    ("PUT", "/api/v1/variables/desktop", {"secrets": {"FOG": None}}, "variables.secret"),
    ("GET", "/api/v1/events?cursor=fog", None, "cursor.invalid"),
]


def test_calls_are_refused_by_code(http) -> None:  # type: ignore[no-untyped-def]
    wrong = []
    for method, path, body, code in CALLS:
        answer = http.open(path, method=method, json=body)
        told = answer.json.get("code", answer.status_code) if answer.is_json else answer.status_code
        if told != code:
            wrong.append(f"{method} {path}: {told} for {code}: {answer.text[:300]}")
    assert not wrong, "\n".join(wrong)


def test_what_changed_meanwhile_is_not_overwritten(http) -> None:  # type: ignore[no-untyped-def]
    for tag, code in (('"9"', "notes.moved"), ("fog", "precondition.invalid")):
        answer = http.patch(READY, json={"notes": "x"}, headers={"If-Match": tag})
        assert answer.json["code"] == code
    large = {"document": "x" * 3_000_000, "base": 1}
    answer = http.put(f"{PEATLIGHT}/draft", json=large, headers={"If-Match": "*"})
    assert answer.json["code"] == "document.too-large"


def code(answer: TestResponse) -> str:
    assert answer.json, answer.text
    return str(answer.json["code"])


def test_who_does_not_sign_in_reads_and_sends_nothing(world: World) -> None:
    # An application of its own: one that others used remembers who guessed passwords.
    http = make_app(world.services).test_client()
    assert code(http.get("/api/v1/titles")) == "sign-in.needed"
    assert code(http.get("/api/v1/titles", headers={"Authorization": "Bearer fog"})) == "token.unknown-bearer"
    large = {"email": OWNER, "password": "x" * 200_000}
    assert code(http.post("/api/v1/session", json=large)) == "request.too-large"
    http.post("/api/v1/session", json={"email": OWNER, "password": world.owner_password})
    assert code(http.post("/api/v1/tokens", json={"name": "x"})) == "csrf.denied"
    app = make_app(world.services)
    app.add_url_rule("/forgotten", "forgotten", lambda: "secret")
    owner = {"Authorization": f"Bearer {world.token(Role.OWNER)}"}
    assert code(app.test_client().get("/forgotten", headers=owner)) == "route.closed"


def test_a_database_that_is_gone_is_not_ready(world: World, tmp_path: Path) -> None:
    gone = type(world.services.db)("postgresql+psycopg://nobody@127.0.0.1:1/none")
    app = make_app(replace(world.services, db=gone, store=FolderStore(tmp_path / "s")))
    answer = app.test_client().get("/readyz")
    assert (answer.status_code, code(answer)) == (503, "service.not-ready")
    assert app.test_client().get("/healthz").status_code == 200


def test_streams_have_a_bound_and_are_given_back() -> None:
    iida, oskari = uuid.uuid4(), uuid.uuid4()
    streams = Streams(most=2, mine=1)
    first = streams.open(iida, iter([("log", 1, "fog"), ("", 0, "")]))
    with refuses("streams.yours", "watching 1 thing already"):
        streams.open(iida, iter([]))
    second = streams.open(oskari, iter([]))
    with refuses("streams.full"):
        streams.open(uuid.uuid4(), iter([]))
    second.close()
    assert first.get_data() == b"retry: 1000\n\nevent: log\nid: 1\ndata: fog\n\n: alive\n\n"
    first.close()
    streams.open(iida, iter([])).close()


def test_a_new_password_is_for_somebody_who_is_there(world: World) -> None:
    with refuses("person.unknown"):
        people.new_password(world.services, "nobody@quillback.example")
    password = people.new_password(world.services, OWNER.upper())
    assert sessions.sign_in(world.services, OWNER, password)[0].person.email == OWNER
