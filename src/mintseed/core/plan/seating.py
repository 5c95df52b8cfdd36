"""Which plug goes into which socket, adapters between: as many as can be, whatever order they are named in."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

DIRECT = 1_000
"""plugs that go straight into their own kind of socket: no adapter is used up, so only the sockets count."""


def seat(plugs: Sequence[str], sockets: Iterable[str], adapters: Mapping[tuple[str, str], int]) -> list[str | None]:
    """Return for each of `plugs` the kind of socket it ends in, itself or by an adapter; None for one that finds none.

    `adapters`: (kind of socket it goes into, kind of plug it then takes) → how many there are. As many plugs as possible are seated
    (a maximum flow, by augmenting paths: Ford and Fulkerson 1956), and of those that compete the first named.
    """
    room = Counter(sockets)
    flow: Counter[tuple[str, str]] = Counter()
    seated = []
    for plug in plugs:
        found = _augment(plug, room, adapters, flow, set())
        seated.append(found)
    left = flow.copy()
    ends: list[str | None] = []
    for plug, found in zip(plugs, seated, strict=True):
        # Those that go straight in first: an adapter is for whom is left.
        end = next((s for s in (plug, *sorted(room)) if left[plug, s]), None) if found else None
        if end is not None:
            left[plug, end] -= 1
        ends.append(end)
    return ends


def _augment(
    plug: str,
    room: Counter[str],
    adapters: Mapping[tuple[str, str], int],
    flow: Counter[tuple[str, str]],
    seen: set[str],
) -> bool:
    """Seat one more plug of a kind, moving others to where they fit as well; return whether that could be done."""
    if plug in seen:
        return False
    seen.add(plug)
    for socket in (plug, *sorted(s for s in room if s != plug)):
        most = DIRECT if socket == plug else adapters.get((socket, plug), 0)
        if flow[plug, socket] >= most:
            continue
        if room[socket]:
            room[socket] -= 1
            flow[plug, socket] += 1
            return True
        # Full: one that sits there may go elsewhere.
        for other in [p for (p, s), n in flow.items() if s == socket and n and p != plug]:
            if _augment(other, room, adapters, flow, seen):
                flow[other, socket] -= 1
                flow[plug, socket] += 1
                return True
    return False
