"""Which of the addresses is it? Every way of looking is evidence; the strongest is being new since power-on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from mintseed.core.find.before import is_left_over, is_new
from mintseed.core.find.sightings import SeenBy, Sighting
from mintseed.core.findings import Action, Finding, Severity, Where
from mintseed.core.recipes.model import Page
from mintseed.core.words import sentence

ENOUGH = 7
"""Points at which a candidate is taken for the device; reached by no single piece of evidence, where somebody looked before."""

_OWN_ADDRESS, _NEW, _LEASE_NAME, _ANNOUNCED, _ANSWERS_TO_NAME, _SIGNATURE, _STARTING, _LISTENS = 6, 4, 3, 3, 3, 5, 2, 1
_USUAL_PORT, _OWN_PORT = 2, 3
"""a page on the port its settings name, where nobody saw yet what stands on it: more where few things have a page there"""
_KIND = 1
"""a neighbour may have bought the same kind"""

PREFIX_CHARACTERS = 8
"""of a hardware address, 00:11:22, that say whose it is. Source: IEEE 802, MA-L assignments."""

OWN_ADDRESS_TEXT = "has a hardware address of this board"

_OTHER_PAGE, _OTHER_NAME, _OURS = -4, -6, -20


@dataclass(frozen=True, slots=True)
class PageAnswer:
    """What came back from an address: HTTP status (0 = no answer), start of the body, why not. `silent`: nothing came in the time there was."""

    url: str
    status: int
    body: str = ""
    trouble: str = ""
    silent: bool = False


@dataclass(frozen=True, slots=True)
class Evidence:
    text: str
    points: int


@dataclass(frozen=True, slots=True)
class Candidate:
    """One device with all that speaks for it. `also`: other addresses it has; `ours`: the name under which it is known here, where it
    is another of one's own."""

    address: str
    mac: str
    host_name: str
    url: str
    evidence: tuple[Evidence, ...]
    page_answers: bool
    is_it: bool
    also: tuple[str, ...] = ()
    ours: str = ""

    @property
    def points(self) -> int:
        return sum(e.points for e in self.evidence)


@dataclass(frozen=True, slots=True)
class Wanted:
    """The device that is looked for.

    `known_before`: keys of who was there before power-on (core.find.before), None when nobody looked then. `default_host_name`: what
    the image calls itself when nobody names it. `own_macs`: the board's own hardware addresses, as far as they are known. `others`:
    hardware address or address → name of the other devices known here. `name_answers`: the addresses that answer to `host_name` by
    themselves; None while it was not asked. `ways`: how many ways onto a network it has, so how many addresses may be its own.
    """

    host_name: str
    default_host_name: str
    page: Page
    known_before: frozenset[str] | None = None
    own_macs: frozenset[str] = frozenset()
    others: Mapping[str, str] = field(default_factory=dict)
    name_answers: frozenset[str] | None = None
    ways: int = 2
    mac_prefixes: frozenset[str] = frozenset()
    """how hardware addresses of this kind of board begin, where that is known"""

    def is_new(self, address: str, mac: str) -> bool:
        return is_new(address, mac, self.known_before)

    def other_at(self, address: str, mac: str) -> str:
        """Return the name of another device of one's own that this is; nothing for a stranger and for the board itself."""
        if mac and mac in self.own_macs:
            return ""
        return self.others.get(mac, "") if mac else self.others.get(address, "")


def page_url(page: Page, host: str) -> str:
    """Return the address of `page` on `host`; the usual port of the scheme is left out."""
    usual = 443 if page.scheme == "https" else 80
    port = "" if page.port == usual else f":{page.port}"
    shown = f"[{host}]" if ":" in host else host  # RFC 3986 §3.2.2
    return f"{page.scheme}://{shown}{port}{page.path}"


def rank_candidates(
    sightings: Iterable[Sighting], wanted: Wanted, answers: Mapping[str, PageAnswer]
) -> tuple[Candidate, ...]:
    """Return one candidate a device, most points first. `answers` maps addresses to what their page said.

    Two devices of one appliance on one network are told apart by their names; one device with two addresses is one.
    """
    by_address: dict[str, list[Sighting]] = {}
    for sighting in sightings:
        if not is_left_over(sighting, wanted.known_before):
            by_address.setdefault(sighting.address, []).append(sighting)
    ranked = [_candidate(group, by_address, wanted, answers) for group in _devices(by_address, wanted)]
    return tuple(sorted(ranked, key=lambda c: (-c.points, c.address)))


def _devices(by_address: Mapping[str, list[Sighting]], wanted: Wanted) -> list[list[str]]:
    """Return the addresses of each device together: those of one hardware address, and of one name those that are new together, as
    cable and Wi-Fi of one board are."""
    macs = {a: next((s.mac for s in seen if s.mac), "") for a, seen in by_address.items()}
    groups: dict[str, list[str]] = {}
    for address in sorted(by_address):
        groups.setdefault(macs[address] or address, []).append(address)

    def comes_with_it(address: str) -> bool:
        named = any(s.host_name.lower() == wanted.host_name.lower() for s in by_address[address])
        return macs[address] in wanted.own_macs or (named and wanted.is_new(address, macs[address]))

    mine = [key for key, group in groups.items() if any(comes_with_it(a) for a in group)]
    if 1 < len(mine) <= wanted.ways:
        groups[mine[0]] = [a for key in mine for a in groups.pop(key)]
    return list(groups.values())


def _candidate(
    group: Sequence[str], by_address: Mapping[str, list[Sighting]], wanted: Wanted, answers: Mapping[str, PageAnswer]
) -> Candidate:
    page, name_wanted = wanted.page, wanted.host_name.lower()
    address = _best_address(group, by_address, wanted, answers)
    seen = [s for a in group for s in by_address[a]]
    answer = answers.get(address)
    mac = next((s.mac for s in by_address[address] if s.mac), "") or next((s.mac for s in seen if s.mac), "")
    name = next((s.host_name for s in by_address[address] if s.host_name), "") or next(
        (s.host_name for s in seen if s.host_name), ""
    )
    evidence = []
    ours = wanted.other_at(address, mac)
    if any(s.mac in wanted.own_macs for s in seen if s.mac):
        evidence.append(Evidence(OWN_ADDRESS_TEXT, _OWN_ADDRESS))
    elif not ours and any(s.mac[:PREFIX_CHARACTERS] in wanted.mac_prefixes for s in seen if s.mac):
        evidence.append(Evidence("has a hardware address as this kind of board has", _KIND))
    if not ours and any(wanted.is_new(a, next((s.mac for s in by_address[a] if s.mac), "")) for a in group):
        evidence.append(Evidence("new since power-on", _NEW))
    if any(s.seen_by is SeenBy.LEASE and s.host_name.lower() == name_wanted for s in seen):
        evidence.append(Evidence(f"took a lease as {name_wanted}", _LEASE_NAME))
    if wanted.name_answers is not None and wanted.name_answers & set(group):
        evidence.append(Evidence(f"answers to {name_wanted}.local", _ANSWERS_TO_NAME))
    elif any(s.seen_by is SeenBy.ANNOUNCEMENT and s.host_name.lower() == name_wanted for s in seen):
        evidence.append(Evidence(f"announces itself as {name_wanted}.local", _ANNOUNCED))
    if ours:
        evidence.append(Evidence(f"is {ours}, known here", _OURS))
    elif name and name.lower() not in (name_wanted, wanted.default_host_name.lower()):
        evidence.append(Evidence(f"calls itself {name}", _OTHER_NAME))
    if any(s.seen_by is SeenBy.SCAN and s.port == page.port for s in seen):
        evidence.append(Evidence(f"takes connections on port {page.port}", _LISTENS))
    said = _said(answer, page)
    evidence += [said] if said else []
    signed = answer is not None and page.shown(answer.status, answer.body)
    open_to_all = answer is not None and page.may_be(answer.status, answer.body)
    points = sum(e.points for e in evidence)
    # Where nobody looked before power-on nothing can be new; then its own page on its own port is enough, unless it bears
    # another's name.
    own_page = wanted.known_before is None and signed and points >= _SIGNATURE
    return Candidate(
        address, mac, name, page_url(page, address), tuple(evidence), open_to_all, points >= ENOUGH or own_page,
        tuple(a for a in group if a != address), ours,
    )  # fmt: skip


def _best_address(
    group: Sequence[str], by_address: Mapping[str, list[Sighting]], wanted: Wanted, answers: Mapping[str, PageAnswer]
) -> str:
    """Return the address of a device to open: one whose page is the right one, else one where it is there, else the latest lease."""

    def worth(address: str) -> tuple[object, ...]:
        answer, seen = answers.get(address), by_address[address]
        signed = answer is not None and wanted.page.may_be(answer.status, answer.body)
        present = any(not s.trace for s in seen)
        lease = max((int(s.expires) for s in seen if s.expires), default=0)
        return signed, answer is not None and answer.status > 0, present, lease

    return max(sorted(group), key=worth)


def _said(answer: PageAnswer | None, page: Page) -> Evidence | None:
    """Return what an answer on the page's port is evidence for. A page that is still starting redirects, asks for a
    login or fails; only a whole page without the signature is another one."""
    if answer is None or not answer.status:
        return None
    if answer.status == 200:
        if page.shown(answer.status, answer.body):
            return Evidence(f"its page says {page.signature}", _SIGNATURE)
        if not page.signature:
            said = _LISTENS if page.assumed else _USUAL_PORT if page.port in (80, 443) else _OWN_PORT
            return Evidence(f"a page answers on port {page.port}", said)
        return Evidence(f"another page answers on port {page.port}", _OTHER_PAGE)
    if answer.status in (301, 302, 303, 307, 308):
        return Evidence(f"something on port {page.port} sends on to another page", _STARTING)
    if answer.status in (401, 403):
        return Evidence(f"something on port {page.port} asks for a login first", _STARTING)
    if answer.status >= 500:
        return Evidence(f"something on port {page.port} answers {answer.status}: it may be starting", _STARTING)
    return Evidence(f"something on port {page.port} answers {answer.status}", 0)


def judge_find(candidates: tuple[Candidate, ...], host_name: str, page: Page) -> tuple[Finding, ...]:
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
            sentence(why),
            where=Where(part=winner.address),
        )
    ]
    if not winner.page_answers and page.assumed:
        found.append(Finding("find.page-not-told", Severity.NOTE, f"No page answers on port {page.port}",
                             "Nobody said that it has one, or where: it was looked for at the usual place.",
                             "Where you know its port, write it into its recipe."))  # fmt: skip
    elif not winner.page_answers:
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
            # What is known to be another device of one's own is nobody new.
            if candidate.points > 0 and not candidate.ours and (held is None or candidate.points > held[0].points):
                best[candidate.address] = (candidate, pk, name)
    ranked = sorted(best.values(), key=lambda found: -found[0].points)[:MOST_NEWCOMERS]
    return tuple(
        Newcomer(c.address, c.host_name, tuple(e.text for e in c.evidence), pk, name if c.is_it else "")
        for c, pk, name in ranked
    )
