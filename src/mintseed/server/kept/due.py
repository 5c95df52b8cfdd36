"""What is to be judged again: marked where something it rests on is changed, done by the bench's agent."""

from __future__ import annotations

from typing import Any

from mintseed import wiring
from mintseed.server.kept.bells import AGENT, ring
from mintseed.server.kept.models import Judgement


def judge_soon(**which: Any) -> None:
    """Have the judgements of the deployments that are as `which` says made again: something they rest on was changed
    elsewhere. The bench's agent does it within a second; a screen that is about one of them does it at once."""
    now = wiring.bench().clock.now()
    Judgement.objects.filter(closed=False, **{f"deployment__{k}": v for k, v in which.items()}).update(again_at=now)
    ring(AGENT)
