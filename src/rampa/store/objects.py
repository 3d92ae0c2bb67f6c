"""The content store in an S3-compatible object store: packs/<digest>.pack, manifests/<digest>.manifest below a prefix.

A pack is written to a scratch folder of this machine first, where it is checked; it becomes visible whole or not at all, as
objects do. Addresses for downloads are signed, for one range and a minute.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from blake3 import blake3

from rampa.core.errors import Damaged, Invalid, NotFound, Unavailable
from rampa.store.port import Stored

ADDRESS_SECONDS = 60
"""Whoever is sent there goes at once."""
MISSING = frozenset({"404", "NoSuchKey", "NotFound"})


@dataclass(frozen=True)
class ObjectPlace:
    """`address` as s3://BUCKET/PREFIX; `endpoint` where it is not the provider's own; `signed`: devices fetch packs there."""

    address: str
    endpoint: str = ""
    signed: bool = False


class ObjectStore:
    """A `ContentStore` in a bucket. `folder` is this machine's own: scratch files, mirrors of repositories."""

    def __init__(self, place: ObjectPlace, folder: Path) -> None:
        parts = urlsplit(place.address)
        if parts.scheme != "s3" or not parts.netloc:
            raise Invalid(
                "store.address", f"{place.address!r} is no object store", hint="Say it as s3://BUCKET/PREFIX."
            )
        self._bucket, self._prefix = parts.netloc, parts.path.strip("/")
        self._signed = place.signed
        self.root = folder
        self.mirrors = folder / "mirrors"
        (folder / "incoming").mkdir(parents=True, exist_ok=True)
        self._client = _client(place.endpoint)

    def sweep(self) -> int:
        """Removes scratch files that a killed process left. Returns the count."""
        left = list((self.root / "incoming").iterdir())
        for path in left:
            path.unlink(missing_ok=True)
        return len(left)

    def put_pack(self, digest: bytes, pieces: Iterable[bytes], limit: int, check: Callable[[Path, int], None]) -> int:
        with tempfile.NamedTemporaryFile(dir=self.root / "incoming") as file:
            hasher, size = blake3(), 0
            for piece in pieces:
                size += len(piece)
                if size > limit:
                    raise Invalid("pack.too-large", f"a pack has at most {limit} bytes", where=digest.hex()[:12])
                hasher.update(piece)
                file.write(piece)
            if hasher.digest() != digest:
                raise Damaged(
                    "pack.damaged",
                    "the pack that arrived is not the one that was announced",
                    where=digest.hex()[:12],
                    hint="Send it again.",
                )
            file.flush()
            check(Path(file.name), size)
            with _said():
                self._client.upload_file(file.name, self._bucket, self._pack(digest))
                # An upload that was cut off can look like one that went well; the length tells.
                there = self._client.head_object(Bucket=self._bucket, Key=self._pack(digest))["ContentLength"]
        if there != size:
            raise Unavailable("store.error", "the object store kept another size than was sent", hint="Try again.")
        return size

    def read_pack(self, digest: bytes, offset: int, size: int) -> bytes:
        asked = f"bytes={offset}-{offset + size - 1}"
        with _said(digest.hex()[:12]):
            answer = self._client.get_object(Bucket=self._bucket, Key=self._pack(digest), Range=asked)
            data: bytes = answer["Body"].read()
            return data

    def pack_file(self, digest: bytes) -> Path | None:
        return None

    def pack_address(self, digest: bytes, span: str) -> str:
        if not self._signed:
            return ""
        what = {"Bucket": self._bucket, "Key": self._pack(digest)}
        # Signed with the rest: the address serves this range and no other.
        what |= {"Range": span} if span else {}
        with _said():
            address: str = self._client.generate_presigned_url("get_object", Params=what, ExpiresIn=ADDRESS_SECONDS)
            return address

    def offer_pack(self, digest: bytes) -> None:
        """Nothing: the bucket is private, and devices are sent there by signed addresses."""

    def withdraw_pack(self, digest: bytes) -> None:
        """Nothing."""

    def remove_pack(self, digest: bytes) -> None:
        self._remove(self._pack(digest))

    def put_manifest(self, digest: bytes, data: bytes) -> None:
        with _said():
            self._client.put_object(Bucket=self._bucket, Key=self._manifest(digest), Body=data)

    def manifest(self, digest: bytes) -> bytes:
        with _said(digest.hex()[:12]):
            data: bytes = self._client.get_object(Bucket=self._bucket, Key=self._manifest(digest))["Body"].read()
            return data

    def remove_manifest(self, digest: bytes) -> None:
        self._remove(self._manifest(digest))

    def packs(self) -> Iterator[Stored]:
        return self._listed("packs/", ".pack")

    def manifests(self) -> Iterator[Stored]:
        return self._listed("manifests/", ".manifest")

    def _listed(self, folder: str, ending: str) -> Iterator[Stored]:
        prefix = self._key(folder)
        with _said():
            pages = self._client.get_paginator("list_objects_v2").paginate(Bucket=self._bucket, Prefix=prefix)
            for page in pages:
                for row in page.get("Contents", ()):
                    name = row["Key"][len(prefix) :]
                    try:
                        digest = bytes.fromhex(name.removesuffix(ending))
                    except ValueError:
                        continue  # not ours
                    yield Stored(digest, row["Size"], row["LastModified"].timestamp())

    def _remove(self, key: str) -> None:
        with _said():
            self._client.delete_object(Bucket=self._bucket, Key=key)

    def _key(self, name: str) -> str:
        return f"{self._prefix}/{name}" if self._prefix else name

    def _pack(self, digest: bytes) -> str:
        return self._key(f"packs/{digest.hex()}.pack")

    def _manifest(self, digest: bytes) -> str:
        return self._key(f"manifests/{digest.hex()}.manifest")


def _client(endpoint: str) -> Any:
    """Loaded here: a service over a folder does not pay for it."""
    import boto3
    from botocore.config import Config

    retries = {"max_attempts": 5, "mode": "standard"}
    config = Config(  # type: ignore[no-untyped-call]
        retries=retries, connect_timeout=10, read_timeout=60, max_pool_connections=16, signature_version="s3v4"
    )
    return boto3.client(  # type: ignore[no-untyped-call]
        "s3", endpoint_url=endpoint or None, config=config
    )


@contextmanager
def _said(what: str = "") -> Iterator[None]:
    """The provider's errors as ours."""
    from boto3.exceptions import Boto3Error
    from botocore.exceptions import BotoCoreError, ClientError

    try:
        yield
    except ClientError as error:
        code = str(error.response.get("Error", {}).get("Code", ""))
        if code in MISSING:
            raise NotFound("content.unknown", f"there is no such content: {what}") from error
        hint = "Look at RAMPA_OBJECT_STORE and the credentials of the service."
        raise Unavailable("store.error", f"the object store refused: {code}", hint=hint) from error
    except (BotoCoreError, Boto3Error, OSError) as error:
        hint = "Nothing half-written was kept. When it answers again, run the command again: it goes on."
        raise Unavailable("store.error", f"the object store failed ({type(error).__name__})", hint=hint) from error
