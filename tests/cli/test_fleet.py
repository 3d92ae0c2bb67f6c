"""A fleet that really downloads: the first of each update installs for all, the others drop what they fetch."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.operations.health import reports
from rampa.operations.health.pace import Pace
from tests.cli.conftest import Said
from tests.refusals import refuses
from tests.samples import add_key, build, change_folder, import_title, make_folder

FAST = ("--speed", "20000", "--seconds", "0.2", "--offline", "0")
SLOW = ("--speed", "3000", "--seconds", "0.2")


def test_every_device_downloads_its_own_update(said: Said, client: Client, tmp_path: Path) -> None:
    reports._pace = Pace(10_000)
    add_key(client)
    import_title(client)
    folder = make_folder(tmp_path / "source", 100_000)
    build(client, folder, tmp_path / "state")
    change_folder(folder)
    build(client, folder, tmp_path / "state")
    said("channel", "place", "peatlight#2", "--on", "studio", "--yes")
    disk = tmp_path / "disk"
    fleet = ("fleet", "run", "--devices", "8", "--begin", "1=0.5", "--disk", str(disk), *FAST, "--json")
    told = json.loads(said(*fleet))
    assert told["having"] == {"2": 8}
    cells = client.updates.matrix("peatlight", "linux", [1, 2]).cells
    fresh, update = (next(c.download for c in cells if (c.old, c.new) == way) for way in ((0, 2), (1, 2)))
    # Four begin with nothing and four with the build before; manifests and locations are counted in.
    assert told["downloaded"] == pytest.approx(4 * (fresh + update), rel=0.1)
    assert sorted(p.name for p in disk.iterdir()) == ["0-1", "0-2", "1-2"]
    assert (disk / "1-2" / "current").resolve().is_dir()
    only_asked = json.loads(said("fleet", "run", "--devices", "8", *FAST, "--json"))
    assert (only_asked["downloaded"], only_asked["having"]) == (0, {"2": 8})
    # The same devices once more: what they report now is new, however often the fleet ran before.
    again = json.loads(said("fleet", "run", "--devices", "8", "--begin", "2=1", *FAST, "--json"))
    assert again["reported"] >= again["sessions"] > 0
    slow = json.loads(said("fleet", "run", "--devices", "8", "--download", "--bandwidth", "0.001", *SLOW, "--json"))
    assert slow["having"] == {"0": 8}, "the download takes longer than the fleet's time"
    assert "8 simulated devices" in said("fleet", "run", "--devices", "8", "--fail-installs", "2=1", *FAST)


@pytest.mark.parametrize(
    ("options", "code", "words"),
    [
        (("--begin", "1=0.6", "--begin", "2=0.6"), "fleet.begin", "the shares come to more than 1"),
        (("--begin", "1"), "fleet.share", "'1' is not BUILD=SHARE"),
        (("--fail-launches", "1=0.5@visor-2"), "fleet.share", "'1=0.5@visor-2' is not BUILD=SHARE"),
        (("--hours", "18"), "fleet.hours", "'18' is not FROM-UNTIL"),
        (("--hours", "25-26"), "fleet.hours", "'25-26' is not FROM-UNTIL"),
    ],
)
def test_options_that_cannot_be(said: Said, client: Client, options: tuple[str, ...], code: str, words: str) -> None:
    add_key(client)
    import_title(client)
    with refuses(code, words):
        said("fleet", "run", *options)
