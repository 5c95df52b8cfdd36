"""Look for the device on the network: what is new, what it calls itself, what answers, what its page says."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import datetime

from mintseed.core.find.before import is_left_over
from mintseed.core.find.candidates import Candidate, PageAnswer, Wanted, judge_find, page_url, rank_candidates
from mintseed.core.find.sightings import SeenBy, Sighting, addresses_in, inside
from mintseed.core.findings import Finding
from mintseed.ports.network import Announcements, NetworkView, Probe, Scanner

MOST_PROBED = 16
"""addresses asked for their page in one look; a home has few that are new or carry the name."""

_PROBES_AT_ONCE = 16


@dataclass(frozen=True, slots=True)
class Swept:
    """What was on the network at one moment, from every source."""

    sightings: tuple[Sighting, ...]
    at: datetime


@dataclass(frozen=True, slots=True)
class Look:
    candidates: tuple[Candidate, ...]
    findings: tuple[Finding, ...]
    seen_at: datetime

    @property
    def winner(self) -> Candidate | None:
        """The one candidate that is it, or None when there is none or more than one."""
        winners = [c for c in self.candidates if c.is_it]
        return winners[0] if len(winners) == 1 else None


def sightings_now(view: NetworkView, announcements: Announcements, networks: Sequence[str]) -> tuple[Sighting, ...]:
    """Return everything seen now inside `networks` (CIDR); nothing outside them is looked at."""
    return tuple(s for s in (*view.sightings(), *announcements.current()) if inside(s.address, networks))


def scan(
    scanner: Scanner, view: NetworkView, networks: Sequence[str], ports: Collection[int], stopped: Callable[[], bool]
) -> tuple[Sighting, ...]:
    """Return the addresses of `networks` that take a connection on one of `ports`, with the MAC the kernel then knows.

    Speaking to an address is what fills the kernel's table of neighbours, so it is read afterwards. Bounded by
    `addresses_in`; ends early when `stopped` says so.
    """
    answered = scanner.answering(addresses_in(networks), sorted(ports), stopped)
    macs = {s.address: s.mac for s in view.sightings() if s.mac}
    return tuple(Sighting(address, SeenBy.SCAN, macs.get(address, ""), port=port) for address, port in answered)


def execute(swept: Swept, wanted: Wanted, *, probe: Probe) -> Look:
    """Judge one sweep for one device. Pages are asked, side by side, only of addresses that are the board's own, are new, carry its
    name or take connections on the page's port."""
    seen = [s for s in swept.sightings if not is_left_over(s, wanted.known_before)]
    macs = {s.address: s.mac for s in seen if s.mac}
    # What is new first: a house may be full of pages on that port, and only so many are asked.
    worth = [s.address for s in seen if s.mac and s.mac in wanted.own_macs]
    worth += sorted(wanted.name_answers or ())
    worth += [s.address for s in seen if wanted.is_new(s.address, macs.get(s.address, ""))]
    worth += [s.address for s in seen if s.host_name.lower() == wanted.host_name.lower()]
    worth += [s.address for s in seen if s.seen_by is SeenBy.SCAN and s.port == wanted.page.port]
    free = [a for a in dict.fromkeys(worth) if not wanted.other_at(a, macs.get(a, ""))]
    answers = ask_all(probe, {address: page_url(wanted.page, address) for address in free[:MOST_PROBED]})
    candidates = rank_candidates(seen, wanted, answers)
    return Look(candidates, judge_find(candidates, wanted.host_name, wanted.page), swept.at)


def ask_all(probe: Probe, urls: dict[str, str]) -> dict[str, PageAnswer]:
    """Ask every one of `urls` (by address) at the same time, so that slow ones do not add up."""
    if not urls:
        return {}
    with ThreadPoolExecutor(min(_PROBES_AT_ONCE, len(urls)), thread_name_prefix="probe") as threads:
        return dict(zip(urls, threads.map(probe.get, urls.values()), strict=True))
