"""The log: one line for everything that happened, with its time. Secrets never come here.

What is written here is said to the open screens in the same transaction: of a device that it changed, of anything else that everything
may have. And the agent looks at once: a board that got power is not to wait for its next turn. What changes without a line of the log says it itself (`changes.changed`).
"""

from __future__ import annotations

from contextvars import ContextVar

from mintseed.server.judged.changes import EVERYTHING, changed, deployment_topic
from mintseed.server.kept.bells import AGENT, ring
from mintseed.server.kept.models import Deployment, LogEntry

who: ContextVar[str] = ContextVar("who", default="")
"""whose request this is, where somebody came in by an account; empty for the program itself"""

TEXT_MOST = 300


def record(deployment: Deployment | None, station: str, event: str, text: str) -> None:
    """Append one line."""
    cut = text if len(text) <= TEXT_MOST else text[: TEXT_MOST - 1] + "…"
    LogEntry.objects.create(
        deployment=deployment,
        deployment_name=deployment.name if deployment else "",
        station=station,
        event=event,
        text=cut,
        who=who.get()[:80],
    )
    changed(deployment_topic(deployment.pk) if deployment else EVERYTHING)
    ring(AGENT)
