"""Where a delivery is written to: a folder and a bucket, by the same rules."""

from __future__ import annotations

from pathlib import Path

import pytest

from rampa.client.delivery.targets import DeliveryTarget, FolderTarget, _client, open_target
from rampa.core.delivery.names import TIMESTAMP, file_name
from tests.refusals import refuses
from tests.store.test_objects import endpoint

DATA = b"lanterns in the fog"
NAME = file_name(DATA)
__all__ = ["endpoint"]


TITLE = "example.quillback.peatlight"


@pytest.fixture
def bucket(endpoint: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> str:
    for name, value in (("ACCESS_KEY_ID", "bog"), ("SECRET_ACCESS_KEY", "lantern"), ("DEFAULT_REGION", "us-east-1")):
        monkeypatch.setenv(f"AWS_{name}", value)
    monkeypatch.setenv("RAMPA_DELIVERY_ENDPOINT", endpoint)
    made = f"d{abs(hash(tmp_path.name)) % 10**9}"
    _client(endpoint).create_bucket(Bucket=made)
    return made


@pytest.fixture(params=["folder", "bucket"])
def target(request: pytest.FixtureRequest, tmp_path: Path) -> DeliveryTarget:
    if request.param == "bucket":
        return open_target(f"s3://{request.getfixturevalue('bucket')}/here", TITLE)
    return open_target(str(tmp_path), TITLE)


def test_what_is_put_is_there_and_goes(target: DeliveryTarget) -> None:
    with target.alone():
        assert target.held(NAME) == -1
        target.put(NAME, [DATA[:5], DATA[5:]], len(DATA))
        target.put(TIMESTAMP, [b"{}"], 2)
        target.put(TIMESTAMP, [b"{ }"], 3)
        assert (target.held(NAME), target.held(TIMESTAMP)) == (len(DATA), 3)
        assert sorted(target.names()) == [NAME, TIMESTAMP]
        assert target.state() == b""
        target.keep_state(b"1")
        assert target.state() == b"1"
        target.settle()
        target.remove(NAME)
        target.remove(NAME)
        assert target.held(NAME) == -1


@pytest.mark.parametrize(("data", "size"), [(b"another", 7), (DATA, 5), (DATA + b"x", len(DATA)), (b"", len(DATA))])
def test_what_is_not_what_its_name_says_is_not_there(target: DeliveryTarget, data: bytes, size: int) -> None:
    with refuses("delivery.damaged"):
        target.put(NAME, [data], size)
    assert target.held(NAME) == -1


def test_a_name_that_leads_elsewhere_is_none(target: DeliveryTarget) -> None:
    with refuses("delivery.name"):
        target.put("../../elsewhere", [b""], 0)


def test_one_writes_at_a_time(tmp_path: Path) -> None:
    first, second = FolderTarget(tmp_path), FolderTarget(tmp_path)
    with first.alone(), refuses("delivery.busy"):
        with second.alone():
            pass
    with second.alone():
        pass


def test_a_bucket_that_is_not_there(bucket: str, monkeypatch: pytest.MonkeyPatch) -> None:
    with refuses("delivery.bucket", "NoSuchBucket"):
        open_target("s3://no-such-bucket/x", TITLE).put(NAME, [DATA], len(DATA))
    monkeypatch.setenv("RAMPA_DELIVERY_ENDPOINT", "http://127.0.0.1:9")
    with refuses("delivery.bucket", "failed"):
        open_target(f"s3://{bucket}/x", TITLE).put(NAME, [DATA], len(DATA))
