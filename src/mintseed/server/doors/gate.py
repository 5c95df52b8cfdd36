"""What is settled before anything else sees a request: for whom it is, and that what is sent is not too much.

Django spools a body to the temporary folder whole before it asks who sends it; so a body is taken here, in memory, up to
MOST_BODY_BYTES, and nobody gets a thread before all of it is there. Its time is bounded by half_open.py.
"""

from __future__ import annotations

import json
from collections.abc import Awaitable, Callable
from typing import Any

from django.conf import settings
from django.http.request import split_domain_port, validate_host

MOST_BODY_BYTES = 2 * 1024 * 1024
"""bytes of what may be sent: the largest is a pasted list or a recipe's text, tens of kilobytes."""

Scope = dict[str, Any]
Message = dict[str, Any]
Receive = Callable[[], Awaitable[Any]]
Send = Callable[[Any], Awaitable[None]]
Application = Callable[[Scope, Receive, Send], Awaitable[None]]


def behind_gate(application: Application) -> Application:
    """Return `application`, with requests for another host refused (400) and bodies that are too large (413), files too."""

    async def answer(scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await application(scope, receive, send)
            return
        headers: list[tuple[bytes, bytes]] = scope["headers"]
        if not _is_for_us(headers):
            await _refuse(send, 400, "host", "This is not asked for under one of its own names")
            return
        if _announced(headers) > MOST_BODY_BYTES:
            await _too_large(send)
            return
        body, more = bytearray(), True
        while more:
            message = await receive()
            if message["type"] == "http.disconnect":
                return
            body += message.get("body", b"")
            more = message.get("more_body", False)
            if len(body) > MOST_BODY_BYTES:
                await _too_large(send)
                return
        given = False

        async def received() -> Message:
            nonlocal given
            if given:
                gone: Message = await receive()  # whoever streams waits here for the browser to leave
                return gone
            given = True
            return {"type": "http.request", "body": bytes(body), "more_body": False}

        await application(scope, received, send)

    return answer


def _is_for_us(headers: list[tuple[bytes, bytes]]) -> bool:
    """Return whether the one Host header names this application (RFC 9112 §3.2: exactly one)."""
    hosts = [value for name, value in headers if name == b"host"]
    if len(hosts) != 1:
        return False
    domain, _ = split_domain_port(hosts[0].decode("latin-1"))
    return bool(domain) and validate_host(domain, settings.ALLOWED_HOSTS)


def _announced(headers: list[tuple[bytes, bytes]]) -> int:
    for name, value in headers:
        if name == b"content-length" and value.isdigit():
            return int(value)
    return 0


async def _too_large(send: Send) -> None:
    await _refuse(send, 413, "input", f"That is more than the {MOST_BODY_BYTES // 1024 // 1024} MiB that are taken")


async def _refuse(send: Send, status: int, code: str, title: str) -> None:
    body = json.dumps({"status": status, "code": code, "title": title}).encode()
    # What is still under way is not read, so the connection cannot be used again.
    headers = [
        (b"content-type", b"application/problem+json"), (b"content-length", str(len(body)).encode()), (b"connection", b"close"),
        (b"x-content-type-options", b"nosniff"),
    ]  # fmt: skip
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
