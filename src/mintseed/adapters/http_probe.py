"""Ask a page over HTTP, within narrow limits: one deadline for the whole answer, however slowly it drips."""

from __future__ import annotations

import asyncio
import zlib
from collections.abc import Mapping

import httpx

from mintseed.core.find.candidates import PageAnswer
from mintseed.core.limits import MAX_PAGE_BYTES

CONNECT_S = 1.5
"""seconds in which a connection is taken: a kernel answers that at once, however busy its programs are."""

LOOK_S = 2.5
"""seconds from the first packet to the last byte that is read, in a look: it asks many, again and again, and the bench waits for it."""

PATIENT_S = 15.0
"""the same where somebody asks one device once: a small board may take seconds to check a password. Common practice."""


class HttpProbe:
    """Implements ports.Probe. Follows no redirect, keeps no cookie, checks no certificate (devices sign their own)."""

    def __init__(self, within_s: float = LOOK_S) -> None:
        self._within_s = within_s

    def get(self, url: str) -> PageAnswer:
        return self._ask("GET", url, None)

    def post_form(self, url: str, fields: Mapping[str, str]) -> PageAnswer:
        return self._ask("POST", url, dict(fields))

    def _ask(self, method: str, url: str, data: dict[str, str] | None) -> PageAnswer:
        try:
            # A loop of its own: only there the deadline cuts off an answer wherever it is, in the middle of a header too.
            return asyncio.run(_asked(method, url, data, self._within_s))
        except httpx.ConnectTimeout:
            return PageAnswer(url, 0, trouble=f"no connection within {CONNECT_S:g} s", silent=True)
        except (TimeoutError, httpx.TimeoutException):
            return PageAnswer(url, 0, trouble=f"no answer within {self._within_s:g} s", silent=True)
        except httpx.ConnectError:
            return PageAnswer(url, 0, trouble="nothing listens there yet")
        except (httpx.HTTPError, httpx.InvalidURL, OSError, ValueError) as error:
            return PageAnswer(url, 0, trouble=f"not a web page ({error})")


async def _asked(method: str, url: str, data: dict[str, str] | None, within_s: float) -> PageAnswer:
    headers = {"Accept-Encoding": "identity"}
    limits = httpx.Timeout(within_s, connect=CONNECT_S)
    async with (
        asyncio.timeout(within_s),
        httpx.AsyncClient(timeout=limits, verify=False, trust_env=False, headers=headers) as client,
        client.stream(method, url, data=data) as response,
    ):
        body = b""
        async for piece in response.aiter_raw():
            body += piece[: MAX_PAGE_BYTES - len(body)]
            if len(body) >= MAX_PAGE_BYTES:
                break
        text = _unpacked(body, response.headers.get("Content-Encoding", "")).decode("utf-8", "replace")
        return PageAnswer(url, response.status_code, text)


def _unpacked(body: bytes, coding: str) -> bytes:
    """Return a body that came packed although nobody asked for it, unpacked to no more than any other (RFC 9110 §8.4)."""
    if coding.strip().lower() not in ("gzip", "x-gzip", "deflate"):
        return body
    try:
        return zlib.decompressobj(zlib.MAX_WBITS | 32).decompress(body, MAX_PAGE_BYTES)
    except zlib.error:
        return b""
