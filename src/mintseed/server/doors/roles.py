"""Who may do what. Three roles: the owner; the bench, which takes cards down the line; and look, which changes nothing.

An account's role lies in Django's own two marks: a superuser is an owner, staff is of the bench, anybody else looks. Whoever comes by
the link that a start printed, shows the token of the owner's files, or finds the door open is the owner.
"""

from __future__ import annotations

import re
from typing import Literal

from django.contrib.auth.models import User
from django.http import HttpRequest

from mintseed.server.doors.door import door, shows_token

Role = Literal["owner", "bench", "look"]

SAFE = ("GET", "HEAD", "OPTIONS")

OWNERS_ONLY = re.compile(
    r"/api/(sites(/\d+)?$|sites/\d+/networks|networks/|keeping|demo/|accounts|deployments/\d+/settings/passphrase"
    r"|things/(network|place|bench)/|taken-off/(network|place|bench)/)"
)
"""What only an owner changes: the place, its networks, what is kept, who comes in; and what only an owner is shown: a passphrase."""

OWNERS_READ = re.compile(r"/api/accounts")
"""What only an owner reads."""

HOLDS_SECRETS = re.compile(
    r"/api/deployments/\d+/(card/copies/\d+/file|settings/files/\d+)|/api/card-files/\d+|/api/cards/work/\d+/file"
)
"""What holds a network's key: a filled image, a filled file, those on a card, a card that was read back. Whoever only looks is not handed it."""

ANYBODYS = re.compile(r"/api/(session|doctor$|texts/[a-z]+/check)")
"""What changes nothing here: coming in and going, and having a text checked or a file looked at."""

FOR_GOOD = re.compile(r"/api/taken-off/")
"""Removing for good takes a history along: the owner's to do."""


def role_of(user: User) -> Role:
    """Return the role of an account."""
    return "owner" if user.is_superuser else "bench" if user.is_staff else "look"


def set_role(user: User, role: Role) -> None:
    """Give an account its role; the row is the caller's to save."""
    user.is_superuser, user.is_staff = role == "owner", role in ("owner", "bench")


def role_here(request: HttpRequest) -> Role:
    """Return the role of the one who asks, once they may come in."""
    if door() == "open" or shows_token(request.headers.get("Authorization", "")):
        return "owner"
    return role_of(request.user) if isinstance(request.user, User) else "look"


def may(role: Role, method: str, path: str) -> bool:
    """Return whether `role` may do that."""
    if role == "owner" or ANYBODYS.match(path):
        return True
    if method in SAFE:
        return not (OWNERS_READ.match(path) or (role == "look" and HOLDS_SECRETS.match(path)))
    return role == "bench" and not OWNERS_ONLY.match(path) and not (method == "DELETE" and FOR_GOOD.match(path))
