"""Files that are handed over to a browser: streamed as it takes them, under their names, with their checksum."""

from __future__ import annotations

import asyncio
import base64
from collections.abc import AsyncIterator
from typing import BinaryIO

from django.http import HttpResponse, StreamingHttpResponse
from django.utils.http import content_disposition_header

STREAM_BYTES = 256 * 1024


def handed_over(file: BinaryIO, name: str, size_bytes: int, sha256: str) -> StreamingHttpResponse:
    """Return `file` as a download of `name`; its SHA-256 goes along in a header of its own (RFC 9530)."""
    response = StreamingHttpResponse(_streamed(file), content_type="application/octet-stream")
    response.headers["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    response.headers["Content-Length"] = str(size_bytes)
    response.headers["Repr-Digest"] = f"sha-256=:{base64.b64encode(bytes.fromhex(sha256)).decode()}:"
    return response


def checksum_of(name: str, sha256: str) -> HttpResponse:
    """Return the checksum file of `name`, as `sha256sum -c` reads it (GNU coreutils)."""
    response = HttpResponse(f"{sha256}  {name}\n", content_type="text/plain; charset=utf-8")
    response.headers["Content-Disposition"] = content_disposition_header(True, f"{name}.sha256") or "attachment"
    return response


async def _streamed(file: BinaryIO) -> AsyncIterator[bytes]:
    """Read `file` as it is taken: the server asks for the next piece when the one before is on its way."""
    with file:
        while piece := await asyncio.to_thread(file.read, STREAM_BYTES):
            yield piece
