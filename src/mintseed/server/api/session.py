"""The account, where one is needed, and the way in for the phone."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import authenticate, get_user_model, login, logout
from django.core.cache import cache
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from mintseed.core.errors import RefusedError
from mintseed.core.keep.label import qr_code
from mintseed.server.address import phone_url
from mintseed.server.door import Door, use_link

router = Router(tags=["session"])

HERE = "this machine"
"""Name of the account a link opens; it has no password."""

MOST_FAILURES = 5
WAIT_S = 300
"""Wrong passwords from one address before it waits, and for how many seconds (common practice)."""


class SessionOut(Schema):
    """`door`: what is asked of who comes in. `phone_url` is what a phone on the same network opens; empty when none can."""

    door: Door
    signed_in: bool
    name: str
    phone_url: str
    qr_path: str
    qr_size: int


class LinkIn(Schema):
    code: str = Field(max_length=200)


class LoginIn(Schema):
    name: str = Field(max_length=150)
    password: str = Field(max_length=500)


@router.get("/session", response=SessionOut)
def read_session(request: HttpRequest) -> SessionOut:
    return _out(request)


@router.post("/session", response=SessionOut)
def log_in(request: HttpRequest, payload: LoginIn) -> SessionOut:
    key = f"failures-{request.META.get('REMOTE_ADDR', '')}"
    if cache.get(key, 0) >= MOST_FAILURES:
        raise RefusedError(
            "too many wrong passwords from here", next_step=f"Wait {WAIT_S // 60} minutes, then try again."
        )
    user = authenticate(request, username=payload.name, password=payload.password)
    if user is None:
        cache.set(key, cache.get(key, 0) + 1, WAIT_S)
        raise RefusedError("that name and password do not open it", next_step="Try again.")
    cache.delete(key)
    login(request, user)
    return _out(request)


@router.post("/session/link", response=SessionOut)
def come_in(request: HttpRequest, payload: LinkIn) -> SessionOut:
    """Let the browser in that shows the code of a link, once."""
    if settings.DOOR != "link" or not use_link(payload.code):
        raise RefusedError("this link was used, or is too old",
                           next_step="Print a new one where it was started:  .venv/bin/python manage.py link")  # fmt: skip
    user, made = get_user_model().objects.get_or_create(username=HERE)
    if made:
        user.set_unusable_password()
        user.save()
    login(request, user)
    return _out(request)


@router.delete("/session", response=SessionOut)
def log_out(request: HttpRequest) -> SessionOut:
    logout(request)
    return _out(request)


def _out(request: HttpRequest) -> SessionOut:
    signed_in = request.user.is_authenticated
    url = phone_url() if signed_in or settings.DOOR == "open" else ""
    path, size = qr_code(url) if url else ("", 0)
    return SessionOut(
        door=settings.DOOR, signed_in=signed_in, name=request.user.get_username(), phone_url=url,
        qr_path=path, qr_size=size,
    )  # fmt: skip
