"""Say where the application is, once it answers; before that, at the first start, bring the demo's place to work."""

from __future__ import annotations

import os
import time
from typing import Any

import httpx
from django.core.management.base import BaseCommand

from mintseed.core.errors import MintSeedError
from mintseed.core.visible import one_line
from mintseed.server.demo.at_work import Desk, make_at_work, power_last, wanted

UP_WITHIN_S = 60.0


class Command(BaseCommand):
    help = "Wait until the application answers, then say where it is."

    def handle(self, *args: Any, **options: Any) -> None:
        desk = Desk()
        _wait(desk)
        made = None
        try:
            if wanted():
                self.stdout.write("  bringing the demo's place to work (once, about a minute)")
                made = make_at_work(desk)
        except (MintSeedError, httpx.HTTPError, OSError) as error:
            said = error.sentence() if isinstance(error, MintSeedError) else f"{type(error).__name__}: {error}"
            self.stdout.write(f"  the demo could not be made whole: {one_line(said)[:300]}")
        self._say()
        if made is not None:
            power_last(desk, made)

    def _say(self) -> None:
        address = os.environ.get("MINTSEED_ADDRESS", "")
        self.stdout.write(f"\n  Mint Seed is at  {address}")
        if "#" in address:
            self.stdout.write("  The link opens it in one browser, once. Another one:  .venv/bin/python manage.py link")
        self.stdout.write("  Ctrl-C stops it.\n")
        self.stdout.flush()


def _wait(desk: Desk) -> None:
    until = time.monotonic() + UP_WITHIN_S
    while time.monotonic() < until and not desk.answers():
        time.sleep(0.1)
