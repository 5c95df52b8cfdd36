"""Which of the addresses is it? Every way of looking is evidence; the strongest is being new since power-on."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from mintseed.core.find.sightings import SeenBy, Sighting
from mintseed.core.findings import Action, Finding, Severity, Where
from mintseed.core.recipes.model import Page

ENOUGH = 7
"""Points at which a candidate is taken for the device; reached by no single piece of evidence, where somebody looked before."""

_OWN_ADDRESS, _NEW, _LEASE_NAME, _ANNOUNCED, _SIGNATURE, _STARTING, _LISTENS = 6, 4, 3, 3, 5, 2, 1
OWN_ADDRESS_TEXT = "has a hardware address of this board"

_OTHER_PAGE, _OTHER_NAME = -4, -6


@dataclass(frozen=True, slots=True)
class PageAnswer:
    """What came back from an address: HTTP status (0 = no answer), start of the body, why not."""

    url: str
    status: int
    body: str = ""
    trouble: str = ""


@dataclass(frozen=True, slots=True)
class Evidence:
    text: str
    points: int


@dataclass(frozen=True, slots=True)
class Candidate:
    """One address with all that speaks for it."""

    address: str
    mac: str
    host_name: str
    url: str
    evidence: tuple[Evidence, ...]
    page_answers: bool
    is_it: bool

    @property
    def points(self) -> int:
        return sum(e.points for e in self.evidence)


def page_url(page: Page, host: str) -> str:
    """Return the address of `page` on `host`; the usual port of the scheme is left out."""
    usual = 443 if page.scheme == "https" else 80
    port = "" if page.port == usual else f":{page.port}"
    shown = f"[{host}]" if ":" in host else host  # RFC 3986 §3.2.2
    return f"{page.scheme}://{shown}{port}{page.path}"


def rank_candidates(
    sightings: Iterable[Sighting],
    *,
    known_before: frozenset[str] | None,
    host_name: str,
    default_host_name: str,
    page: Page,
    answers: Mapping[str, PageAnswer],
    own_macs: Collection[str] = (),
) -> tuple[Candidate, ...]:
    """Return one candidate an address, most points first.

    `own_macs` are the board's own hardware addresses, as far as they are known.

    `known_before` holds MAC and IP addresses seen before power-on, None when nobody looked then; `default_host_name` is what the image calls itself
    when nobody names it; `answers` maps addresses to what their page said. Two devices of one appliance on one network
    are told apart by their names.
    """
    by_address: dict[str, list[Sighting]] = {}
    for sighting in sightings:
        by_address.setdefault(sighting.address, []).append(sighting)
    names = (host_name.lower(), default_host_name.lower())
    ranked = [
        _candidate(a, seen, known_before, names, page, answers.get(a), own_macs) for a, seen in by_address.items()
    ]
    return tuple(sorted(ranked, key=lambda c: (-c.points, c.address)))


def is_new(address: str, mac: str, known_before: frozenset[str] | None) -> bool:
    """Return whether neither the address nor the hardware address was there before power-on; never where nobody looked then."""
    return known_before is not None and address not in known_before and (not mac or mac not in known_before)


def _candidate(
    address: str,
    seen: list[Sighting],
    known_before: frozenset[str] | None,
    names: tuple[str, str],
    page: Page,
    answer: PageAnswer | None,
    own_macs: Collection[str] = (),
) -> Candidate:
    wanted, default = names
    mac = next((s.mac for s in seen if s.mac), "")
    name = next((s.host_name for s in seen if s.host_name), "")
    evidence = []
    if mac and mac in own_macs:
        evidence.append(Evidence(OWN_ADDRESS_TEXT, _OWN_ADDRESS))
    if is_new(address, mac, known_before):
        evidence.append(Evidence("new since power-on", _NEW))
    if any(s.seen_by is SeenBy.LEASE and s.host_name.lower() == wanted for s in seen):
        evidence.append(Evidence(f"took a lease as {wanted}", _LEASE_NAME))
    if any(s.seen_by is SeenBy.ANNOUNCEMENT and s.host_name.lower() == wanted for s in seen):
        evidence.append(Evidence(f"announces itself as {wanted}.local", _ANNOUNCED))
    if name and name.lower() not in (wanted, default):
        evidence.append(Evidence(f"calls itself {name}", _OTHER_NAME))
    if any(s.seen_by is SeenBy.SCAN and s.port == page.port for s in seen):
        evidence.append(Evidence(f"takes connections on port {page.port}", _LISTENS))
    said = _said(answer, page)
    evidence += [said] if said else []
    signed = answer is not None and answer.status == 200 and page.signature in answer.body
    points = sum(e.points for e in evidence)
    # Where nobody looked before power-on nothing can be new; then its own page on its own port is enough, unless it bears
    # another's name.
    own_page = known_before is None and signed and points >= _SIGNATURE
    return Candidate(address, mac, name, page_url(page, address), tuple(evidence), signed, points >= ENOUGH or own_page)


def _said(answer: PageAnswer | None, page: Page) -> Evidence | None:
    """Return what an answer on the page's port is evidence for. A page that is still starting redirects, asks for a
    login or fails; only a whole page without the signature is another one."""
    if answer is None or not answer.status:
        return None
    if answer.status == 200:
        if page.signature in answer.body:
            return Evidence(f"its page says {page.signature}", _SIGNATURE)
        return Evidence(f"another page answers on port {page.port}", _OTHER_PAGE)
    if answer.status in (301, 302, 303, 307, 308):
        return Evidence(f"something on port {page.port} sends on to another page", _STARTING)
    if answer.status in (401, 403):
        return Evidence(f"something on port {page.port} asks for a login first", _STARTING)
    if answer.status >= 500:
        return Evidence(f"something on port {page.port} answers {answer.status}: it may be starting", _STARTING)
    return Evidence(f"something on port {page.port} answers {answer.status}", 0)


def judge_find(candidates: tuple[Candidate, ...], host_name: str) -> tuple[Finding, ...]:
    """Return whether the device was found, and what to do when not."""
    winners = [c for c in candidates if c.is_it]
    if not winners:
        return (
            Finding("find.none", Severity.CHECK, "Not seen yet",
                    f"No address is new and answers to {host_name} or shows its page.",
                    "Give it the time on the clock, then look again.", action=Action("Watch the clock", "boot")),
        )  # fmt: skip
    if len(winners) > 1:
        return (
            Finding("find.several", Severity.CHECK, f"{len(winners)} devices could be it",
                    "More than one answers to this name and shows its page.",
                    "Switch the other one off, or give this one another name."),
        )  # fmt: skip
    winner = winners[0]
    why = ", ".join(e.text for e in winner.evidence)
    found = [
        Finding(
            "find.found",
            Severity.OK,
            f"Found at {winner.address}",
            f"{why[:1].upper()}{why[1:]}.",
            where=Where(part=winner.address),
        )
    ]
    if not winner.page_answers:
        found.append(Finding("find.page-not-yet", Severity.NOTE, "Its page does not answer yet",
                             "Just after boot that means not yet, not never.", "Look again in a moment."))  # fmt: skip
    return tuple(found)


MOST_NEWCOMERS = 6
"""addresses shown as new; more is a crowd, not a newcomer."""


@dataclass(frozen=True, slots=True)
class Newcomer:
    """An address that is new for a board that is looked for, and which deployment it speaks for most."""

    address: str
    host_name: str
    why: tuple[str, ...]
    deployment_id: int
    likely: str


def newcomers(looking: Iterable[tuple[int, str, tuple[Candidate, ...]]]) -> tuple[Newcomer, ...]:
    """Return each address that speaks for one of the boards `looking` (deployment, its name, candidates), once."""
    best: dict[str, tuple[Candidate, int, str]] = {}
    for pk, name, candidates in looking:
        for candidate in candidates:
            held = best.get(candidate.address)
            if candidate.points > 0 and (held is None or candidate.points > held[0].points):
                best[candidate.address] = (candidate, pk, name)
    ranked = sorted(best.values(), key=lambda found: -found[0].points)[:MOST_NEWCOMERS]
    return tuple(
        Newcomer(c.address, c.host_name, tuple(e.text for e in c.evidence), pk, name if c.is_it else "")
        for c, pk, name in ranked
    )
