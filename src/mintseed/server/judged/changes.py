"""What open screens are told of: that something changed, never what it is now. They ask for that themselves.

Whoever changes something says so with `changed`, in the same transaction. `doors/stream.py` passes it on.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import Count, Max

from mintseed.server.kept.bells import WEB, ring
from mintseed.server.kept.models import Change

EVERYTHING = "everything"
KEPT_FOR = timedelta(minutes=10)
LATE_COMMITS = 200
"""rows looked at again each time: a transaction that began earlier may be through later."""


def deployment_topic(pk: int) -> str:
    return f"deployment/{pk}"


def changed(*topics: str) -> None:
    """Say that something changed: `deployment/12`, `images`, `drives`, `network`, `taken` (things of the shelf), or `everything`."""
    Change.objects.bulk_create(Change(topic=topic) for topic in dict.fromkeys(topics))
    ring(WEB)


def forget_changes(now: datetime) -> int:
    """Remove what was said long ago."""
    return Change.objects.filter(at__lt=now - KEPT_FOR).delete()[0]


@dataclass(frozen=True)
class Tail:
    """The last of what was said."""

    newest: int
    count: int
    rows: dict[int, str]

    @staticmethod
    def read(last: Tail | None) -> Tail:
        """Return the tail as it is now; `last` itself when nothing was added."""
        since = max(0, last.newest - LATE_COMMITS) if last else 0
        found = Change.objects.filter(pk__gt=since).aggregate(newest=Max("pk"), count=Count("pk"))
        newest, count = found["newest"] or (last.newest if last else 0), found["count"]
        if last is not None and (newest, count) == (last.newest, last.count):
            return last
        begins = max(0, newest - LATE_COMMITS)
        rows = dict(Change.objects.filter(pk__gt=begins).values_list("pk", "topic"))
        return Tail(newest, len(rows), rows)

    def topics_since(self, last: Tail) -> list[str]:
        """Return what was said that `last` does not hold; `everything` when some of it may be missing."""
        if self.newest - last.newest > LATE_COMMITS:
            return [EVERYTHING]
        return list(dict.fromkeys(topic for pk, topic in sorted(self.rows.items()) if pk not in last.rows))
