"""The adapter over a folder from beginning to end: handed over by its sheet, refused, again, live in parts, live."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest

from rampa.core.submission.life import SubmissionState as S
from rampa.schema import storefronts as wire
from rampa.storefronts.conformance import Trial
from rampa.storefronts.folder_storefront import FolderStorefront
from tests.refusals import refuses

NOW = dt.datetime(2026, 11, 29, 12, tzinfo=dt.UTC)


@pytest.fixture
def moorside(tmp_path: Path) -> FolderStorefront:
    return FolderStorefront(tmp_path / "out", "Moorside", ["linux"], lambda: NOW)


def test_from_a_sheet_to_live(moorside: FolderStorefront, tmp_path: Path) -> None:
    trial = Trial(moorside, "example.quillback.peatlight")
    moorside.register(trial.identifier, "Peatlight")
    asked = trial.sent(permissions={"camera": "For the fog."}, notes="The thaw comes at six.")
    made = moorside.submit(asked, "key-1")
    at = tmp_path / "out/example.quillback.peatlight/linux-1"
    assert (made.state, made.events[0].by) == (S.SENT, "Rampa")
    sheet = (at / "sheet.md").read_text()
    told = ["example.quillback.peatlight 1.1.0 for linux", f"SHA-256 `{asked.sha256}`", "camera: For the fog."]
    told += ["The thaw comes at six.", "Short: A night on the bog railway.", f"Icon: `pictures/{asked.listing.icon}`"]
    for words in told:
        assert words in sheet
    assert (at / "bundle").stat().st_size == 300_000
    assert (tmp_path / f"out/pictures/{asked.listing.icon}").is_file()
    outcome = at / "outcome.toml"
    outcome.write_text('state = "waiting"\n')
    assert moorside.submission(made.id).state is S.WAITING
    outcome.write_text(
        'state = "refused"\nsaid = "Fog needs no camera."\nabout = "permission camera"\nby = "their reviewer"\n'
    )
    refused = moorside.submission(made.id)
    assert (refused.state, refused.words[0].text, refused.words[0].about) == (
        S.REFUSED,
        "Fog needs no camera.",
        "permission camera",
    )
    mended = moorside.submit(trial.sent(), "key-2")
    with refuses("storefront.cannot", "a person does this by hand"):
        moorside.act(mended.id, wire.ActIn(act="go-live"))
    outcome = at.with_name("linux-2") / "outcome.toml"
    outcome.write_text('state = "partly-live"\nshare = 10\n')
    assert [(o.version_code, o.share) for o in moorside.title(trial.identifier).offered] == [(2, 10)]
    outcome.write_text('state = "live"\n')
    assert [s.state for s in moorside.submissions(trial.identifier)] == [S.LIVE, S.REFUSED]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("state = ", "outcome.toml cannot be read"),
        ('state = "fine"', "'fine' is no state"),
        ('status = "live"', "there is no 'status'; there is about, by"),
        ('state = "live"\nshare = "most"', "outcome.toml cannot be read"),
    ],
)
def test_what_a_person_wrote_wrongly_is_said(text: str, said: str, moorside: FolderStorefront, tmp_path: Path) -> None:
    trial = Trial(moorside, "example.quillback.peatlight")
    moorside.register(trial.identifier, "Peatlight")
    made = moorside.submit(trial.sent(), "key-1")
    file = tmp_path / "out/example.quillback.peatlight/linux-1/outcome.toml"
    file.write_text(text)
    with refuses("storefront.outcome", said, where="outcome.toml"):
        moorside.submission(made.id)
    file.unlink()
    assert moorside.submission(made.id).state is S.SENT


@pytest.mark.parametrize("identifier", ["../../etc", "a/b", "", ".", "a..b"])
def test_no_title_leads_out_of_the_folder(identifier: str, moorside: FolderStorefront) -> None:
    with refuses("storefront.title"):
        moorside.register(identifier, "Peatlight")
