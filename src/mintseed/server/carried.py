"""Proofs that an older version made, after an update: what was proven and unchanged then stays so.

An older version kept no mark of what had been chosen, only a fingerprint of the filled files; where this version fills a file
otherwise, that says "changed" although nobody changed anything. What the older version last judged says which of its cards held
what was chosen. So before anything is judged anew, those get the mark of what is chosen now.
"""

from __future__ import annotations

from mintseed.server.load import load_many
from mintseed.server.models import Deployment, StationRecord, Write


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
