"""Look for a deployment's board on the network and keep what was seen. Used by the watch and by the Find station."""

from __future__ import annotations

from django.db import transaction

from mintseed import wiring
from mintseed.core.units import duration
from mintseed.server.journal import record
from mintseed.server.models import Deployment
from mintseed.server.walk import CANDIDATES, Walk
from mintseed.services import find_device


def look_for(walk: Walk) -> find_device.Look:
    """Look once, store the candidates, and note when the board was first seen on the network."""
    bench, row = wiring.bench(), walk.row
    elapsed_s = walk.elapsed_s
    look = find_device.execute(
        view=bench.view,
        announcements=wiring.announcements(),
        probe=bench.probe,
        networks=walk.networks,
        known_before=frozenset(row.known_before),
        host_name=row.host_name,
        default_host_name=walk.recipe.host_name,
        page=walk.recipe.page,
    )
    with transaction.atomic():
        # powered_at is part of the condition: a look that began before a power-off must not speak of the next boot.
        same_boot = Deployment.objects.filter(pk=row.pk, powered_at=row.powered_at)
        same_boot.update(candidates=CANDIDATES.dump_json(look.candidates).decode(), looked_at=bench.clock.now())
        if look.winner and same_boot.filter(joined_after_s=None).update(joined_after_s=elapsed_s):
            record(row, "boot", "boot.joined", f"On the network after {duration(elapsed_s)}: {look.winner.address}")
    return look


def note_late(walk: Walk) -> None:
    """Note once that a boot is late."""
    if (
        walk.band is None
        or walk.row.was_late
        or walk.row.joined_after_s is not None
        or walk.elapsed_s < walk.band.late_after_s
    ):
        return
    with transaction.atomic():
        if Deployment.objects.filter(pk=walk.row.pk, was_late=False, powered_at=walk.row.powered_at).update(
            was_late=True
        ):
            cause = walk.causes[0].title if walk.causes else "no cause known"
            record(walk.row, "boot", "boot.late", f"Late after {duration(walk.band.late_after_s)}; likeliest: {cause}")
