"""Fill an empty application: the demo on a stand-in bench, a radio cell on a machine bench, only the site on a real one."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from mintseed.core.errors import MintSeedError
from mintseed.core.visible import one_line
from mintseed.server.demo import proving_ground
from mintseed.server.demo.quay_house import seed_bench, seed_database, seed_readers
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.start.home_kind import keep_kind
from mintseed.wiring import config


class Command(BaseCommand):
    help = "Load the demo where nothing was loaded yet."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--bench-only", action="store_true", help="only what one more bench needs")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            self._seed(bench_only=options["bench_only"])
        except MintSeedError as error:
            raise CommandError(one_line(error.sentence())) from error

    def _seed(self, *, bench_only: bool) -> None:
        chosen = config()
        keep_kind(chosen)
        chosen.library.mkdir(parents=True, exist_ok=True)
        if bench_only:
            if chosen.is_standin:
                seed_readers(chosen)
            elif chosen.bench == "machine":
                proving_ground.seed_bench(chosen)
            own_bench()
            return
        if chosen.is_standin:
            seed_bench(chosen)
            seed_database(chosen)
        elif chosen.bench == "machine":
            proving_ground.seed_bench(chosen)
            proving_ground.seed_database(chosen)
        own_bench()
