"""The row of this process's bench."""

from __future__ import annotations

from datetime import datetime, timedelta

from mintseed import wiring
from mintseed.server.models import Bench, Site

ALIVE_S = 20.0
"""seconds after which a bench that gave no sign counts as silent."""


def own_bench() -> Bench:
    """Return this process's bench, made at its first start at the first site."""
    config = wiring.config()
    kind = Bench.Kind.STANDIN if config.is_standin else Bench.Kind.REAL
    pace = wiring.bench().clock.boot_pace
    row = Bench.objects.select_related("site").filter(name=config.bench_name).first()
    if row is None:
        site = Site.objects.order_by("pk").first() or Site.objects.create()
        row, _ = Bench.objects.get_or_create(
            name=config.bench_name, defaults={"site": site, "kind": kind, "boot_pace": pace}
        )
    if (row.kind, row.boot_pace) != (kind, pace):
        row.kind, row.boot_pace = kind, pace
        row.save(update_fields=["kind", "boot_pace"])
    return row


def is_alive(bench: Bench, now: datetime) -> bool:
    """Return whether the worker of `bench` gave a sign lately."""
    return bench.seen_at is not None and now - bench.seen_at < timedelta(seconds=ALIVE_S)
