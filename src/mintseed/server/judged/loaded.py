"""A deployment as its rows say it: the walk they make, the names of the things in it, what is kept of one in service. Shapes; asks nothing."""

from __future__ import annotations

import hashlib
import hmac
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from datetime import datetime
from functools import cached_property

from django.conf import settings
from pydantic import TypeAdapter

from mintseed import wiring
from mintseed.core.boards.model import Board
from mintseed.core.boot.console import NOTHING_HEARD
from mintseed.core.boot.run import RunFacts
from mintseed.core.card.proof import WriteFacts
from mintseed.core.errors import DescriptionError, MissingError
from mintseed.core.find.naming import NameFacts
from mintseed.core.image.naming import inside_of
from mintseed.core.image.report import XRay, image_mark
from mintseed.core.plan.plan import Card as CardFacts
from mintseed.core.recipes.model import WAYS_IN, Recipe
from mintseed.core.settings.answers import answers_in_force
from mintseed.core.settings.values import SettingValues, Unreadable
from mintseed.core.site.addresses import NO_PLAN, AddressPlan
from mintseed.core.site.ranges import own_ranges
from mintseed.core.site.ssh_keys import keys_in
from mintseed.core.walk import Walk, WalkInputs
from mintseed.server.judged.frozen import NAMES, Names, unpack
from mintseed.server.judged.job_state import describe_trouble, is_active
from mintseed.server.judged.networks import (
    known_network,
    zone_of,
)
from mintseed.server.kept.models import (
    BoardUnit,
    BootRun,
    Claim,
    Closing,
    Deployment,
    Job,
    PlannedPart,
    Reading,
    Site,
    WifiNetwork,
    Write,
)
from mintseed.server.kept.stored_types import (
    ADDRESS_PLAN,
    CANDIDATES,
    CAUSES,
    CONSOLE,
    FINDING,
    NAMING,
    stored,
    xray_of,
)
from mintseed.server.owned import descriptions
from mintseed.server.owned.shelf_facts import cable_facts, card_facts, network_facts, planned_parts, supply_facts


def key_mark(ssid: str, passphrase: str) -> str:
    """Return what tells one network key from another and gives neither away: a keyed hash."""
    text = f"{ssid}\0{passphrase}".encode()
    return hmac.new(settings.SECRET_KEY.encode(), text, hashlib.sha256).hexdigest() if passphrase else ""


@dataclass
class Loaded:
    """A deployment's rows, and the walk they make. One in service is walked as it was when it was closed; `live` as it is now."""

    row: Deployment
    now: datetime
    write: Write | None = None
    job: Job | None = None
    run: BootRun | None = None
    run_number: int = 0
    claim: Claim | None = None
    closing: Closing | None = None
    readings: list[Reading] = field(default_factory=list)
    image_job: Job | None = None
    names_taken: frozenset[str] = frozenset()
    joined: tuple[tuple[int, str], ...] = ()
    parts: tuple[PlannedPart, ...] = ()
    attempt: Write | None = None
    """a later write that did not begin: it waits, or never came to its first byte"""
    thawed: bool = False
    also: tuple[WifiNetwork, ...] = ()
    """further networks it knows, in their order"""
    addresses_taken: Mapping[str, str] = field(default_factory=dict)
    """fixed addresses of other devices of its place, and their names; asked for only where it has one itself"""
    network_seen: Mapping[str, str] | None = None
    names_heard: Mapping[str, str] | None = None
    """those of its address that its place's benches saw and since when, as one reads it; None where nobody looked, or it was booted itself"""

    @cached_property
    def live(self) -> Loaded:
        """The same as it is now, also of a device in service."""
        return self if self.thawed or self.closing is None else replace(self, thawed=True)

    @cached_property
    def frozen(self) -> WalkInputs | None:
        """What a device in service was closed with; None of any other, and of one that an older version closed."""
        return None if self.thawed or self.closing is None else unpack(self.closing.frozen)

    @cached_property
    def names(self) -> Names:
        """What the things in it are called; of one in service, what they were called."""
        kept = (
            stored(NAMES, self.closing.names, None) if self.closing and self.closing.names and not self.thawed else None
        )
        return kept or names_of(self.row)

    @property
    def site(self) -> Site:
        return self.row.site

    @property
    def networks(self) -> tuple[str, ...]:
        return site_ranges(self.site)

    @cached_property
    def recipe(self) -> Recipe:
        """The recipe; raises MissingError or DescriptionError when it cannot be had."""
        if self.frozen is not None:
            return self.frozen.recipe
        found = descriptions.recipes().get(self.row.recipe)
        if found is not None:
            return found
        broken = descriptions.known().broken.get(f"{self.row.recipe}.yaml")
        if broken is not None:
            raise DescriptionError(broken.found, where=broken.where, next_step="Mend the recipe, then start again.")
        raise MissingError(f"the recipe {self.row.recipe} is gone", next_step="Put it back into the recipes folder.")

    @cached_property
    def board(self) -> Board | None:
        return self.frozen.board if self.frozen is not None else board_of(self.row.board_unit)

    @cached_property
    def xray(self) -> XRay | None:
        return self.frozen.xray if self.frozen is not None else xray_of(self.row.image)

    @cached_property
    def values(self) -> SettingValues:
        if self.frozen is not None:
            return self.frozen.values
        row, site, network = self.row, self.row.site, self.row.network
        recipe = descriptions.recipes().get(row.recipe)
        given = answers_of(row)
        in_force = answers_in_force(recipe.asks, given) if recipe else given
        return SettingValues(
            host_name=row.host_name,
            country=row.country or site.country,
            time_zone=row.time_zone or site.time_zone,
            keyboard=row.keyboard or site.keyboard,
            locale=row.locale or site.locale,
            way=row.way,
            ssid=network.ssid if network else "",
            passphrase=""
            if network and network.open
            else _own_or(row.passphrase, network.passphrase if network else ""),
            hidden=bool(network and network.hidden),
            wpa3_only=bool(network and network.wpa3_only),
            band_ghz=network.band_ghz if network else 0,
            channel=network.channel if network else None,
            admin_name=row.admin_name or site.admin_name,
            admin_hash=row.admin_hash or site.admin_hash,
            open_network=bool(network and network.open),
            others=tuple(known_network(n) for n in self.also if network and row.way == "wifi" and n.pk != network.pk),
            address=self.address_plan.fixed(row.address),
            overlays=self.overlays,
            ssh_keys=keys_in(site.ssh_keys),
            answers={k: v for k, v in in_force.items() if v},
        )

    @cached_property
    def address_plan(self) -> AddressPlan:
        plan: AddressPlan = stored(ADDRESS_PLAN, self.site.address_plan, NO_PLAN)
        return plan

    @property
    def overlays(self) -> tuple[str, ...]:
        """The lines the drivers of its parts want, where its recipe has a file for them."""
        recipe = descriptions.recipes().get(self.row.recipe)
        if recipe is None or not recipe.takes_overlays:
            return ()
        return tuple(dict.fromkeys(line for p in planned_parts(self.parts) for line in p.part.overlay))

    @property
    def key_mark(self) -> str:
        return key_mark(self.values.ssid, self.values.passphrase) if self.row.way == "wifi" else ""

    @cached_property
    def chosen_mark(self) -> str:
        """What was chosen that bears on what is written, as a keyed hash; empty before there is an image."""
        row, image = self.row, self.row.image
        if image is None or not image.sha256:
            return ""
        # Only what was chosen: an answer that a recipe suggests may come and go with a version of this program.
        values = asdict(replace(self.values, answers=dict(sorted(answers_of(row).items()))))
        del values["band_ghz"]  # where a file takes it, it stands in what is filled
        del values["channel"]  # no file takes it
        for later in ("overlays", "ssh_keys", "locale", "open_network", "others", "address", "priority"):
            if not values[later]:
                del values[later]  # marks of before there were any stay what they are
        brought = descriptions.known().recipe_texts.get(row.recipe, "")
        which = image_mark(image.sha256, inside_of(image.file_name))
        text = repr((row.recipe, brought, which, row.way_in, sorted(values.items())))
        return hmac.new(settings.SECRET_KEY.encode(), text.encode(), hashlib.sha256).hexdigest()

    @cached_property
    def inputs(self) -> WalkInputs:
        if self.frozen is not None:
            return self.frozen
        row = self.row
        n = row.network
        last = {r.step: r for r in self.readings}
        return WalkInputs(
            recipe=self.recipe,
            host_name=row.host_name,
            values=self.values,
            now=self.now,
            time_zone=zone_of(self.site),
            board=self.board,
            supply=supply_facts(row.supply) if row.supply else None,
            cable=cable_facts(row.cable) if row.cable else None,
            card=card_facts(row.owned_card) if row.owned_card else CardFacts(row.card_gb) if row.card_gb else None,
            parts=planned_parts(self.parts),
            way=row.way if row.way in ("wifi", "cable") else None,  # type: ignore[arg-type]
            way_in=row.way_in if row.way_in in WAYS_IN else None,
            load_share=row.load_share,
            network=network_facts(n) if n else None,
            site_keyboard=self.site.keyboard,
            names_taken=self.names_taken,
            address=row.address,
            address_plan=self.address_plan,
            addresses_taken=self.addresses_taken,
            addresses_seen=self.network_seen,
            names_heard=self.names_heard,
            joined_with_sites=self._joined_with_sites,
            image_chosen=row.image is not None,
            image_gone=row.image is not None and not row.image.present,
            image_reading=self.image_job is not None and is_active(self.image_job, self.now),
            xray=self.xray,
            agreed=row.settings_agreed,
            chosen=self.chosen_mark,
            write=self.write_facts,
            run=self.run_facts,
            claimed=self.claim.address if self.claim else "",
            claimed_by=self.claim.by if self.claim else "",
            measured={k: f for k, r in last.items() if r.finding and (f := stored(FINDING, r.finding, None))},
            ticked=frozenset(k for k, r in last.items() if r.finding is None and r.done),
            kept=self.closing is not None,
        )

    @cached_property
    def write_facts(self) -> WriteFacts:
        """The last write of its card, as what is judged."""
        write, later, job = self.write, self.attempt, self.job
        waits = later is not None and job is not None and is_active(job, self.now)
        never = self._ended(later, job) if later is not None and not waits else ""
        stopped = later is not None and later.outcome == Write.Outcome.STOPPED
        if write is None:
            return WriteFacts(waits, "" if stopped else never, never_began=never, stopped=stopped)
        own_job = job if later is None else getattr(write, "job", None)
        writing = waits or (own_job is not None and is_active(own_job, self.now))
        ended = "" if writing or write.outcome == Write.Outcome.PROVEN else self._ended(write, own_job)
        if not (stopped or write.holds or writing):
            ended = never or ended  # nothing is left that it could stand on
        return WriteFacts(
            writing, ended, write.fingerprint, write.fingerprint_version, write.chosen_mark,
            proven_at=write.proven_at if write.holds else None, void_why=write.void_why,
            unsure_why=write.unsure_why if write.unsure_at and not write.void_at else "",
            marked=bool((write.capacity or {}).get("offsets")), looked_again=write.looked_again_at is not None,
            never_began=never, stopped=stopped, put=write.put_mark,
        )  # fmt: skip

    def _ended(self, write: Write, job: Job | None) -> str:
        """Return how `write` ended when not well. What happened stays said when its job was let go."""
        return describe_trouble(job) if job else str((write.trouble or {}).get("sentence", ""))

    @property
    def _sites_mark(self) -> str:
        """The mark of the key that the place's own passphrase makes; empty where it has none."""
        n = self.row.network
        return key_mark(n.ssid, n.passphrase) if n else ""

    @property
    def _joined_with_sites(self) -> int:
        """How many other boards joined lately with the place's passphrase, where this device has another one of its own."""
        sites = self._sites_mark
        if self.row.way != "wifi" or not self.row.passphrase or not sites or self.key_mark == sites:
            return 0
        return len({pk for pk, mark in self.joined if pk != self.row.pk and mark == sites})

    @cached_property
    def run_facts(self) -> RunFacts | None:
        """The last boot of that card, as what is judged; None where there was none."""
        run = self.run
        if run is None:
            return None
        on_card = run.write.key_mark if run.write else ""
        sites = self._sites_mark
        others = [mark for pk, mark in self.joined if pk != self.row.pk]
        return RunFacts(
            number=self.run_number,
            powered_at=run.powered_at,
            pace=run.bench.boot_pace,
            off_at=run.off_at,
            lasted_s=run.lasted_s,
            joined_after_s=run.joined_after_s,
            looked_at=run.looked_at,
            noted_at=run.noted_at,
            candidates=stored(CANDIDATES, run.candidates, ()) if run.candidates else (),
            joined_address=run.joined_address,
            naming=stored(NAMING, run.naming, None) or NameFacts(),
            console=stored(CONSOLE, run.console, None) or NOTHING_HEARD,
            late_at=run.late_at,
            causes_then=stored(CAUSES, run.causes, ()),
            key_is_sites=on_card == sites if on_card and sites else None,
            joined_same=sum(mark == on_card for mark in others) if on_card else 0,
            joined_other=sum(mark != on_card for mark in others) if on_card else 0,
        )

    @cached_property
    def walk(self) -> Walk:
        return Walk(self.inputs)


def site_ranges(site: Site) -> tuple[str, ...]:
    """Return the ranges that are looked at at `site`; what is stored and is not one's own is left out."""
    standin = wiring.config().own_lan
    return own_ranges(site.networks, shared=site.shared_range, standin=standin)


def board_of(unit: BoardUnit | None) -> Board | None:
    """Return the description of `unit`, None when there is none. Raises MissingError when its description is gone."""
    if unit is None:
        return None
    board = descriptions.boards().get(unit.board)
    if board is None:
        raise MissingError(f"the description of board {unit.board} is gone",
                           next_step="Put it back into the boards folder, or choose another board.")  # fmt: skip
    return board


def _own_or(own: str, sites: str) -> str:
    """Return the passphrase of the deployment's own, else the site's; one that is kept and cannot be read is nobody's else."""
    return own if own or isinstance(own, Unreadable) else sites


def names_of(row: Deployment) -> Names:
    """Return what the things in a deployment are called now."""
    recipe = descriptions.recipes().get(row.recipe)
    board = descriptions.boards().get(row.board_unit.board) if row.board_unit else None
    return Names(
        appliance=recipe.name if recipe else row.recipe,
        kind=recipe.kind if recipe else "",
        release=row.image.release if row.image else "",
        unit=row.board_unit.name if row.board_unit else "",
        board=board.name if board else "",
        card=row.owned_card.name if row.owned_card else "",
        supply=row.supply.name if row.supply else "",
        cable=row.cable.name if row.cable else "",
        network=row.network.ssid if row.network else "",
        place=row.site.name,
        time_zone=zone_of(row.site),
    )


def answers_of(row: Deployment) -> dict[str, str]:
    """Return what was answered to the recipe's own questions."""
    return stored(TypeAdapter(dict[str, str]), row.answers, {}) if row.answers else {}


def without_removed(row: Deployment) -> Deployment:
    """Return `row` as if nothing were chosen where what was chosen is taken off; its keys stay, so that it is found again."""
    for name in REMOVABLE:
        held = getattr(row, name)
        if held is not None and held.removed_at is not None:
            row._meta.get_field(name).set_cached_value(row, None)  # type: ignore[union-attr]
    return row


def key_of(row: Deployment, field: str) -> int | None:
    """Return the key of what is chosen in `field`, None where nothing is, or where it is taken off."""
    held = getattr(row, field)
    return held.pk if held is not None else None


REMOVABLE = ("board_unit", "supply", "cable", "owned_card", "network", "image")
