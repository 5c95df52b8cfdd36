"""Images that are dropped into a page: the open tus protocol 1.0.0, with its creation and termination extensions.

Source: tus resumable upload protocol 1.0.0 (tus.io/protocols/resumable-upload). A piece is at most what the gate takes of a body.
"""

from __future__ import annotations

import base64
import binascii
from collections.abc import Callable

from django.db import transaction
from django.http import HttpRequest, HttpResponse

from mintseed import wiring
from mintseed.core.errors import InputError, MintSeedError, MissingError, OutsideError, RefusedError
from mintseed.core.limits import MAX_IMAGE_BYTES
from mintseed.core.units import decimal_size
from mintseed.ports.uploads import Upload
from mintseed.server.api.problems import problem
from mintseed.server.judged.changes import changed
from mintseed.server.judged.journal import record
from mintseed.server.kept.bells import AGENT, ring

VERSION = "1.0.0"
PIECE = "application/offset+octet-stream"
STATUS: tuple[tuple[type[MintSeedError], int], ...] = (
    (MissingError, 404), (RefusedError, 409), (InputError, 422), (OutsideError, 507),
)  # fmt: skip


def uploads(request: HttpRequest) -> HttpResponse:
    """POST begins an upload; OPTIONS says what is spoken here."""
    return _spoken(request, {"POST": lambda: _begin(request)})


def upload(request: HttpRequest, ident: str) -> HttpResponse:
    """HEAD says how much of it is here, PATCH adds a piece, DELETE lets go of it."""
    return _spoken(
        request,
        {"HEAD": lambda: _stands(ident), "PATCH": lambda: _add(request, ident), "DELETE": lambda: _abandon(ident)},
    )


def _spoken(request: HttpRequest, known: dict[str, Callable[[], HttpResponse]]) -> HttpResponse:
    if request.method == "OPTIONS":
        answer = HttpResponse(status=204)
        answer.headers["Tus-Version"] = VERSION
        answer.headers["Tus-Extension"] = "creation,termination"
        answer.headers["Tus-Max-Size"] = str(MAX_IMAGE_BYTES)
    elif request.method not in known:
        answer = problem(405, "input", "That is not asked for here")
        answer.headers["Allow"] = ", ".join((*known, "OPTIONS"))
    elif request.headers.get("Tus-Resumable") != VERSION:
        answer = problem(412, "input", f"Spoken here is tus {VERSION}")
        answer.headers["Tus-Version"] = VERSION
    else:
        try:
            answer = known[request.method]()
        except MintSeedError as error:
            status = next((s for kind, s in STATUS if isinstance(error, kind)), 422)
            answer = problem(status, error.code, error.sentence())
    answer.headers["Tus-Resumable"] = VERSION
    return answer


def _begin(request: HttpRequest) -> HttpResponse:
    begun = wiring.uploads().begin(_said(request).get("filename", ""), _number(request, "Upload-Length"))
    answer = HttpResponse(status=201)
    answer.headers["Location"] = f"/api/uploads/{begun.ident}"
    return _at(answer, begun)


def _stands(ident: str) -> HttpResponse:
    found = wiring.uploads().find(ident)
    if found is None:
        raise MissingError("no such upload is on its way", next_step="Begin it anew.")
    answer = HttpResponse(status=200)
    answer.headers["Upload-Length"] = str(found.size_bytes)
    return _at(answer, found)


def _add(request: HttpRequest, ident: str) -> HttpResponse:
    if request.headers.get("Content-Type") != PIECE:
        return problem(415, "input", f"A piece is sent as {PIECE}")
    now = wiring.uploads().append(ident, _number(request, "Upload-Offset"), request.body)
    if now.received_bytes == now.size_bytes:
        with transaction.atomic():
            record(None, "image", "image.brought", f"Image brought: {now.name}, {decimal_size(now.size_bytes)}")
            changed("images")
            ring(AGENT)
    return _at(HttpResponse(status=204), now)


def _abandon(ident: str) -> HttpResponse:
    wiring.uploads().abandon(ident)
    return HttpResponse(status=204)


def _at(answer: HttpResponse, now: Upload) -> HttpResponse:
    answer.headers["Upload-Offset"] = str(now.received_bytes)
    return answer


def _number(request: HttpRequest, name: str) -> int:
    said = request.headers.get(name, "")
    if not (said.isascii() and said.isdigit() and len(said) < 16):
        raise InputError(f"{name} is no number of bytes", expected="decimal digits", where=name)
    return int(said)


def _said(request: HttpRequest) -> dict[str, str]:
    """Return the metadata of an upload: pairs of a key and base64, with commas between them."""
    found: dict[str, str] = {}
    for pair in request.headers.get("Upload-Metadata", "").split(","):
        key, _, value = pair.strip().partition(" ")
        try:
            found[key] = base64.b64decode(value, validate=True).decode("utf-8")
        except (binascii.Error, ValueError) as error:
            raise InputError(f"{key} is not base64 of UTF-8", where="Upload-Metadata") from error
    return found
