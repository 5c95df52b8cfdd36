"""Keep other web pages out, and say so in the headers."""

from __future__ import annotations

from collections.abc import Callable
from urllib.parse import urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse

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
        foreign = (origin is not None and urlsplit(origin).netloc != host) or site not in ("same-origin", "none")
        if request.method not in _SAFE and foreign:
            return JsonResponse(
                {"title": "Another site's page may not change things here", "code": "refused", "status": 403},
                status=403,
                content_type="application/problem+json",
            )
        return self._next(request)


class AccountMiddleware:
    """Let nobody without an account at the API where others on the network can reach it.

    The page itself is served to all: it holds nothing, and asks for the account. Sessions are SameSite=Strict, so that no
    other site's page travels with one.
    """

    OPEN = ("/api/session",)

    def __init__(self, get_response: GetResponse) -> None:
        self._next = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        guarded = settings.ACCOUNT_REQUIRED and request.path.startswith("/api/") and request.path not in self.OPEN
        if guarded and not request.user.is_authenticated:
            return JsonResponse(
                {"title": "Log in first", "code": "account", "status": 401},
                status=401,
                content_type="application/problem+json",
            )
        return self._next(request)


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
