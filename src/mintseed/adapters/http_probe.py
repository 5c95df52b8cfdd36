"""Ask a page over HTTP, within narrow limits: one deadline for the whole answer, however slowly it drips."""

from __future__ import annotations

import asyncio
import zlib
from collections.abc import Mapping

import httpx

from mintseed.core.find.candidates import PageAnswer
from mintseed.core.limits import MAX_PAGE_BYTES

TIMEOUT_S = 1.5
"""seconds from the first packet to the last byte that is read."""


class HttpProbe:
    """Implements ports.Probe. Follows no redirect, keeps no cookie, checks no certificate (devices sign their own)."""

    def get(self, url: str) -> PageAnswer:
        return self._ask("GET", url, None)

    def post_form(self, url: str, fields: Mapping[str, str]) -> PageAnswer:
        return self._ask("POST", url, dict(fields))

    def _ask(self, method: str, url: str, data: dict[str, str] | None) -> PageAnswer:
        try:
            # A loop of its own: only there the deadline cuts off an answer wherever it is, in the middle of a header too.
            return asyncio.run(_asked(method, url, data))
        except (TimeoutError, httpx.TimeoutException):
            return PageAnswer(url, 0, trouble=f"no answer within {TIMEOUT_S:g} s", silent=True)
        except httpx.ConnectError:
            return PageAnswer(url, 0, trouble="nothing listens there yet")
        except (httpx.HTTPError, httpx.InvalidURL, OSError, ValueError) as error:
            return PageAnswer(url, 0, trouble=f"not a web page ({error})")


async def _asked(method: str, url: str, data: dict[str, str] | None) -> PageAnswer:
    headers = {"Accept-Encoding": "identity"}
    async with (
        asyncio.timeout(TIMEOUT_S),
        httpx.AsyncClient(timeout=TIMEOUT_S, verify=False, trust_env=False, headers=headers) as client,
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
