"""Accounts: who comes in where others reach the page, and as what."""

from __future__ import annotations

from datetime import datetime

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from mintseed.core.errors import InputError, RefusedError
from mintseed.server.api.wire import Wire
from mintseed.server.doors.door import DOORS
from mintseed.server.doors.guard import HERE
from mintseed.server.doors.roles import Role, role_of, set_role
from mintseed.server.judged.changes import changed
from mintseed.server.judged.journal import record

router = Router(tags=["accounts"])


class AccountOut(Wire):
    id: int
    name: str
    role: Role
    last_came_in: datetime | None
    you: bool


class AccountIn(Wire):
    name: str = Field(max_length=80)
    password: str = Field(max_length=500)
    role: Role = "bench"


class AccountChangeIn(Wire):
    """Only what is sent changes."""

    password: str | None = Field(default=None, max_length=500)
    role: Role | None = None


@router.get("/accounts", response=list[AccountOut])
def read_accounts(request: HttpRequest) -> list[AccountOut]:
    return _out(request)


@router.post("/accounts", response=list[AccountOut])
def make_account(request: HttpRequest, payload: AccountIn) -> list[AccountOut]:
    name = " ".join(payload.name.split())
    if not name:
        raise InputError("an account has a name", where="name")
    with transaction.atomic():
        if User.objects.select_for_update().filter(username=name).exists():
            raise InputError(f"{name} is taken", where="name", next_step="Give this one another name.")
        user = User(username=name)
        _give(user, payload.password)
        set_role(user, payload.role)
        user.save()
        record(None, "", "account.made", f"Account made: {name}, {payload.role}")
    return _out(request)


@router.put("/accounts/{pk}", response=list[AccountOut])
def change_account(request: HttpRequest, pk: int, payload: AccountChangeIn) -> list[AccountOut]:
    with transaction.atomic():
        user = _locked(pk)
        if payload.role is not None and payload.role != role_of(user):
            if payload.role != "owner":
                _keep_an_owner(user)
            set_role(user, payload.role)
            record(None, "", "account.role", f"Account {user.username} is now: {payload.role}")
        if payload.password is not None:
            _give(user, payload.password)
            record(None, "", "account.password", f"Account {user.username} has a new password")
        user.save()
        if payload.password is not None:
            _shut_out(user, but=request.session.session_key or "")
    return _out(request)


@router.delete("/accounts/{pk}", response=list[AccountOut])
def remove_account(request: HttpRequest, pk: int) -> list[AccountOut]:
    with transaction.atomic():
        user = _locked(pk)
        _keep_an_owner(user)
        _shut_out(user)
        record(None, "", "account.removed", f"Account removed: {user.username}")
        user.delete()
    return _out(request)


def _locked(pk: int) -> User:
    """Return an account, and hold all of them: of two owners who go at once one stays."""
    rows = {user.pk: user for user in User.objects.select_for_update().exclude(username=HERE).order_by("pk")}
    if pk not in rows:
        raise User.DoesNotExist
    return rows[pk]


def _keep_an_owner(user: User) -> None:
    others = User.objects.exclude(pk=user.pk).exclude(username=HERE)
    if role_of(user) == "owner" and not others.filter(is_superuser=True).exists():
        raise RefusedError(f"{user.username} is the only owner", next_step="Make another account an owner first.")


def _give(user: User, password: str) -> None:
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise InputError(" ".join(error.messages), where="password") from error
    user.set_password(password)


def _shut_out(user: User, *, but: str = "") -> None:
    """End the sessions of an account, all but the one of who asks."""
    for row in Session.objects.exclude(session_key=but):
        if row.get_decoded().get("_auth_user_id") == str(user.pk):
            row.delete()
    changed(DOORS)


def _out(request: HttpRequest) -> list[AccountOut]:
    return [
        AccountOut(id=u.pk, name=u.username, role=role_of(u), last_came_in=u.last_login, you=u.pk == request.user.pk)
        for u in User.objects.exclude(username=HERE).order_by("username")
    ]
