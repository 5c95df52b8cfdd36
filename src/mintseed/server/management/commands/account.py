"""Make an account, or give it another password. It is needed where others on the network can reach the page."""

from __future__ import annotations

import getpass
import sys
from typing import Any, get_args

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser

from mintseed.server.doors.door import door
from mintseed.server.doors.guard import HERE
from mintseed.server.doors.roles import Role, set_role


class Command(BaseCommand):
    help = "Make an account; the password is asked for, or read from standard input."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("name", nargs="?", default="")
        parser.add_argument(
            "--role",
            choices=get_args(Role),
            default="",
            help="what it may do; a new one is an owner's unless said otherwise",
        )
        parser.add_argument("--require", action="store_true", help="fail where one is needed and there is none")

    def handle(self, *args: Any, **options: Any) -> None:
        users, name = get_user_model(), options["name"]
        if options["require"]:
            if door() != "account" or users.objects.exclude(username=HERE).exists():
                return
            if not sys.stdin.isatty():
                raise CommandError(
                    "Others on the network could reach it, and there is no account yet. Make one, then start again:  "
                    "make account NAME=you"
                )
            self.stdout.write("  Others on your network will reach it, so it needs an account.")
            name = input("  Name: ").strip()
        if not name:
            raise CommandError("say its name:  make account NAME=you")
        user, made = users.objects.get_or_create(username=name)
        password = _password()
        try:
            validate_password(password, user)
        except ValidationError as error:
            if made:
                user.delete()
            raise CommandError(" ".join(error.messages)) from error
        user.set_password(password)
        if made or options["role"]:
            set_role(user, options["role"] or "owner")
        user.save()
        self.stdout.write(f"  Account {name} {'made' if made else 'has its new password'}.")


def _password() -> str:
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    first = getpass.getpass("  Password: ")
    if getpass.getpass("  Once more: ") != first:
        raise CommandError("the two are not the same")
    return first
