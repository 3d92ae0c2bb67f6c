"""Signatures over packages that the service does not hold, over a second one, or over another than the build's."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.client.builds.parts import BuildParts
from rampa.core.content.select.selection import select
from rampa.core.profile.document import read_document
from rampa.core.profile.resolved import resolve
from rampa.schema.builds.builds import BundleIn, NewBuild, SignaturesOut, SignBundleIn
from rampa.schema.common import Role
from tests.conftest import World
from tests.packages import apk_files, lay_out
from tests.refusals import refuses
from tests.samples import add_key, import_title
from tests.service.test_packages import DOCUMENT

TITLE = "peatlight"


@pytest.fixture
def maker(client: Client, tmp_path: Path) -> Callable[..., BuildParts]:
    """Opens a build and writes its unsigned package, as an agent does before it asks for signatures."""
    add_key(client)
    import_title(client, DOCUMENT)

    def opened(profile: str = "phone", files: dict[str, bytes] | None = None) -> BuildParts:
        resolved = resolve(read_document(DOCUMENT.encode()), profile)
        build = client.builds.open(TITLE, NewBuild(profile=profile))
        folder = lay_out(tmp_path / f"{profile}-{build.number}", files or apk_files())
        return BuildParts(client, TITLE, build, resolved, select(folder, resolved.rules), tmp_path / "state")

    return opened


def sent(parts: BuildParts, folder: Path) -> BundleIn:
    return parts.send_bundle(parts.write_bundle(folder))


def ask(parts: BuildParts, bundle: BundleIn) -> SignaturesOut:
    return parts.client.builds.sign_inside(TITLE, parts.build.number, SignBundleIn(bundle=bundle))


def uses(client: Client) -> int:
    return len(list(client.events.all(act="key.use")))


def test_digests_alone_are_not_signed(client: Client, maker: Callable[..., BuildParts], tmp_path: Path) -> None:
    """An agent without a package got three signatures of v2 and v3, and one for v1."""
    parts = maker()
    asked = {"digests": {"sha256": "0" * 64}, "v2": True}
    at = f"/api/v1/titles/{TITLE}/builds/{parts.build.number}/signatures"
    assert client.connection._http.post(at, json=asked).status_code == 422
    held = sent(parts, tmp_path / "o")
    for said, code in (
        (
            held.model_copy(update={"chunks": [held.chunks[0].model_copy(update={"digest": "0" * 64})]}),
            "content.missing",
        ),
        (held.model_copy(update={"sha256": "1" * 64}), "bundle.digest"),
        (held.model_copy(update={"size": held.size + 1}), "bundle.digest"),
        (held.model_copy(update={"chunks": held.chunks[:-1]}), "bundle.digest"),
        (held.model_copy(update={"name": "another.apk"}), "bundle.name"),
    ):
        with refuses(code):
            ask(parts, said)
    assert uses(client) == 0


def test_a_build_is_signed_once_and_asked_again_answers_the_same(
    client: Client, maker: Callable[..., BuildParts], tmp_path: Path
) -> None:
    parts = maker()
    held = sent(parts, tmp_path / "o")
    first = ask(parts, held)
    assert (bool(first.jar), bool(first.v2), bool(first.v3)) == (False, True, True)
    assert ask(parts, held) == first
    assert uses(client) == 1
    other = maker(files=apk_files() | {"assets/other.bin": b"fog" * 900})
    elsewhere = sent(other, tmp_path / "other")
    with refuses("signing.once", "is signed already, over another package"):
        ask(parts, elsewhere.model_copy(update={"name": held.name}))
    assert uses(client) == 1


def test_a_package_that_is_not_the_build_s_is_not_signed(
    client: Client, maker: Callable[..., BuildParts], tmp_path: Path
) -> None:
    """Its own version, its own architectures: what a storefront would refuse gets no signature to be taken elsewhere."""
    first, second = maker(), maker()
    older = sent(first, tmp_path / "o")
    with refuses("bundle.version-code"):
        ask(second, older.model_copy(update={"name": f"{second.build.bundle_name}.apk"}))
    assert uses(client) == 0


def test_who_may_not_make_builds_gets_no_signature(
    world: World, maker: Callable[..., BuildParts], tmp_path: Path
) -> None:
    parts = maker()
    held = sent(parts, tmp_path / "o")
    for role in (Role.TESTER, Role.VIEWER, Role.REVIEWER):
        with world.client(role) as other, refuses("role.denied"):
            other.builds.sign_inside(TITLE, parts.build.number, SignBundleIn(bundle=held))
    with refuses("signing.none"):
        desk = maker("desk")
        ask(desk, held)
