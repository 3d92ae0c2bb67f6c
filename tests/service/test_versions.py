"""Version codes: reserved in order by any number at once, burned, taken, formed in three ways, shown with their holders."""

from __future__ import annotations

import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from rampa.client import Client
from rampa.schema.builds.builds import NewBuild
from rampa.schema.versions import TakenIn
from tests.conftest import World
from tests.packages import apk_files, write_zip_file
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, import_title

OPEN = """
import sys
from rampa.db.base import Database
from rampa.operations.builds import builds
from rampa.operations.base.context import Services, service_actor
from rampa.schema.builds.builds import NewBuild
from rampa.store.folder import FolderStore
from pathlib import Path
from concurrent.futures import ThreadPoolExecutor
url, store, count = sys.argv[1], Path(sys.argv[2]), int(sys.argv[3])
services = Services(Database(url), FolderStore(store), bytes(32))
asked = NewBuild(profile="linux-unsigned", version_name="1.4.0")
def one(_):
    return builds.open_build(services, service_actor("test"), "peatlight", asked, None).version_code
with ThreadPoolExecutor(8) as threads:
    print(*threads.map(one, range(count)))
"""


def opened(client: Client, profile: str = "linux-unsigned", **more: object):  # type: ignore[no-untyped-def]
    return client.builds.open("peatlight", NewBuild(profile=profile, **more))


def test_200_at_once_on_four_processes_get_200_codes(
    world: World, client: Client, database_url: str, tmp_path: Path
) -> None:
    import_title(client)

    def process(_: int) -> list[int]:
        words = [sys.executable, "-c", OPEN, database_url, str(tmp_path / "store"), "50"]
        done = subprocess.run(words, capture_output=True, text=True, check=True)
        return [int(n) for n in done.stdout.split()]

    with ThreadPoolExecutor(4) as four:
        codes = [code for found in four.map(process, range(4)) for code in found]
    assert sorted(codes) == list(range(1, 201))
    held = list(client.versions.all("peatlight"))
    assert [h.code for h in held] == list(range(200, 0, -1)), "they rise in the order of reservation"


def test_a_failed_build_burns_its_code(client: Client) -> None:
    import_title(client)
    client.builds.abandon("peatlight", opened(client).number)
    assert opened(client).version_code == 2
    assert [(h.code, h.state, h.why) for h in client.versions.all("peatlight")] == [
        (2, "held", "peatlight#2 (linux-unsigned)"), (1, "burned", "peatlight#1 (linux-unsigned)"),
    ]  # fmt: skip
    assert {n.profile: n.code for n in client.versions.next("peatlight")} == {
        "linux-release": 3, "windows-release": 1, "linux-unsigned": 3,
    }  # fmt: skip


def test_a_code_that_a_storefront_knows_is_never_given(client: Client) -> None:
    import_title(client)
    taken = client.versions.mark_taken("peatlight", TakenIn(place="linux", code=41, note="by hand, before"))
    assert (taken.state, taken.why) == ("taken", "by hand, before")
    assert opened(client).version_code == 42
    with refuses("version.taken", "version code 42 is held by peatlight#1"):
        client.versions.mark_taken("peatlight", TakenIn(place="linux", code=42))
    for place in ("northquay", "mossgate"):
        assert client.versions.mark_taken("peatlight", TakenIn(place=place, code=3)).place == place, "lines are apart"
    with refuses("version.place", "'amiga' is no storefront or platform"):
        client.versions.mark_taken("peatlight", TakenIn(place="amiga", code=1))
    with refuses("version.identifier", "no profile with that identifier"):
        client.versions.mark_taken("peatlight", TakenIn(place="linux", code=1, identifier="example.other"))
    event = list(client.events.all(act="version.take"))[-1]
    assert event.detail == {"code": 41, "place": "linux", "origin": "manual"}


def test_codes_rise_per_storefront_across_its_platforms(client: Client) -> None:
    import_title(client)
    assert opened(client).version_code == 1
    text = DOCUMENT.replace('platform = "linux"\n', 'platform = "linux"\nstorefront = "northquay"\n')
    text = text.replace('platform = "windows"\n', 'platform = "windows"\nstorefront = "northquay"\n')
    client.titles.revise("peatlight", text.replace('signing.identity = "quillback-2026"\n', ""), "A storefront.", 1)
    assert opened(client).version_code == 2, "what the platform had before counts"
    assert {n.place for n in client.versions.next("peatlight")} == {"northquay"}
    assert {n.code for n in client.versions.next("peatlight") if n.profile.startswith("linux")} == {3}


def test_packed_codes_and_what_they_refuse(client: Client) -> None:
    import_title(client, DOCUMENT.replace('name = "1.4.0"', 'name = "1.4.0"\ncode = "packed"'))
    assert opened(client).version_code == 1_040_099
    with refuses("version.taken", r"1.4.0 gives version code 1,040,099, which is held by peatlight#1") as error:
        opened(client)
    assert "rampa version bump" in error.value.hint
    with refuses("version.taken", "is below 1,040,099, which peatlight#1 has"):
        opened(client, version_name="1.3.9")
    assert opened(client, version_name="1.5.0-rc.1").version_code == 1_050_061
    (next_,) = (n for n in client.versions.next("peatlight") if n.profile == "linux-unsigned")
    assert next_.code is None
    assert "held by" in next_.stops


def test_commit_counts_need_a_commit(client: Client) -> None:
    import_title(client, DOCUMENT.replace('name = "1.4.0"', 'name = "1.4.0"\ncode = "commits"'))
    with refuses("version.commits", "there is no commit"):
        opened(client)


def test_free_names_where_they_are_declared(client: Client) -> None:
    import_title(client, DOCUMENT.replace('name = "1.4.0"', 'name = "Night 3"\nform = "free"'))
    made = opened(client)
    assert (made.version_name, made.bundle_name) == ("Night 3", "peatlight-Night 3-1-linux-unsigned")
    with refuses("version.name", "cannot be used"):
        opened(client, version_name="3/4")


def test_continuity_is_checked_before_anything_is_built(client: Client, tmp_path: Path) -> None:
    from tests.samples import build, make_folder

    add_key(client)
    add_key(client, "another")
    import_title(client)
    source = make_folder(tmp_path / "source", 2000)
    build(client, source, tmp_path / "state")
    client.channels.place("peatlight", "studio", 1, client.channels.preview("peatlight", "studio", 1).etag)
    assert [(b.identifier, b.place, b.build) for b in client.signing.get("quillback-2026").bound_to] == [
        ("example.quillback.peatlight", "linux", "peatlight#1")
    ]
    client.titles.revise("peatlight", DOCUMENT.replace("quillback-2026", "another"), "Another key.", 1)
    old, new = client.signing.get("quillback-2026"), client.signing.get("another")
    with refuses("signing.continuity", r"knows example.quillback.peatlight by the certificate") as error:
        opened(client, "linux-release")
    assert old.fingerprint in error.value.message
    assert new.fingerprint in error.value.message
    client.signing.hand_over("quillback-2026", "another")
    assert client.signing.get("another").succession == [old.fingerprint, new.fingerprint]
    build(client, source, tmp_path / "state")
    client.channels.place("peatlight", "studio", 2, client.channels.preview("peatlight", "studio", 2).etag)
    assert client.signing.get("another").bound_to[0].build == "peatlight#2"
    assert client.signing.get("quillback-2026").bound_to == []
    with refuses("succession.there", "succeeds quillback-2026 already"):
        client.signing.hand_over("quillback-2026", "another")


def test_a_code_is_learned_from_a_bundle(client: Client, tmp_path: Path) -> None:
    """The command line reads it; here what it sends."""
    from rampa.cli.versions import _learned

    asked = _learned(write_zip_file(tmp_path / "live.apk", apk_files()), "linux", "")
    import_title(client)
    assert client.versions.mark_taken("peatlight", asked).why == "read from live.apk"
    assert opened(client).version_code == 2


def test_an_architecture_s_digit_keeps_packages_apart(client: Client) -> None:
    phone = """
[profiles.{name}]
platform = "android"
purpose = "testing"
code.architectures = ["{name}"]
version.per_architecture = true
version.code = "packed"
display.orientation = "landscape"
display.touch_controls = true
launch.entry = "classes.dex"
"""
    import_title(client, DOCUMENT.replace("[depots.base]", phone.format(name="arm64") + "[depots.base]"))
    assert opened(client, "arm64").version_code == 10_400_995
    with refuses("version.taken", "10,400,995, which is held by peatlight#1"):
        opened(client, "arm64")
