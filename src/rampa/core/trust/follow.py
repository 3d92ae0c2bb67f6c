"""A device that follows a title's trust: from the root that it has to what is live, or a refusal (TUF 1.0, section 5).

The standard's library keeps what was seen in a folder and takes nothing below it; every file comes through one narrow port.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from pathlib import Path

from tuf.api import exceptions
from tuf.api.metadata import Metadata, TargetFile, Timestamp
from tuf.api.serialization import DeserializationError
from tuf.ngclient import FetcherInterface, Updater, UpdaterConfig

from rampa.core.delivery import names
from rampa.core.errors import Damaged, NotFound, RampaError, Refused, Unavailable
from rampa.core.files import replace_file
from rampa.core.trust.terms import TERMS, TrustRole

Fetch = Callable[[str, int], bytes]
"""(name, the most bytes that it may have) -> the file. Raises `NotFound`, `Unavailable`."""
LARGEST = UpdaterConfig(
    max_root_rotations=64, root_max_length=512_000, timestamp_max_length=16_384, snapshot_max_length=2_000_000,
    targets_max_length=5_000_000,
)  # fmt: skip
LIMITS = {
    "root": LARGEST.root_max_length,
    "timestamp": LARGEST.timestamp_max_length,
    "snapshot": LARGEST.snapshot_max_length,
}
TARGET_LIMIT = 1_000_000
TARGET = "target"
"""The file in which the last target is kept."""
NOTHING = "Nothing was replaced."


class _Port(FetcherInterface):
    """Names in place of addresses; `failed` keeps our own error, which the library would not let through."""

    def __init__(self, fetch: Fetch) -> None:
        self._ask = fetch
        self.failed: RampaError | None = None

    def _fetch(self, url: str) -> Iterator[bytes]:
        kind = url.removesuffix(".json").rpartition(".")[2].rpartition("/")[2]
        try:
            return iter((self._ask(url, LIMITS.get(kind, LARGEST.targets_max_length)),))
        except NotFound as error:
            raise exceptions.DownloadHTTPError(error.message, 404) from error
        except RampaError as error:
            self.failed = error
            raise


class _Follower(Updater):
    def __init__(self, folder: Path, port: _Port, root: bytes, now: dt.datetime) -> None:
        super().__init__(str(folder), names.METADATA, fetcher=port, config=LARGEST, bootstrap=root)
        # The library looks at the machine's clock. Ours is handed in: the device's own may stand in 1970.
        self._trusted_set.reference_time = now


def refresh(folder: Path, root: bytes, target: str, fetch: Fetch, now: dt.datetime) -> bytes:
    """The content of a target, once all that leads there holds. `root` is the one that the device was registered with.

    Raises `NotFound` where nothing is live there, `Unavailable` where files cannot be had, `Refused` for what is old, over, or
    of other keys, `Damaged` for what is not what was signed.
    """
    port = _Port(fetch)
    folder.mkdir(parents=True, exist_ok=True)
    try:
        # Newer roots that it saw lie in the folder, and are followed from this one on, each signed by the one before.
        follower = _Follower(folder, port, root, _not_before(folder, now))
        follower.refresh()
        found = follower.get_targetinfo(target)
        if found is None:
            raise NotFound("trust.nothing", "nothing is live there")
        return _target(folder / TARGET, found, target, fetch)
    except exceptions.ExpiredMetadataError as error:
        raise _expired(error, now) from error
    except exceptions.BadVersionNumberError as error:
        raise _older(error) from error
    except exceptions.UnsignedMetadataError as error:
        said = "what the channel has is not signed by enough of the title's keys"
        raise Refused("trust.signatures", said, hint=f"{NOTHING} ({error})") from error
    except exceptions.DownloadLengthMismatchError as error:
        raise Damaged("trust.too-long", "a file of the delivery goes on beyond its end", hint=NOTHING) from error
    except exceptions.DownloadError as error:
        raise port.failed or _away(error) from error
    except (exceptions.RepositoryError, KeyError, ValueError) as error:
        raise Damaged(
            "trust.damaged", "the channel's metadata is not what was signed", hint=f"{NOTHING} ({error})"
        ) from error


def _target(kept: Path, found: TargetFile, name: str, fetch: Fetch) -> bytes:
    """From what was kept of the last look where that is still what is signed; then nothing more travels."""
    try:
        data = kept.read_bytes()
        found.verify_length_and_hashes(data)
        return data
    except (OSError, exceptions.LengthOrHashMismatchError):
        data = fetch(names.target_at(name, found.hashes["sha256"]), min(found.length, TARGET_LIMIT))
    found.verify_length_and_hashes(data)
    replace_file(kept, data)
    return data


def _not_before(folder: Path, now: dt.datetime) -> dt.datetime:
    """The device's clock, or the moment at which the newest timestamp that it saw was signed where the clock is behind that."""
    try:
        signed = Metadata[Timestamp].from_bytes((folder / "timestamp.json").read_bytes()).signed
    except (OSError, exceptions.RepositoryError, DeserializationError, ValueError):
        return now
    return max(now, signed.expires - TERMS[TrustRole.TIMESTAMP].life)


def _expired(error: Exception, now: dt.datetime) -> Refused:
    said = f"{NOTHING} This machine's clock says {now:%F %T} UTC."
    hint = f"{said} Where that is right, the delivery was not kept current, or somebody holds newer ones back."
    return Refused("trust.expired", f"what the channel has is over ({error})", hint=hint)


def _older(error: Exception) -> Refused:
    hint = f"{NOTHING} Somebody holds newer ones back, or mixes old with new ones."
    return Refused("trust.older", f"the delivery is older than what this device saw already ({error})", hint=hint)


def _away(error: Exception) -> Unavailable:
    return Unavailable("trust.away", f"a file of the delivery is not there ({error})", hint=NOTHING)
