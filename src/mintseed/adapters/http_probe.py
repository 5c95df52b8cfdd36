"""Ask a page over HTTP, within narrow limits."""

from __future__ import annotations

from collections.abc import Mapping

import httpx

from mintseed.core.find.candidates import PageAnswer
from mintseed.core.limits import MAX_PAGE_BYTES

TIMEOUT_S = 1.5


class HttpProbe:
    """Implements ports.Probe. Follows no redirect, keeps no cookie, checks no certificate (devices sign their own)."""

    def get(self, url: str) -> PageAnswer:
        return self._ask("GET", url, None)

    def post_form(self, url: str, fields: Mapping[str, str]) -> PageAnswer:
        return self._ask("POST", url, dict(fields))

    def _ask(self, method: str, url: str, data: dict[str, str] | None) -> PageAnswer:
        try:
            with (
                httpx.Client(timeout=TIMEOUT_S, verify=False, trust_env=False) as client,
                client.stream(method, url, data=data) as response,
            ):
                body = b""
                for piece in response.iter_bytes():
                    body += piece
                    if len(body) >= MAX_PAGE_BYTES:
                        break
                return PageAnswer(url, response.status_code, body[:MAX_PAGE_BYTES].decode("utf-8", "replace"))
        except httpx.ConnectError:
            return PageAnswer(url, 0, trouble="nothing listens there yet")
        except httpx.TimeoutException:
            return PageAnswer(url, 0, trouble=f"no answer within {TIMEOUT_S:g} s")
        except (httpx.HTTPError, httpx.InvalidURL, OSError, ValueError) as error:
            return PageAnswer(url, 0, trouble=f"not a web page ({error})")
