"""The account, where one is needed, and the way in for the phone."""

from __future__ import annotations

from django.contrib.auth import authenticate, logout
from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from mintseed.core.errors import RefusedError
from mintseed.core.keep.label import qr_code
from mintseed.server.api.wire import Wire
from mintseed.server.doors import passwords
from mintseed.server.doors.address import phone_url
from mintseed.server.doors.door import DOORS, Door, door, take_link
from mintseed.server.doors.guard import LINK, here, let_in
from mintseed.server.doors.roles import Role, role_here
from mintseed.server.judged.changes import changed

router = Router(tags=["session"])


class SessionOut(Wire):
    """`door`: what is asked of who comes in. `phone_url` is what a phone on the same network opens; empty when none can."""

    door: Door
    signed_in: bool
    name: str
    role: Role
    """what the one who asks may do: the owner, the bench, or only look"""
    phone_url: str
    qr_path: str
    qr_size: int


class LinkIn(Wire):
    code: str = Field(max_length=200)


class LoginIn(Wire):
    name: str = Field(max_length=150)
    password: str = Field(max_length=500)


@router.get("/session", response=SessionOut)
def read_session(request: HttpRequest) -> SessionOut:
    return _out(request)


@router.post("/session", response=SessionOut)
def log_in(request: HttpRequest, payload: LoginIn) -> SessionOut:
    with passwords.one_try(request.META.get("REMOTE_ADDR", "")) as succeeded:
        user = authenticate(request, username=payload.name, password=payload.password)
        if user is None:
            raise RefusedError("that name and password do not open it", next_step="Try again.")
        succeeded()
    let_in(request, user, "account")
    return _out(request)


@router.post("/session/link", response=SessionOut)
def come_in(request: HttpRequest, payload: LinkIn) -> SessionOut:
    """Let the browser in that shows the code of a link, once."""
    link = take_link(payload.code) if door() == "link" else ""
    if not link:
        raise RefusedError("this link was used, or is too old",
                           next_step="Print a new one where it was started:  .venv/bin/python manage.py link")  # fmt: skip
    let_in(request, here(), "link")
    request.session[LINK] = link
    return _out(request)


@router.delete("/session", response=SessionOut)
def log_out(request: HttpRequest) -> SessionOut:
    logout(request)
    changed(DOORS)
    return _out(request)


def _out(request: HttpRequest) -> SessionOut:
    signed_in = request.user.is_authenticated
    asked = door()
    url = phone_url() if signed_in or asked == "open" else ""
    path, size = qr_code(url) if url else ("", 0)
    return SessionOut(
        door=asked, signed_in=signed_in, name=request.user.get_username(), role=role_here(request), phone_url=url,
        qr_path=path, qr_size=size,
    )  # fmt: skip
