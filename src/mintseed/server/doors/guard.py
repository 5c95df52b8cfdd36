"""Keep other web pages out, and say so in the headers."""

from __future__ import annotations

from collections.abc import Callable
from urllib.parse import urlsplit
from wsgiref.headers import Headers

from django.conf import settings
from django.contrib.auth import get_user_model, login, logout
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse

from mintseed.server.doors.door import DOORS, door, shows_token, use_up
from mintseed.server.doors.roles import may, role_here, set_role
from mintseed.server.judged.changes import EVERYTHING, changed
from mintseed.server.judged.journal import record, who
from mintseed.server.kept.closed import closed_by_this_request

HERE = "this machine"
"""Name of the account a link opens; it has no password."""

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
        here = f"{request.scheme}://{request.get_host()}"
        origin = request.headers.get("Origin")
        site = request.headers.get("Sec-Fetch-Site", "same-origin")
        foreign = (origin is not None and _origin_of(origin) != here) or site not in ("same-origin", "none")
        if request.method not in _SAFE and foreign:
            return _refused(403, "refused", "Another site's page may not change things here")
        return self._next(request)


def _origin_of(origin: str) -> str | None:
    """Return an Origin header as scheme and host: http and https of one host are two origins (RFC 6454 §4)."""
    try:
        parts = urlsplit(origin)
    except ValueError:
        return None  # such as a bracket that is not closed: no page of ours has such an origin
    return f"{parts.scheme}://{parts.netloc}"


class DoorMiddleware:
    """Let nobody at the API who is not known, where others could reach it.

    The page itself is served to all: it holds nothing, and asks. Sessions are SameSite=Strict, so that no other site's
    page travels with one; scripts of the owner show the token that lies in a file for the owner alone.
    """

    OPEN = ("/api/session", "/api/session/link")

    def __init__(self, get_response: GetResponse) -> None:
        self._next = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        guarded = request.path.startswith("/api/") and request.path not in self.OPEN and door() != "open"
        if guarded and not may_come_in(request):
            return _refused(401, "account", "Come in first")
        if guarded and not _link_is_its_own(request):
            logout(request)
            return _refused(401, "account", "Come in first")
        if guarded and not may(role_here(request), request.method or "GET", request.path):
            return _refused(403, "role", "Your account may not do that. An owner of this bench may.")
        closed_by_this_request.set(False)
        doing = who.set(request.user.get_username())
        try:
            response = self._next(request)
        finally:
            who.reset(doing)
        if closed_by_this_request.get():
            _let_in_who_closed_it(request)
        return response


def may_come_in(request: HttpRequest) -> bool:
    """Return whether the one who asks is known: by a session, or by the owner's token."""
    return request.user.is_authenticated or shows_token(request.headers.get("Authorization", ""))


LINK = "link"
"""in a session that came by a link and did not come back yet: the link's name"""


def _link_is_its_own(request: HttpRequest) -> bool:
    """Return whether a session that took a link may keep it: the first that comes back does, and uses it up with that."""
    link = request.session.get(LINK)
    if link is None:
        return True
    if not use_up(link, request.session.session_key or ""):
        return False
    del request.session[LINK]
    shut_out_who_closed_it()
    return True


CAME_BY = "came-by"
"""in a session: how it came in, `link`, `account` or `closing`"""


def _let_in_who_closed_it(request: HttpRequest) -> None:
    """Whoever brought the first secret of their own goes on; everybody else on the machine is shut out from here on."""
    let_in(request, here(), "closing")
    record(None, "", "door.closed", "From now on a link is asked for: something of your own is kept here. This browser stays in; "
           "another one comes in by  manage.py link")  # fmt: skip
    changed(DOORS, EVERYTHING)


def let_in(request: HttpRequest, user: User, by: str) -> None:
    """Give the browser of `request` a session of `user`, new whatever it had before."""
    login(request, user)
    request.session[CAME_BY] = by


def here() -> User:
    """Return the account that a link opens; it has no password."""
    user, made = get_user_model().objects.get_or_create(username=HERE)
    if made:
        user.set_unusable_password()
        set_role(user, "owner")
        user.save()
    return user


def shut_out_who_closed_it() -> None:
    """End the sessions that came by closing the door: somebody came who surely is the owner, or a bench became real. What they
    could reach until then was made up, or their own."""
    for row in Session.objects.all():
        if row.get_decoded().get(CAME_BY) == "closing":
            row.delete()
    changed(DOORS)


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
