"""Look for powered boards on the network and keep what was seen, when it was seen."""

from __future__ import annotations

import logging
import threading
from collections.abc import Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.db.models import Exists, OuterRef

from mintseed import wiring
from mintseed.core.errors import MintSeedError
from mintseed.core.find.candidates import PageAnswer
from mintseed.core.find.sightings import Sighting
from mintseed.core.units import duration
from mintseed.ports.network import Probe
from mintseed.server.changes import changed, deployment_topic
from mintseed.server.journal import record
from mintseed.server.load import Loaded, load_many, rows_to_load
from mintseed.server.models import Bench, BootRun, Claim
from mintseed.server.stored_types import CANDIDATES, CAUSES
from mintseed.services import find_device

log = logging.getLogger("mintseed.looking")

MOST_SEEN = 200
"""addresses kept with one boot run."""


@dataclass(frozen=True)
class Watched:
    """A powered board that is not claimed yet, and what one look at it needs."""

    loaded: Loaded
    run: BootRun
    known_before: frozenset[str] | None


def watched(bench: Bench) -> list[Watched]:
    """Return the boards that are powered at `bench` and not claimed."""
    claimed = Claim.objects.filter(boot_run=OuterRef("pk"), taken_back_at=None)
    open_runs = BootRun.objects.filter(~Exists(claimed), bench=bench, off_at=None, deployment__removed_at=None)
    keys = list(open_runs.values_list("deployment_id", flat=True))
    if not keys:
        return []
    rows = rows_to_load().filter(pk__in=keys)
    return [
        Watched(one, one.run, None if one.run.known_before is None else frozenset(one.run.known_before))
        for one in load_many(rows)
        if one.run is not None and one.run.off_at is None and one.claim is None
    ]


def sweep(networks: Sequence[str], scanned: Sequence[Sighting] = ()) -> find_device.Swept:
    """Return what is on `networks` now, with what the last scan found."""
    bench = wiring.bench()
    seen = find_device.sightings_now(bench.view, wiring.announcements(tuple(networks)), networks)
    return find_device.Swept((*seen, *scanned), bench.clock.now())


class AskedOnce:
    """A probe that asks no page twice: boards that are looked for side by side share its answers."""

    def __init__(self, probe: Probe) -> None:
        self._probe, self._lock = probe, threading.Lock()
        self._answers: dict[str, Future[PageAnswer]] = {}

    def get(self, url: str) -> PageAnswer:
        with self._lock:
            held = self._answers.get(url)
            mine = held is None
            answer = self._answers[url] = held or Future()
        if mine:
            try:
                answer.set_result(self._probe.get(url))
            except Exception as error:
                answer.set_exception(error)
        return answer.result()

    def post_form(self, url: str, fields: Mapping[str, str]) -> PageAnswer:
        return self._probe.post_form(url, fields)


def look_at(
    boards: Sequence[Watched], scanned: Sequence[Sighting] = (), *, settled: bool = True
) -> list[find_device.Look]:
    """Look once for each of `boards`, side by side: one sweep a site, every page asked once, all at the same time.

    `settled`: the bench has been looking for a while, so that not seeing a board means something.
    """
    if not boards:
        return []
    by_site = {b.loaded.site.pk: sweep(b.loaded.networks, scanned) for b in boards}
    probe = AskedOnce(wiring.bench().probe)

    def one(board: Watched) -> find_device.Look:
        recipe = board.loaded.recipe
        return find_device.execute(
            by_site[board.loaded.site.pk], probe=probe, known_before=board.known_before,
            host_name=board.loaded.row.host_name, default_host_name=recipe.host_name, page=recipe.page,
            own_macs=tuple(unit.macs) if (unit := board.loaded.row.board_unit) is not None else (),
        )  # fmt: skip

    with ThreadPoolExecutor(min(32, len(boards)), thread_name_prefix="look") as threads:
        looks = list(threads.map(one, boards))
    for board, look in zip(boards, looks, strict=True):
        keep_look(board, look, settled=settled)
    return looks


def keep_look(board: Watched, look: find_device.Look, *, settled: bool = True) -> None:
    """Store what one look saw, and when the board was first seen. A run that ended meanwhile is left as it was.

    A look of a bench that only just began to look, and did not see the board, does not count as one.
    """
    run, winner = board.run, look.winner
    seen = dict(run.seen)
    for candidate in look.candidates[:MOST_SEEN]:
        seen.setdefault(candidate.address, look.seen_at.isoformat())
    fresh = CANDIDATES.dump_json(look.candidates).decode()
    with transaction.atomic():
        same = BootRun.objects.filter(pk=run.pk, off_at=None)
        counts = {"looked_at": look.seen_at} if settled or winner is not None else {}
        same.update(candidates=fresh, seen=seen, **counts)
        if fresh != run.candidates:
            changed(deployment_topic(board.loaded.row.pk))
        if winner is None:
            return
        # The moment it was first seen, not the moment its page was through.
        first = datetime.fromisoformat(seen[winner.address])
        after_s = max(0.0, (first - run.powered_at).total_seconds() * run.bench.boot_pace)
        if same.filter(joined_after_s=None).update(joined_after_s=after_s, joined_address=winner.address):
            record(
                board.loaded.row, "boot", "boot.joined", f"On the network after {duration(after_s)}: {winner.address}"
            )


def note_late(board: Watched) -> None:
    """Note once that a boot is late, with its causes as they are judged now."""
    walk, run = board.loaded.walk, board.run
    band = walk.band
    if band is None or run.late_at is not None or run.joined_after_s is not None or walk.judged_s < band.late_after_s:
        return
    with transaction.atomic():
        causes = CAUSES.dump_python(walk.causes, mode="json")
        if BootRun.objects.filter(pk=run.pk, late_at=None, off_at=None, joined_after_s=None).update(
            late_at=walk.at(band.late_after_s), causes=causes
        ):
            cause = walk.causes[0].title if walk.causes else "no cause known"
            record(
                board.loaded.row, "boot", "boot.late", f"Late after {duration(band.late_after_s)}; likeliest: {cause}"
            )


def look_once(bench: Bench, scanned: Sequence[Sighting] = (), *, settled: bool = True) -> None:
    """Look for every board that is powered and not yet claimed; one that cannot be looked for keeps no other waiting."""
    able = []
    for board in watched(bench):
        try:
            _ = board.loaded.recipe
            able.append(board)
        except MintSeedError as error:
            log.warning("deployment %s is not looked for: %s", board.loaded.row.pk, error.code)
    looks = look_at(able, scanned, settled=settled)
    for board, look in zip(able, looks, strict=True):
        if look.winner is None and settled:
            note_late(board)
