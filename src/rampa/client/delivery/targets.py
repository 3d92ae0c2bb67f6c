"""Where a delivery is written to: a folder that a web server hands out, or a bucket."""

from __future__ import annotations

import fcntl
import os
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager, suppress
from pathlib import Path
from typing import Any, Protocol
from urllib.parse import urlsplit

from rampa.core.delivery.names import TIMESTAMP, NameHasher, is_name, must_be_name
from rampa.core.errors import Conflict, Damaged, Invalid, Unavailable
from rampa.core.files import disk_error, replace_file, replacing, sync

STATE = "written.json"
"""What was written when, beside the files: nothing in it is secret."""
FOREVER, ALWAYS_ASKED = "public, max-age=31536000, immutable", "no-cache"


class DeliveryTarget(Protocol):
    """Names are those of a delivery's files, below one title's identifier. What is put is there whole, or not at all."""

    def alone(self) -> AbstractContextManager[None]:
        """Raises `Conflict` while another process writes there."""
        ...

    def held(self, name: str) -> int:
        """Its size; -1 where it is not there."""
        ...

    def names(self) -> Iterator[str]:
        """Of all files of a delivery that are there."""
        ...

    def put(self, name: str, pieces: Iterable[bytes], size: int) -> None:
        """Raises `Damaged` for content that is not what the name says, or of another size."""
        ...

    def remove(self, name: str) -> None: ...

    def state(self) -> bytes:
        """What was kept by `keep_state`; empty for nothing."""
        ...

    def keep_state(self, data: bytes) -> None: ...

    def settle(self) -> None:
        """All that was put is on the disk when this returns."""
        ...


def open_target(place: str, identifier: str) -> DeliveryTarget:
    """`place`: a folder, or s3://BUCKET/PREFIX. Raises `Invalid`."""
    if "://" not in place:
        return FolderTarget(Path(place) / identifier)
    parts = urlsplit(place)
    if parts.scheme != "s3" or not parts.netloc:
        raise Invalid(
            "delivery.place", f"{place!r} is no place to write to", hint="Say a folder, or s3://BUCKET/PREFIX."
        )
    return BucketTarget(parts.netloc, "/".join(p for p in (parts.path.strip("/"), identifier) if p))


def checked(name: str, pieces: Iterable[bytes], size: int) -> Iterator[bytes]:
    """Raises `Damaged` at the end, before anything has the name."""
    hasher, passed = NameHasher(name), 0
    for piece in pieces:
        hasher.update(piece)
        passed += len(piece)
        yield piece
    if passed != size or not hasher.holds():
        raise Damaged("delivery.damaged", f"{name} is not what its name says", hint="Run the command again.")


class FolderTarget:
    def __init__(self, root: Path) -> None:
        self.root = root

    @contextmanager
    def alone(self) -> Iterator[None]:
        """Raises `Conflict` while another process writes there."""
        self.root.mkdir(parents=True, exist_ok=True)
        fd = os.open(self.root / ".lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
        try:
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            yield
        except BlockingIOError as error:
            raise Conflict("delivery.busy", "another process writes this delivery", where=str(self.root)) from error
        finally:
            os.close(fd)

    def held(self, name: str) -> int:
        try:
            return os.stat(self._at(name)).st_size
        except OSError:
            return -1

    def names(self) -> Iterator[str]:
        for path in self.root.rglob("*"):
            name = str(path.relative_to(self.root))
            if is_name(name):
                yield name

    def put(self, name: str, pieces: Iterable[bytes], size: int) -> None:
        at = self._at(name)
        try:
            with replacing(at, settle=name == TIMESTAMP) as out:
                for piece in checked(name, pieces, size):
                    out.write(piece)
        except OSError as error:
            raise disk_error(error, at) from error

    def remove(self, name: str) -> None:
        with suppress(FileNotFoundError):
            self._at(name).unlink()

    def state(self) -> bytes:
        try:
            return (self.root / STATE).read_bytes()
        except OSError:
            return b""

    def keep_state(self, data: bytes) -> None:
        replace_file(self.root / STATE, data, 0o644)

    def settle(self) -> None:
        # Once for all of them: a hundred thousand files synced one by one take minutes.
        sync(self.root)

    def _at(self, name: str) -> Path:
        return self.root / must_be_name(name)


class BucketTarget:
    """In an object store; credentials are those of the provider's own variables (AWS_ACCESS_KEY_ID and the like)."""

    def __init__(self, bucket: str, prefix: str, endpoint: str = "") -> None:
        self._bucket, self._prefix = bucket, prefix
        self._client = _client(endpoint or os.environ.get("RAMPA_DELIVERY_ENDPOINT", ""))

    @contextmanager
    def alone(self) -> Iterator[None]:
        yield

    def held(self, name: str) -> int:
        found = self._ask("head_object", Key=self._key(name), missing=True)
        return -1 if found is None else int(found["ContentLength"])

    def names(self) -> Iterator[str]:
        more: dict[str, Any] = {}
        while True:
            page = self._ask("list_objects_v2", Prefix=f"{self._prefix}/", **more)
            found = (row["Key"].removeprefix(f"{self._prefix}/") for row in page.get("Contents", ()))
            yield from (name for name in found if is_name(name))
            if not page.get("IsTruncated"):
                return
            more = {"ContinuationToken": page["NextContinuationToken"]}

    def put(self, name: str, pieces: Iterable[bytes], size: int) -> None:
        kept = ALWAYS_ASKED if name == TIMESTAMP else FOREVER
        with tempfile.TemporaryFile() as file:
            for piece in checked(name, pieces, size):
                file.write(piece)
            file.seek(0)
            self._ask("put_object", Key=self._key(name), Body=file, CacheControl=kept)

    def remove(self, name: str) -> None:
        self._ask("delete_object", Key=self._key(name))

    def state(self) -> bytes:
        found = self._ask("get_object", Key=f"{self._prefix}/{STATE}", missing=True)
        return b"" if found is None else bytes(found["Body"].read())

    def keep_state(self, data: bytes) -> None:
        self._ask("put_object", Key=f"{self._prefix}/{STATE}", Body=data)

    def settle(self) -> None:
        """An object is there once its put was answered."""

    def _key(self, name: str) -> str:
        return f"{self._prefix}/{must_be_name(name)}"

    def _ask(self, what: str, *, missing: bool = False, **words: Any) -> Any:
        from botocore.exceptions import BotoCoreError, ClientError

        try:
            return getattr(self._client, what)(Bucket=self._bucket, **words)
        except ClientError as error:
            code = str(error.response.get("Error", {}).get("Code", ""))
            if missing and code in ("404", "NoSuchKey", "NotFound"):
                return None
            hint = "Look at the address of the bucket and its credentials."
            raise Unavailable("delivery.bucket", f"the object store refused: {code}", hint=hint) from error
        except (BotoCoreError, OSError) as error:
            hint = "What was written stays. Run the command again: it goes on."
            raise Unavailable(
                "delivery.bucket", f"the object store failed ({type(error).__name__})", hint=hint
            ) from error


def _client(endpoint: str) -> Any:
    """Loaded here: who writes to a folder does not pay for it."""
    import boto3
    from botocore.config import Config

    config = Config(connect_timeout=10, read_timeout=60, signature_version="s3v4")  # type: ignore[no-untyped-call]
    return boto3.client("s3", endpoint_url=endpoint or None, config=config)  # type: ignore[no-untyped-call]
