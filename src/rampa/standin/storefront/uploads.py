"""Uploads by tus 1.0 (core protocol, creation, expiration, termination): a connection that is lost goes on where it ended."""

from __future__ import annotations

import base64
import binascii
import datetime as dt
import hashlib
import os
import re

from flask import Blueprint, Response, request

from rampa.core.errors import Conflict, Invalid, NotFound, Refused
from rampa.schema.storefronts import API, SUBMIT
from rampa.standin.storefront.access import allowed
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import UploadRow
from rampa.standin.storefront.trouble import cut_after

TUS = "1.0.0"
EXTENSIONS = "creation,expiration,termination"
LARGEST = 16 << 30
PIECE = 256 * 1024
KEPT = dt.timedelta(hours=24)
OFFSET = "application/offset+octet-stream"


def blueprint(shop: Shop) -> Blueprint:
    api = Blueprint("uploads", __name__, url_prefix=f"{API}/uploads")

    _around(api)
    _beginning(api, shop)
    _going_on(api, shop)
    return api


def _around(api: Blueprint) -> None:
    @api.before_request
    def versions() -> None:
        if request.method != "OPTIONS" and request.headers.get("Tus-Resumable") != TUS:
            raise Invalid("tus.version", f"this speaks tus {TUS}", where="Tus-Resumable")

    @api.after_request
    def say_version(response: Response) -> Response:
        response.headers["Tus-Resumable"] = TUS
        return response

    @api.route("", methods=["OPTIONS"])
    def options() -> Response:
        said = {"Tus-Version": TUS, "Tus-Extension": EXTENSIONS, "Tus-Max-Size": str(LARGEST)}
        return Response(status=204, headers=said)


def _beginning(api: Blueprint, shop: Shop) -> None:
    @api.post("")
    def create() -> Response:
        allowed(shop, SUBMIT)
        length = _number("Upload-Length")
        if length > LARGEST:
            raise Refused("upload.large", f"at most {LARGEST:,} bytes are taken", where="Upload-Length")
        digest = _metadata().get("sha256", "")
        if not re.fullmatch(r"[0-9a-f]{64}", digest):
            raise Invalid("upload.digest", "the metadata name no SHA-256", where="Upload-Metadata")
        with shop.begin() as session:
            row = UploadRow(length=length, sha256=digest, until=shop.now() + KEPT, received=0, lost=False)
            session.add(row)
            session.flush()
            shop.upload_file(row.id).touch(mode=0o600)
            return Response(
                status=201, headers={"Location": f"{API}/uploads/{row.id}", "Upload-Expires": _date(row.until)}
            )


def _going_on(api: Blueprint, shop: Shop) -> None:
    @api.route("/<string:upload>", methods=["HEAD"])
    def head(upload: str) -> Response:
        allowed(shop, SUBMIT)
        row = _find(shop, upload)
        said = {"Upload-Offset": str(row.received), "Upload-Length": str(row.length), "Cache-Control": "no-store"}
        return Response(status=200, headers=said | {"Upload-Expires": _date(row.until)})

    @api.patch("/<string:upload>")
    def patch(upload: str) -> Response:
        allowed(shop, SUBMIT)
        if request.content_type != OFFSET:
            raise Invalid("tus.type", f"a piece is sent as {OFFSET}", where="Content-Type")
        row = _find(shop, upload)
        offset = _number("Upload-Offset")
        if offset != row.received:
            raise Conflict("upload.offset", f"{row.received:,} bytes are here, not {offset:,}", where="Upload-Offset")
        received = _receive(shop, row, offset)
        return Response(status=204, headers={"Upload-Offset": str(received)})

    @api.delete("/<string:upload>")
    def delete(upload: str) -> Response:
        allowed(shop, SUBMIT)
        with shop.begin() as session:
            found = session.get(UploadRow, upload)
            if found is not None:
                session.delete(found)
        shop.upload_file(_checked(upload)).unlink(missing_ok=True)
        return Response(status=204)


def _receive(shop: Shop, row: UploadRow, offset: int) -> int:
    """What came is kept, however the connection ends: the next piece begins behind it."""
    file = shop.upload_file(row.id)
    at, left = offset, row.length - offset
    stop = cut_after(shop)
    fd = os.open(file, os.O_WRONLY)
    try:
        os.lseek(fd, offset, os.SEEK_SET)
        while left > 0 and (piece := request.stream.read(min(PIECE, left, *([stop - at + offset] if stop else [])))):
            os.write(fd, piece)
            at, left = at + len(piece), left - len(piece)
            if stop is not None and at - offset >= stop:
                break
        os.fsync(fd)
    finally:
        os.close(fd)
        with shop.begin() as session:
            kept = session.get(UploadRow, row.id)
            if kept is not None:
                kept.received = at
    if stop is not None and left > 0:
        raise ConnectionAbortedError("the operator cuts this connection")
    if at == row.length and _digest(shop, row.id) != row.sha256:
        with shop.begin() as session:
            kept = session.get(UploadRow, row.id)
            if kept is not None:
                session.delete(kept)
        raise Refused("upload.damaged", "what arrived is not what was announced", hint="Send it again from the start.")
    return at


def _digest(shop: Shop, upload: str) -> str:
    with shop.upload_file(upload).open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _find(shop: Shop, upload: str) -> UploadRow:
    with shop.begin() as session:
        row = session.get(UploadRow, _checked(upload))
        if row is None or row.lost or row.until < shop.now():
            raise NotFound("upload.unknown", "there is no such upload any more", hint="Begin it anew.")
        return row


def _checked(upload: str) -> str:
    if not re.fullmatch(r"[0-9a-f-]{36}", upload):
        raise NotFound("upload.unknown", "there is no such upload")
    return upload


def _number(header: str) -> int:
    said = request.headers.get(header, "")
    if not (said.isascii() and said.isdigit() and len(said) < 16):
        raise Invalid("tus.header", "this is no number of bytes", where=header)
    return int(said)


def _metadata() -> dict[str, str]:
    """Upload-Metadata: `key base64, …`."""
    out: dict[str, str] = {}
    for pair in request.headers.get("Upload-Metadata", "")[:4000].split(","):
        key, _, value = pair.strip().partition(" ")
        try:
            out[key] = base64.b64decode(value, validate=True).decode()
        except (binascii.Error, UnicodeDecodeError) as error:
            raise Invalid("tus.metadata", "the metadata are no base64", where="Upload-Metadata") from error
    return out


def _date(moment: dt.datetime) -> str:
    from email.utils import format_datetime

    return format_datetime(moment.astimezone(dt.UTC), usegmt=True)
