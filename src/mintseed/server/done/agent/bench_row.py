"""The row of this process's bench."""

from __future__ import annotations

import hashlib
import socket
from datetime import datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Any

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.server.kept.models import Bench, Site
from mintseed.server.kept.secret_files import kept_secret
from mintseed.server.kept.transactions import all_or_nothing

ALIVE_S = 20.0
"""seconds after which a bench that gave no sign counts as silent."""


def own_bench() -> Bench:
    """Return this process's bench, made at its first start at the first site. Raises RefusedError when another home or machine
    runs one of its name."""
    config = wiring.config()
    kind = Bench.Kind(config.bench)
    pace = wiring.bench().clock.boot_pace
    row = Bench.objects.select_related("site").filter(name=config.bench_name).first()
    if row is None:
        site = Site.there.order_by("pk").first() or Site.objects.create()
        row, _ = Bench.objects.get_or_create(
            name=config.bench_name,
            defaults={
                "site": site,
                "kind": kind,
                "boot_pace": pace,
                "holder": holder(),
                "holder_name": socket.gethostname()[:120],
            },
        )
    wanted = {
        "kind": kind,
        "boot_pace": pace,
        "holder": holder(),
        "was_real": row.was_real or kind == Bench.Kind.REAL,
        "removed_at": None,
    }
    if any(getattr(row, name) != value for name, value in wanted.items()):
        row = _taken(row.pk, wanted)
    return row


@all_or_nothing
def _taken(pk: int, wanted: dict[str, Any]) -> Bench:
    """Take the bench for this home, in one locked step: of two that come at once the second is refused."""
    row = Bench.objects.select_for_update().get(pk=pk)
    if row.holder not in ("", wanted["holder"]) and is_alive(row, wiring.bench().clock.now()):
        raise RefusedError(
            f"a bench called {row.name} runs already, from another home, on {row.holder_name or 'another machine'}",
            expected="a name of its own", where="MINTSEED_BENCH_NAME",
            next_step="Give this one another name:  MINTSEED_BENCH_NAME=workshop. Or stop the other one and wait half a minute.",
        )  # fmt: skip
    became_real = wanted["was_real"] and not row.was_real
    for name, value in wanted.items():
        setattr(row, name, value)
    row.holder_name = socket.gethostname()[:120]
    row.save(update_fields=[*wanted, "holder_name"])
    if became_real:
        from mintseed.server.doors.guard import shut_out_who_closed_it

        shut_out_who_closed_it()
    return row


def unit_key(board_unit_id: int | None) -> str:
    """Return the name under which a bench that plays its boards knows a board unit."""
    return f"unit-{board_unit_id or 0}"


@cache
def holder() -> str:
    """Return what tells this home on this machine from every other one: its own random mark, its place, the machine's id."""
    own = kept_secret(wiring.config().home / "home-mark")
    machine = next(
        (p.read_text().strip() for p in map(Path, ("/etc/machine-id", "/var/lib/dbus/machine-id")) if p.is_file()), ""
    )
    return hashlib.sha256(f"{own}\0{wiring.config().home}\0{machine or socket.gethostname()}".encode()).hexdigest()


def beat(name: str, now: datetime) -> None:
    """Give a sign of life of the bench called `name`, and no more."""
    Bench.objects.filter(name=name).update(seen_at=now)


def is_alive(bench: Bench, now: datetime) -> bool:
    """Return whether the worker of `bench` gave a sign lately."""
    return bench.seen_at is not None and now - bench.seen_at < timedelta(seconds=ALIVE_S)
