"""Print a link that lets one browser in, once, where a link is what is asked for."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from mintseed.server.doors.door import door, new_link, token


class Command(BaseCommand):
    help = "Print a link that lets one browser in, once."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--if-asked", action="store_true", help="print nothing where everybody comes in")

    def handle(self, *args: Any, **options: Any) -> None:
        if door() == "link":
            token()  # made now, so that scripts find its file
            self.stdout.write(new_link())
        elif not options["if_asked"]:
            self.stdout.write("Nobody needs a link here." if door() == "open" else "Log in with your account.")
