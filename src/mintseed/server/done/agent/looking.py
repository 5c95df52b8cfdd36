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
from mintseed.core.boot.band import look_every_s, waiting_since
from mintseed.core.boot.console import NOTHING_HEARD, read_console, told
from mintseed.core.errors import MintSeedError
from mintseed.core.find.candidates import PageAnswer, Wanted
from mintseed.core.find.look import kept_look
from mintseed.core.find.naming import NOT_ASKED
from mintseed.core.find.sightings import Sighting
from mintseed.core.units import duration
from mintseed.ports.network import Probe
from mintseed.server.done.agent.bench_row import unit_key
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.journal import record
from mintseed.server.judged.load import load_many, rows_to_load
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Bench, BootRun, Claim
from mintseed.server.kept.stored_types import CANDIDATES, CAUSES, CONSOLE, NAMING, stored
from mintseed.server.owned.own_devices import own_devices
from mintseed.services import find_device

log = logging.getLogger("mintseed.looking")


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
        Watched(one.live, one.run, None if one.run.known_before is None else frozenset(one.run.known_before))
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
    boards: Sequence[Watched],
    scanned: Sequence[Sighting] = (),
    *,
    settled: bool = True,
) -> list[find_device.Look]:
    """Look once for each of `boards`, side by side: one sweep a site, every page asked once, all at the same time.

    `settled`: the bench has been looking for a while, so that not seeing a board means something.
    """
    if not boards:
        return []
    by_site = {b.loaded.site.pk: sweep(b.loaded.networks, scanned) for b in boards}
    probe = AskedOnce(wiring.bench().probe)
    wanted = [_wanted(board, by_site[board.loaded.site.pk].sightings) for board in boards]

    def one(board: Watched, device: Wanted) -> find_device.Look:
        return find_device.execute(by_site[board.loaded.site.pk], device, probe=probe)

    with ThreadPoolExecutor(min(32, len(boards)), thread_name_prefix="look") as threads:
        looks = list(threads.map(one, boards, wanted))
    for board, look in zip(boards, looks, strict=True):
        keep_look(board, look, settled=settled)
    return looks


def _wanted(board: Watched, seen: Sequence[Sighting]) -> Wanted:
    """Return what is looked for as `board`."""
    one, unit = board.loaded, board.loaded.row.board_unit
    recipe, row = one.recipe, one.row
    naming = stored(NAMING, board.run.naming, None) or NOT_ASKED
    others = own_devices(one.site, {s.address for s in seen}, {s.mac for s in seen if s.mac}, but=row.pk)
    return Wanted(
        row.host_name, recipe.host_name, recipe.page, board.known_before, frozenset(unit.macs if unit else ()), others,
        frozenset(naming.answers_at) if naming.asked else None, ways_of(one),
        frozenset(one.board.mac_prefixes if one.board else ()),
    )  # fmt: skip


def ways_of(one: Loaded) -> int:
    """Return how many addresses one device may have: one for each way onto the network it has, two where nobody knows."""
    if one.board is None or one.board.may_have_more:
        return 2
    plan = one.walk.plan
    return max(
        1,
        bool(plan.radio_ghz)
        + sum([bool(one.board.ethernet), *(p.part.ethernet or bool(p.part.radio_ghz) for p in plan.parts)]),
    )


def keep_look(board: Watched, look: find_device.Look, *, settled: bool = True) -> None:
    """Store what one look saw, and when the board was first seen. A run that ended meanwhile is left as it was."""
    run, winner = board.run, look.winner
    kept = kept_look(
        run.seen, look.candidates, winner, look.seen_at, powered_at=run.powered_at, pace=run.bench.boot_pace, settled=settled
    )  # fmt: skip
    fresh = CANDIDATES.dump_json(look.candidates).decode()
    with transaction.atomic():
        same = BootRun.objects.filter(pk=run.pk, off_at=None)
        same.update(candidates=fresh, seen=kept.seen, **({"looked_at": look.seen_at} if kept.counts else {}))
        if fresh != run.candidates:
            changed(deployment_topic(board.loaded.row.pk))
        if winner is None or kept.joined_after_s is None:
            return
        after_s = kept.joined_after_s
        if same.filter(joined_after_s=None).update(joined_after_s=after_s, joined_address=winner.address):
            late = board.loaded.walk.band if run.late_at else None
            text = f"On the network after {duration(after_s)}: {winner.address}"
            record(
                board.loaded.row,
                "boot",
                "boot.joined",
                f"{text}; it was late after {duration(late.late_after_s)}" if late else text,
            )
            if board.loaded.row.network_id is not None:
                # Others of the network are told with which passphrase it let somebody in.
                judge_soon(network=board.loaded.row.network_id)


_read_up_to: dict[int, int] = {}
"""run: how much of its console was read, by this process"""


def note_console(board: Watched) -> None:
    """Note what a board said on its serial console since it was listened to last."""
    power, unit = wiring.bench().power, board.run.board_unit_id
    text = power.console(unit_key(unit)) if power is not None else ""
    # It only grows while it runs: what was read already says nothing new.
    if not text or _read_up_to.get(board.run.pk) == len(text):
        return
    _read_up_to[board.run.pk] = len(text)
    before = stored(CONSOLE, board.run.console, None) or NOTHING_HEARD
    heard = read_console(text)
    if heard == before:
        return
    known = {one.what for one in (*before.reached, *before.wrong)}
    with transaction.atomic():
        if BootRun.objects.filter(pk=board.run.pk, off_at=None).update(console=CONSOLE.dump_python(heard, mode="json")):
            for one in (*heard.reached, *heard.wrong):
                if one.what not in known:
                    record(board.loaded.row, "boot", "boot.console", told(one))


def note_late(board: Watched) -> None:
    """Note once that a boot is late, with its causes as they are judged now."""
    walk, run = board.loaded.walk, board.run
    band = walk.band
    if (
        band is None
        or run.late_at is not None
        or run.joined_after_s is not None
        or walk.clock.judged_s < band.late_after_s
    ):
        return
    with transaction.atomic():
        causes = CAUSES.dump_python(walk.causes, mode="json")
        if BootRun.objects.filter(pk=run.pk, late_at=None, off_at=None, joined_after_s=None).update(
            late_at=walk.clock.at(band.late_after_s), causes=causes
        ):
            cause = walk.causes[0].title if walk.causes else "no cause known"
            record(
                board.loaded.row, "boot", "boot.late", f"Late after {duration(band.late_after_s)}; likeliest: {cause}"
            )


def look_once(
    boards: Sequence[Watched],
    scanned: Sequence[Sighting] = (),
    *,
    settled: bool = True,
) -> None:
    """Look for each of `boards`; one that cannot be looked for keeps no other waiting."""
    able = []
    for board in boards:
        try:
            _ = board.loaded.recipe
            able.append(board)
        except MintSeedError as error:
            log.warning("deployment %s is not looked for: %s", board.loaded.row.pk, error.code)
    for board in able:
        note_console(board)
    looks = look_at(able, scanned, settled=settled)
    for board, look in zip(able, looks, strict=True):
        if look.winner is None and settled:
            note_late(board)


def looked_at_in_s(board: Watched, now: datetime) -> float:
    """Return in how many seconds `board` is to be looked at: the longer it is late, or waits to be claimed, the less often. 0 or less: now."""
    run = board.run
    if run.looked_at is None:
        return 0.0
    since = waiting_since(run.powered_at, run.bench.boot_pace, run.joined_after_s, run.late_at)
    return look_every_s(since, now) - (now - run.looked_at).total_seconds()
