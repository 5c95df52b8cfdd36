"""Look for the device on the network: what is new, what it calls itself, what its page says."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from mintseed.core.find.candidates import Candidate, judge_find, page_url, rank_candidates
from mintseed.core.find.sightings import Sighting, inside
from mintseed.core.findings import Finding
from mintseed.core.recipes.model import Page
from mintseed.ports.network import Announcements, NetworkView, Probe

MOST_PROBED = 16
"""addresses asked for their page in one look; a home has few that are new or carry the name."""


@dataclass(frozen=True, slots=True)
class Look:
    candidates: tuple[Candidate, ...]
    findings: tuple[Finding, ...]

    @property
    def winner(self) -> Candidate | None:
        """The one candidate that is it, or None when there is none or more than one."""
        winners = [c for c in self.candidates if c.is_it]
        return winners[0] if len(winners) == 1 else None


def sightings_now(view: NetworkView, announcements: Announcements, networks: Sequence[str]) -> tuple[Sighting, ...]:
    """Return everything seen now inside `networks` (CIDR); nothing outside them is looked at."""
    return tuple(s for s in (*view.sightings(), *announcements.current()) if inside(s.address, networks))


def known_addresses(sightings: Iterable[Sighting]) -> frozenset[str]:
    """Return the MAC and IP addresses in `sightings`: what was there before power-on."""
    return frozenset(key for s in sightings for key in (s.mac, s.address) if key)


def execute(
    *,
    view: NetworkView,
    announcements: Announcements,
    probe: Probe,
    networks: Sequence[str],
    known_before: frozenset[str],
    host_name: str,
    default_host_name: str,
    page: Page,
) -> Look:
    """Look once. Pages are asked only of addresses that are new or carry the name."""
    seen = sightings_now(view, announcements, networks)
    worth = [s.address for s in seen if s.address not in known_before and s.mac not in known_before]
    worth += [s.address for s in seen if s.host_name.lower() == host_name.lower()]
    asked = list(dict.fromkeys(worth))[:MOST_PROBED]
    answers = {address: probe.get(page_url(page, address)) for address in asked}
    candidates = rank_candidates(
        seen,
        known_before=known_before,
        host_name=host_name,
        default_host_name=default_host_name,
        page=page,
        answers=answers,
    )
    return Look(candidates, judge_find(candidates, host_name))
