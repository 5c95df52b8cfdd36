"""What an older version left, after an update: what was proven and unchanged then stays so, and what was closed stays as it is now.

An older version kept no mark of what had been chosen, only a fingerprint of the filled files; where this version fills a file
otherwise, that says "changed" although nobody changed anything. What the older version last judged says which of its cards held
what was chosen. So before anything is judged anew, those get the mark of what is chosen now.
"""

from __future__ import annotations

import logging

from django.db.models import Value
from django.db.models.functions import Replace
from django_tasks_db.models import DBTaskResult

from mintseed.core.errors import MintSeedError
from mintseed.server.done.jobs import tasks
from mintseed.server.judged.frozen import NAMES, pack
from mintseed.server.judged.load import load_many
from mintseed.server.kept.models import Closing, Deployment, StationRecord, Write

log = logging.getLogger("mintseed.carried")


def adopt_proofs() -> int:
    """Give the writes of an older version, whose cards were last judged as holding what is chosen, the mark of it. Returns how
    many. Done once: what this version writes carries its mark from the start."""
    unmarked = Write.objects.filter(proven_at__isnull=False, void_at=None, chosen_mark="")
    said = StationRecord.objects.filter(station="card", current=True, note="proven", deployment__writes__in=unmarked)
    rows = Deployment.objects.filter(removed_at=None, pk__in=said.values("deployment")).select_related(
        "site", "network", "board_unit", "image", "supply", "cable", "owned_card"
    )
    count = 0
    for one in load_many(rows):
        if one.write is not None and one.write.holds and not one.write.chosen_mark and one.chosen_mark:
            count += Write.objects.filter(pk=one.write.pk).update(chosen_mark=one.chosen_mark)
    return count


TASKS_LAY_IN = "mintseed.server.jobs.tasks."
"""where tasks lay up to migration 0011"""


def find_waiting_tasks() -> int:
    """Have the tasks that an older version queued be found where they are now. Returns how many."""
    waiting = DBTaskResult.objects.filter(task_path__startswith=TASKS_LAY_IN)
    return waiting.update(task_path=Replace("task_path", Value(TASKS_LAY_IN), Value(f"{tasks.__name__}.")))


def freeze_older() -> int:
    """Keep with each closing of an older version what its device is judged from now: from here on it changes no more. Returns how many."""
    closings = {
        c.deployment_id: c for c in Closing.objects.filter(reopened_at=None, frozen="", deployment__removed_at=None)
    }
    rows = Deployment.objects.filter(pk__in=closings).select_related(
        "site", "network", "board_unit", "image", "supply", "cable", "owned_card", "judgement"
    )
    count = 0
    for row in rows:
        one = load_many([row])[0]
        try:
            values = {"frozen": pack(one.inputs), "names": NAMES.dump_python(one.names, mode="json")}
        except MintSeedError as error:
            # Its recipe or board is gone already: its judgements are all there is.
            log.warning("deployment %s is shown as its records say: %s", row.pk, error.code)
            continue
        count += Closing.objects.filter(pk=closings[row.pk].pk).update(**values)
    return count
