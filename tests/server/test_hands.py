"""How long the last jobs took by hand: the whole time less writing and booting, against the same sums made row by row."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from bench.many import fill
from django.db.models import F

from mintseed.server.done.planning import LAST_JOBS, hands_s
from mintseed.server.kept.models import Bench, BootRun, Closing, Deployment, Write
from tests.server.conftest import Api


@pytest.fixture(autouse=True)
def _library_as_it_was(library: Path) -> Iterator[None]:
    yield
    for file in library.glob("platen-0.*-64.img.xz"):
        file.unlink()


def by_hand(closing: Closing) -> float:
    device = closing.deployment
    writing = sum(
        (w.ended_at - w.begun_at).total_seconds() for w in Write.objects.filter(deployment=device) if w.ended_at
    )
    booting = sum((r.joined_after_s or 0) / r.bench.boot_pace for r in BootRun.objects.filter(deployment=device))
    return (closing.at - device.created_at).total_seconds() - writing - booting


def test_writing_and_booting_are_not_the_hands_time(api: Api) -> None:
    fill(30, log_lines=0, images=1)
    closings = list(Closing.objects.filter(deployment__demo=False).order_by("-pk"))
    assert len(closings) > LAST_JOBS + 2
    Bench.objects.update(boot_pace=4)
    Write.objects.update(ended_at=F("begun_at") + timedelta(minutes=7, milliseconds=250))
    never = Write.objects.filter(deployment=closings[1].deployment).order_by("pk")[0]
    Write.objects.filter(pk=never.pk).update(ended_at=None)
    Deployment.objects.filter(pk=closings[2].deployment_id).update(demo=True)
    # What was begun and closed by a script took no time at all.
    Deployment.objects.filter(pk=closings[3].deployment_id).update(created_at=closings[3].at)
    wanted = [by_hand(Closing.objects.get(pk=c.pk)) for n, c in enumerate(closings[: LAST_JOBS + 1]) if n not in (2, 3)]
    assert hands_s() == pytest.approx(wanted)
    assert len(wanted) == LAST_JOBS - 1
