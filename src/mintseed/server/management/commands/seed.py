"""Fill an empty application: the demo on a stand-in bench, only the site on a real one."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from mintseed.server.demo.quay_house import seed_bench, seed_database
from mintseed.server.models import Site
from mintseed.wiring import config


class Command(BaseCommand):
    help = "Load the demo where nothing was loaded yet."

    def handle(self, *args: Any, **options: Any) -> None:
        chosen = config()
        chosen.library.mkdir(parents=True, exist_ok=True)
        if chosen.is_standin:
            seed_bench(chosen)
            seed_database(chosen)
        else:
            Site.objects.get_or_create(pk=1)
