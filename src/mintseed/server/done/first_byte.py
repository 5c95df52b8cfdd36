"""The moment a write begins: until then it changed nothing, from then on its card holds nothing that anybody may rely on."""

from __future__ import annotations

from datetime import datetime

from mintseed.server.done.power import end_run
from mintseed.server.done.proofs import end_on_card
from mintseed.server.judged.judging import reopen
from mintseed.server.judged.load import load
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Card, Deployment, Write
from mintseed.server.kept.transactions import all_or_nothing


@all_or_nothing
def began(write: Write, card: Card, now: datetime) -> None:
    """The drive is the writer's alone and the first byte is about to go to `card`: a new story begins. A closed record is open again,
    the board is off, and whatever else was proven on that card is no longer."""
    row = Deployment.objects.select_for_update().get(pk=write.deployment_id)
    one = load(row.pk)
    if one.closing is not None:
        end_run(one)
        reopen(row, now)
    end_on_card(card, write, now)
    Write.objects.filter(pk=write.pk).update(card=card, started_at=now)
    judge_soon(pk=row.pk)
    write.card, write.started_at = card, now
