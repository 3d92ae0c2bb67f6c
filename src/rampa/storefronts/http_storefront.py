"""A storefront that speaks Rampa's storefront protocol over HTTP. It is believed in nothing: answers have a size and a form,
redirects are not followed, and what cannot be read is a storefront that is not there.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Callable, Iterator
from typing import Any, TypeVar

import httpx
from pydantic import BaseModel, ValidationError

from rampa.core.bundle.sources import ByteSource, read_through
from rampa.core.errors import Conflict, Damaged, Denied, Invalid, NotFound, RampaError, Refused, Unavailable
from rampa.schema import storefronts as wire
from rampa.storefronts.port import Sending

MOST = 4 * 1024 * 1024
"""Bytes of an answer."""
LONGEST_WORDS = 600
TUS = {"Tus-Resumable": "1.0.0"}
PIECE = 64 * 1024 * 1024
"""Bytes of one request; the storefront keeps what arrived of one that is cut."""
TRIES = 8
"""For one place of an upload; each piece that gets through begins the count anew."""
M = TypeVar("M", bound=BaseModel)
TOKENS = {
    "token.expired": "storefront.expired",
    "token.revoked": "storefront.revoked",
    "token.scope": "storefront.scope",
}


class HttpStorefront:
    """`http` has the storefront's address as its base, and goes only where the operator lets it; `token` is the access token of
    now; `wait` waits before the n-th try again."""

    def __init__(self, http: httpx.Client, token: Callable[[], str], wait: Callable[[int], None]) -> None:
        self._http, self._token, self._wait = http, token, wait

    def about(self) -> wire.About:
        return self._ask(wire.About, "GET", "/about")

    def account(self) -> wire.AccountAt:
        return self._ask(wire.AccountAt, "GET", "/account")

    def title(self, identifier: str) -> wire.TitleAt:
        return self._ask(wire.TitleAt, "GET", f"/titles/{identifier}")

    def register(self, identifier: str, name: str) -> wire.TitleAt:
        return self._ask(wire.TitleAt, "PUT", f"/titles/{identifier}", wire.TitleIn(name=name))

    def send_picture(self, digest: str, data: bytes) -> None:
        self._send("PUT", f"/pictures/{digest}", content=data, headers={"Content-Type": "application/octet-stream"})

    def submit(self, asked: wire.SubmissionIn, key: str) -> wire.SubmissionAt:
        return self._ask(wire.SubmissionAt, "POST", "/submissions", asked, {"Idempotency-Key": key})

    def verification(self) -> wire.VerificationAt:
        return self._ask(wire.VerificationAt, "GET", "/verification")

    def send_document(self, digest: str, data: bytes) -> None:
        headers = {"Content-Type": "application/octet-stream"}
        self._send("PUT", f"/documents/{digest}", content=data, headers=headers)

    def hand_in(self, asked: wire.StudioIn) -> wire.VerificationAt:
        return self._ask(wire.VerificationAt, "POST", "/verification", asked)

    def submission(self, submission: str) -> wire.SubmissionAt:
        return self._ask(wire.SubmissionAt, "GET", f"/submissions/{submission}")

    def submissions(self, identifier: str) -> list[wire.SubmissionAt]:
        return self._ask(wire.SubmissionList, "GET", f"/titles/{identifier}/submissions").items

    def notify(self, address: str) -> str:
        secret = self._ask(wire.NoticeKey, "PUT", "/notices", wire.NoticeTo(address=address)).secret
        if not (secret.startswith("whsec_") and 12 <= len(secret) <= 200 and secret.isascii()):
            raise _unreadable("its key for notices is none")
        return secret

    def act(self, submission: str, asked: wire.ActIn) -> wire.SubmissionAt:
        return self._ask(wire.SubmissionAt, "POST", f"/submissions/{submission}/acts", asked)

    def send_bundle(self, bundle: ByteSource, sha256: str, sending: Sending) -> str:
        """By tus 1.0: after each failure it asks how much is there, and goes on behind it."""
        upload, at = self._begin(bundle, sha256, sending)
        tries = 0
        while at < bundle.size:
            end = min(at + PIECE, bundle.size)
            try:
                headers = TUS | {"Upload-Offset": str(at), "Content-Type": "application/offset+octet-stream"}
                headers["Content-Length"] = str(end - at)
                answer = self._send(
                    "PATCH", f"/uploads/{upload}", content=_piece(bundle, at, end, sending), headers=headers
                )
                at, tries = _offset(answer, bundle.size), 0
            except (Unavailable, Conflict):
                tries += 1
                if tries >= TRIES:
                    raise
                self._wait(tries)
                at = self._there(upload, at)
            except Refused as error:
                if error.code == "upload.damaged":
                    raise Damaged("storefront.damaged", error.message, hint=error.hint) from error
                raise
        sending.on(bundle.size, bundle.size)
        return upload

    def _begin(self, bundle: ByteSource, sha256: str, sending: Sending) -> tuple[str, int]:
        if sending.begun:
            try:
                answer = self._send("HEAD", f"/uploads/{sending.begun}", headers=TUS)
                if answer.headers.get("Upload-Length") == str(bundle.size):
                    return sending.begun, _offset(answer, bundle.size)
            except NotFound:
                pass  # it is over, or the storefront lost it: another is begun
        said = base64.b64encode(sha256.encode()).decode()
        headers = TUS | {"Upload-Length": str(bundle.size), "Upload-Metadata": f"sha256 {said}"}
        answer = self._send("POST", "/uploads", headers=headers)
        upload = answer.headers.get("Location", "").rstrip("/").rpartition("/")[2]
        if not (len(upload) == 36 and upload.replace("-", "").isalnum()):
            raise _unreadable("it does not say where the upload is")
        sending.on_begun(upload)
        return upload, 0

    def _there(self, upload: str, at: int) -> int:
        """How much the storefront has; where it does not answer, what we know."""
        try:
            answer = self._send("HEAD", f"/uploads/{upload}", headers=TUS)
        except Unavailable:
            return at
        return _offset(answer, 1 << 62)

    def _ask(
        self,
        kind: type[M],
        method: str,
        path: str,
        body: BaseModel | None = None,
        headers: dict[str, str] | None = None,
    ) -> M:
        more: dict[str, Any] = {"headers": {"Accept": "application/json", **(headers or {})}}
        if body is not None:
            more["content"] = body.model_dump_json()
            more["headers"]["Content-Type"] = "application/json"
        answer = self._send(method, path, **more)
        try:
            return kind.model_validate_json(answer.content)
        except ValidationError as error:
            first = error.errors()[0]
            raise _unreadable(
                f"its answer has no good {'.'.join(str(p) for p in first['loc'])[:100] or 'form'}"
            ) from error

    def _send(self, method: str, path: str, headers: dict[str, str], content: Any = None) -> httpx.Response:
        """The whole answer, read within its limit. Raises as the port says."""
        token = self._token()
        said = {**headers, "Accept-Encoding": "identity"} | ({"Authorization": f"Bearer {token}"} if token else {})
        try:
            request = self._http.build_request(method, wire.API + path, headers=said, content=content)
            answer = self._http.send(request, stream=True, follow_redirects=False)
            try:
                body = _within(answer)
            finally:
                answer.close()
        except (httpx.HTTPError, httpx.InvalidURL, OSError) as error:
            hint = "Nothing is lost: it is tried again."
            raise Unavailable(
                "storefront.silent", f"the storefront does not answer ({type(error).__name__})", hint=hint
            ) from error
        whole = httpx.Response(answer.status_code, headers=_few(answer.headers), content=body)
        if answer.status_code >= 300:
            raise _fault(whole)
        return whole


def _within(answer: httpx.Response) -> bytes:
    """Its body. Packed ones were not asked for: what they unpack to has no limit."""
    if answer.headers.get("Content-Encoding", "identity") != "identity":
        raise _unreadable("its answer is packed")
    data = b""
    for piece in answer.iter_bytes():
        data += piece
        if len(data) > MOST:
            raise _unreadable("its answer does not end")
    return data


def _few(headers: httpx.Headers) -> dict[str, str]:
    return {
        name: headers[name] for name in ("Location", "Upload-Offset", "Upload-Length", "Retry-After") if name in headers
    }


def _piece(bundle: ByteSource, at: int, end: int, sending: Sending) -> Iterator[bytes]:
    """Says how far it is before each part: whoever stops it, stops it there."""
    for part in read_through(bundle, at, end):
        sending.on(at, bundle.size)
        yield part
        at += len(part)


def _offset(answer: httpx.Response, most: int) -> int:
    said = answer.headers.get("Upload-Offset", "")
    if not (said.isascii() and said.isdigit() and len(said) < 20 and int(said) <= most):
        raise _unreadable("it does not say how much it has")
    return int(said)


def _unreadable(said: str) -> Unavailable:
    return Unavailable("storefront.answer", f"the storefront answers what cannot be read: {said}")


def _fault(answer: httpx.Response) -> RampaError:
    """What its problem details say (RFC 9457), as text and no more."""
    try:
        said = json.loads(answer.content)
        said = said if isinstance(said, dict) else {}
    except ValueError:
        said = {}
    code, detail = str(said.get("code", ""))[:60], _plain(said.get("detail", ""))
    where, hint = _plain(said.get("where", "")), _plain(said.get("hint", ""))
    status = answer.status_code
    if status in (401, 403):
        return Denied(
            TOKENS.get(code, "storefront.denied"), detail or "the storefront does not let this account in", hint=hint
        )
    if status == 404:
        return NotFound(
            code or "storefront.unknown", detail or "the storefront does not have it", where=where, hint=hint
        )
    if status >= 500 or status in (408, 429) or status < 400:
        wait = _plain(answer.headers.get("Retry-After", ""))
        again = f"It asks to wait {wait} s." if wait.isdigit() else "Nothing is lost: it is tried again."
        return Unavailable("storefront.away", detail or f"the storefront answers with {status}", hint=again)
    kinds: dict[str, type[RampaError]] = {"conflict": Conflict, "invalid": Invalid}
    kind = kinds.get(str(said.get("kind", "")), Refused)
    return kind(code or "storefront.refused", detail or f"the storefront answers with {status}", where=where, hint=hint)


def _plain(said: object) -> str:
    text = said if isinstance(said, str) else ""
    return "".join(c for c in text[:LONGEST_WORDS] if c.isprintable())
