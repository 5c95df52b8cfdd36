"""Ask in the background whether the devices answer to their names, and keep with their runs what came of it."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta

from django.db.models import Q

from mintseed import wiring
from mintseed.core.errors import MintSeedError
from mintseed.core.find.naming import NameFacts
from mintseed.core.find.sightings import inside
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.loaded import site_ranges
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Bench, BootRun
from mintseed.server.kept.stored_types import CANDIDATES, NAMING, stored

log = logging.getLogger("mintseed.naming")

TURN_EVERY_S = 2.0
"""seconds between two looks for names worth asking for."""

ASK_EVERY_S, LATER_EVERY_S = 4.0, 60.0
"""seconds between two questions for a name: while it may still come, and afterwards."""

SOON = timedelta(minutes=15)
"""after power-on, within which a name is asked for often."""

ASKED_FOR = timedelta(hours=1)
"""how long after power-on a name that never answered is asked for."""


@dataclass(frozen=True)
class Question:
    """One run whose name is asked for. `addresses`: where it was seen, nothing before it was."""

    run_pk: int
    deployment_pk: int
    host_name: str
    networks: tuple[str, ...]
    addresses: tuple[str, ...]
    soon: bool = True
    """whether the name may come at any moment: it is on the network and not for long, or is looked for"""


class NameThread:
    """Asks in a thread of its own; never holds up the watch. What came of it is kept with the run, and nowhere else."""

    def __init__(self) -> None:
        self._turned_s = -TURN_EVERY_S
        self._thread: threading.Thread | None = None
        self._asked_s: dict[int, float] = {}
        self._results: dict[int, NameFacts] = {}

    def turn(self, bench: Bench, now: datetime) -> None:
        """Keep what the last round brought, and begin the next one when something is to be asked."""
        if self._thread is not None and self._thread.is_alive():
            return
        self._keep()
        if time.monotonic() - self._turned_s < TURN_EVERY_S:
            return
        self._turned_s = time.monotonic()
        worth = questions(bench, now)
        self._asked_s = {q.run_pk: self._asked_s[q.run_pk] for q in worth if q.run_pk in self._asked_s}
        due = [q for q in worth if self._is_due(q)]
        if due:
            self._thread = threading.Thread(target=self._ask, args=(due,), name="names", daemon=True)
            self._thread.start()

    def _is_due(self, question: Question) -> bool:
        asked_s = self._asked_s.get(question.run_pk)
        every_s = ASK_EVERY_S if question.soon else LATER_EVERY_S
        return asked_s is None or time.monotonic() - asked_s >= every_s

    def _ask(self, due: Sequence[Question]) -> None:
        for question in due:
            self._asked_s[question.run_pk] = time.monotonic()
            try:
                self._results[question.run_pk] = asked(question)
            except (MintSeedError, OSError, ValueError) as error:
                log.warning("could not ask for %s: %s", question.host_name, error)

    def _keep(self) -> None:
        while self._results:
            run_pk, facts = self._results.popitem()
            kept = asdict(facts)
            # Row by row, and only what is another: nothing is told while a name stays silent.
            row = BootRun.objects.filter(pk=run_pk).values_list("naming", "deployment_id").first()
            if row is None or stored(NAMING, row[0], None) == facts:
                continue
            BootRun.objects.filter(pk=run_pk).update(naming=kept)
            judge_soon(pk=row[1])
            changed(deployment_topic(row[1]))


def asked(question: Question) -> NameFacts:
    """Ask for one name, and where it does not answer for the name of the address. Takes about a second where nobody answers."""
    names = wiring.names(question.networks)
    if not names.asks_anybody:
        return NameFacts(asks=False)
    found = frozenset(a for a in names.addresses_of(question.host_name) if inside(a, question.networks))
    instead = ""
    if question.addresses and not found:
        instead = names.name_of(question.addresses[0])
    return NameFacts(True, tuple(sorted(found)), instead)


def questions(bench: Bench, now: datetime) -> list[Question]:
    """Return the runs at `bench` whose names are worth asking for now: boards that are looked for, and those that were found and did not
    answer to their names yet."""
    runs = BootRun.objects.filter(
        Q(off_at=None) & Q(powered_at__gt=now - ASKED_FOR) & Q(deployment__removed_at=None), bench=bench
    ).select_related("deployment__site")
    found = []
    for run in runs:
        facts = stored(NAMING, run.naming, None) or NameFacts()
        seen = _addresses(run)
        if set(facts.answers_at) & set(seen):
            continue  # it answered once, and stays claimed
        soon = now - run.powered_at < SOON or (run.joined_after_s is None and run.late_at is None)
        found.append(
            Question(
                run.pk, run.deployment_id, run.deployment.host_name, tuple(site_ranges(run.deployment.site)), seen, soon
            )
        )
    return found


def _addresses(run: BootRun) -> tuple[str, ...]:
    """Return the addresses of the device of `run`: where it joined, and the others it has."""
    if not run.joined_address:
        return ()
    also = next((c.also for c in stored(CANDIDATES, run.candidates, ()) if c.address == run.joined_address), ())
    return (run.joined_address, *also)
