"""Keep other web pages out, and say so in the headers."""

from __future__ import annotations

import re
from collections.abc import Callable
from urllib.parse import urlsplit
from wsgiref.headers import Headers

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse

from mintseed.server.bells import AGENT, WEB, ring
from mintseed.server.changes import EVERYTHING, changed, deployment_topic
from mintseed.server.door import shows_token

GetResponse = Callable[[HttpRequest], HttpResponseBase]

_SAFE = ("GET", "HEAD", "OPTIONS")

POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)


class SameOriginMiddleware:
    """Refuse a change that a browser sends on behalf of another site's page.

    The Host header is held to ALLOWED_HOSTS by Django, so a rebound name gets nowhere; this stops plain cross-site posts.
    """

    def __init__(self, get_response: GetResponse) -> None:
        self._next = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        host = request.get_host()
        origin = request.headers.get("Origin")
        site = request.headers.get("Sec-Fetch-Site", "same-origin")
        foreign = (origin is not None and _host_of(origin) != host) or site not in ("same-origin", "none")
        if request.method not in _SAFE and foreign:
            return _refused(403, "refused", "Another site's page may not change things here")
        return self._next(request)


def _host_of(origin: str) -> str | None:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None  # such as a bracket that is not closed: no page of ours has such an origin


class DoorMiddleware:
    """Let nobody at the API who is not known, where others could reach it.

    The page itself is served to all: it holds nothing, and asks. Sessions are SameSite=Strict, so that no other site's
    page travels with one; scripts of the owner show the token that lies in a file for the owner alone.
    """

    OPEN = ("/api/session", "/api/session/link")

    def __init__(self, get_response: GetResponse) -> None:
        self._next = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        guarded = settings.DOOR != "open" and request.path.startswith("/api/") and request.path not in self.OPEN
        if guarded and not request.user.is_authenticated and not shows_token(request.headers.get("Authorization", "")):
            return _refused(401, "account", "Come in first")
        return self._next(request)


def _refused(status: int, code: str, title: str) -> HttpResponse:
    body = {"title": title, "code": code, "status": status}
    return JsonResponse(body, status=status, content_type="application/problem+json")


def static_headers(headers: Headers, path: str, url: str) -> None:
    """Add to a file of the web part what Django's answers get from the middleware."""
    headers["Content-Security-Policy"] = POLICY
    headers["X-Frame-Options"] = "DENY"
    headers["X-Content-Type-Options"] = "nosniff"
    headers["Referrer-Policy"] = settings.SECURE_REFERRER_POLICY
    headers["Cross-Origin-Opener-Policy"] = "same-origin"


class HeadersMiddleware:
    """Add the security headers Django's own middleware leaves out."""

    def __init__(self, get_response: GetResponse) -> None:
        self._next = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse | HttpResponseBase:
        response = self._next(request)
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Frame-Options"] = "DENY"
        if request.path.startswith("/api/"):
            response.headers["Cache-Control"] = "no-store"
        return response


class ChangesMiddleware:
    """After whatever was changed over the API, say so to the open screens."""

    TELLS_NOTHING = re.compile(r"/api/(session|networks/\d+/passphrase|deployments/\d+/settings/passphrase)")
    DEPLOYMENT = re.compile(r"/api/deployments/(\d+)/")

    def __init__(self, get_response: GetResponse) -> None:
        self._next = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        response = self._next(request)
        path = request.path
        told = path.startswith("/api/") and not self.TELLS_NOTHING.match(path)
        if told and request.method not in _SAFE and response.status_code < 400:
            found = self.DEPLOYMENT.match(path)
            changed(deployment_topic(int(found.group(1))) if found else EVERYTHING)
            ring(AGENT, WEB)
        return response
