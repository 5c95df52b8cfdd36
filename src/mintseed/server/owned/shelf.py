"""What one owns at a place, as what a plan may take."""

from __future__ import annotations

from django.db.models import Q, QuerySet

from mintseed.core.plan.shelf import Owned, Shelf
from mintseed.server.kept.models import (
    BoardUnit,
    Cable,
    Deployment,
    Image,
    OwnedCard,
    Part,
    Site,
    Supply,
    WifiNetwork,
)
from mintseed.server.kept.stored_types import outline_of_row
from mintseed.server.owned import descriptions
from mintseed.server.owned.shelf_facts import cable_facts, card_facts, network_facts, supply_facts
from mintseed.server.owned.users import users_of_each

MOST_UNITS = 24
"""boards of one shelf that are listed at once; a search finds the others"""

MOST_THINGS = 200
"""cards, supplies, cables, parts and networks of one place that a plan looks at, each"""

MOST_IMAGES = 12


def units_at(site: Site, search: str = "") -> QuerySet[BoardUnit]:
    """Return the boards at `site` whose name, or whose kind's name or mark, has `search` in it."""
    units = BoardUnit.there.filter(site=site).order_by("pk")
    if not search:
        return units
    kinds = [b.id for b in descriptions.boards().values() if search.lower() in f"{b.name} {b.printed_mark}".lower()]
    return units.filter(Q(name__icontains=search) | Q(board__in=kinds))


def shelf_at(site: Site, recipe: str = "", *, mine: Deployment | None = None, search: str = "") -> Shelf:
    """Return what lies on the shelf of `site`, in a constant number of statements. `mine` is the deployment that asks: what it
    plans with itself is not in use. `recipe` names the appliance whose images are wanted."""
    boards, parts = descriptions.boards(), descriptions.parts()
    found = list(units_at(site, search)[: MOST_UNITS + 1]) if search else BoardUnit.there.at(site.pk, MOST_UNITS + 1)
    units = [u for u in found[:MOST_UNITS] if u.board in boards]
    if mine is not None and mine.board_unit is not None and mine.board_unit.board in boards:
        units = [mine.board_unit, *(u for u in units if u.pk != mine.board_unit_id)]
    cards = OwnedCard.there.at(site.pk, MOST_THINGS)
    supplies = Supply.there.at(site.pk, MOST_THINGS)
    cables = Cable.there.at(site.pk, MOST_THINGS)
    owned = [p for p in Part.there.at(site.pk, MOST_THINGS) if p.kind in parts]
    images = (
        Image.there.filter(present=True, recipe=recipe).defer("xray").order_by("-released_on", "-pk")[:MOST_IMAGES]
        if recipe
        else ()
    )
    outlines = [(i, x) for i in images if (x := outline_of_row(i)) is not None]
    but = mine.pk if mine else None
    users = users_of_each(
        {
            "board_unit": [u.pk for u in units],
            "owned_card": [c.pk for c in cards],
            "supply": [s.pk for s in supplies],
            "cable": [c.pk for c in cables],
            "part": [p.pk for p in owned],
        },
        but=but,
    )
    return Shelf(
        boards=tuple(Owned(u.pk, u.name, boards[u.board], tuple(users["board_unit"][u.pk].words)) for u in units),
        cards=tuple(Owned(c.pk, c.name, card_facts(c), tuple(users["owned_card"][c.pk].words)) for c in cards),
        supplies=tuple(Owned(s.pk, s.name, supply_facts(s), tuple(users["supply"][s.pk].words)) for s in supplies),
        cables=tuple(Owned(c.pk, c.name, cable_facts(c), tuple(users["cable"][c.pk].words)) for c in cables),
        parts=tuple(Owned(p.pk, p.name, parts[p.kind], tuple(users["part"][p.pk].words)) for p in owned),
        networks=tuple(
            Owned(n.pk, n.ssid, network_facts(n))
            for n in sorted(WifiNetwork.there.at(site.pk, MOST_THINGS), key=lambda n: (n.band_ghz, n.pk))
        ),
        images=tuple(Owned(i.pk, i.file_name, x) for i, x in outlines),
        catalogue=parts,
        more_boards=len(found) > MOST_UNITS,
    )
