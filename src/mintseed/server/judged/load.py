"""Rows become the core's values: what a deployment is walked with. Loads and shapes; judges nothing."""

from __future__ import annotations

import hashlib
import hmac
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from datetime import datetime
from functools import cached_property
from typing import TypeVar

from django.conf import settings
from django.db import connection
from django.db.models import Manager, Max, Model, QuerySet
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
    addresses_seen,
    addresses_taken,
    also_networks,
    keys_in_order,
    known_network,
    names_heard,
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
            write=self._write_facts(),
            run=self._run_facts(),
            claimed=self.claim.address if self.claim else "",
            claimed_by=self.claim.by if self.claim else "",
            measured={k: f for k, r in last.items() if r.finding and (f := stored(FINDING, r.finding, None))},
            ticked=frozenset(k for k, r in last.items() if r.finding is None and r.done),
            kept=self.closing is not None,
        )

    def _write_facts(self) -> WriteFacts:
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
        return describe_trouble(job, self.now) if job else str((write.trouble or {}).get("sentence", ""))

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

    def _run_facts(self) -> RunFacts | None:
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


RELATED = ("site", "board_unit", "supply", "cable", "owned_card", "network", "image", "judgement")
HEAVY = ("image__xray", "image__outline")
"""Columns fetched only when somebody looks into them: an X-ray is tens of kilobytes and needed only when one is judged anew."""
REMOVABLE = ("board_unit", "supply", "cable", "owned_card", "network", "image")
LISTED = (
    "removed_at", "name", "recipe", "host_name", "way", "card_gb", "created_at", "site__name", "site__time_zone", "board_unit__name",
    "board_unit__board", "supply__name", "cable__name", "owned_card__name", "network__ssid", "image__release",
    *(f"{thing}__removed_at" for thing in REMOVABLE),
)  # fmt: skip
"""what a list says of a deployment and of the things in it"""

MOST_JOINED = 200
"""boards that joined a network whose keys are compared with a card's; the newest tell most."""


LAST_ROWS = """
SELECT d.id,
  (SELECT MAX(w.id) FROM mintseed_write w WHERE w.deployment_id = d.id AND w.started_at IS NOT NULL),
  (SELECT MAX(w.id) FROM mintseed_write w WHERE w.deployment_id = d.id AND w.started_at IS NULL),
  (SELECT MAX(r.id) FROM mintseed_bootrun r WHERE r.deployment_id = d.id),
  (SELECT COUNT(*) FROM mintseed_bootrun r WHERE r.deployment_id = d.id),
  (SELECT MAX(c.id) FROM mintseed_claim c WHERE c.deployment_id = d.id AND c.taken_back_at IS NULL),
  (SELECT MAX(k.id) FROM mintseed_closing k WHERE k.deployment_id = d.id AND k.reopened_at IS NULL),
  (SELECT MAX(j.id) FROM mintseed_job j WHERE j.image_id = d.image_id AND j.kind = 'read-image'),
  (SELECT MIN(o.id) FROM mintseed_deployment o WHERE o.site_id = d.site_id AND o.host_name = d.host_name
     AND LOWER(o.host_name) COLLATE utf8mb4_bin = LOWER(d.host_name) COLLATE utf8mb4_bin AND o.removed_at IS NULL),
  EXISTS (SELECT 1 FROM mintseed_plannedpart p WHERE p.deployment_id = d.id)
FROM mintseed_deployment d WHERE d.id IN ({keys})
"""
"""Written by hand: the ORM takes longer to compose these questions than MariaDB to answer them."""


@dataclass(frozen=True, slots=True)
class LastRows:
    """Keys of the last rows of one deployment. `first_of_name`: the deployment that was first to have its host name.
    `attempt`: the last write that did not begin. `parts`: whether any part is planned."""

    write: int | None
    attempt: int | None
    run: int | None
    runs: int
    claim: int | None
    closing: int | None
    image_job: int | None
    first_of_name: int | None
    parts: int


def last_rows(ids: Sequence[int]) -> dict[int, LastRows]:
    """Return the keys of the last rows of each deployment of `ids`."""
    if not ids:
        return {}
    with connection.cursor() as cursor:
        cursor.execute(LAST_ROWS.format(keys=", ".join(["%s"] * len(ids))), list(ids))
        return {row[0]: LastRows(*row[1:]) for row in cursor.fetchall()}


def load_many(deployments: Iterable[Deployment]) -> list[Loaded]:
    """Return each of `deployments` with its rows, in a constant number of queries; of what adds up, only the last rows."""
    rows = [without_removed(d) for d in deployments]
    now = wiring.bench().clock.now()
    last = last_rows([d.pk for d in rows])
    writes = by_key(
        Write.objects.select_related("bench", "card", "job").defer("marks", "phases"),
        (pk for x in last.values() for pk in (x.write, x.attempt)),
    )
    runs = by_key(BootRun.objects, (x.run for x in last.values()))
    claims = by_key(Claim.objects, (x.claim for x in last.values()))
    # What one was closed with is unpacked only where somebody looks at it, and fetched for one that is asked for by itself.
    closings = by_key(
        Closing.objects if len(rows) == 1 else Closing.objects.defer("frozen"), (x.closing for x in last.values())
    )
    image_jobs = by_key(Job.objects, (x.image_job for x in last.values()))
    readings = last_readings(last)
    # What was written before somebody chose to install it over the network bears on nothing now.
    last |= {row.pk: replace(last[row.pk], write=None, attempt=None) for row in rows if _is_installed(row)}
    belongs: dict[int, BootRun] = {}
    for row in rows:
        write, run = writes.get(last[row.pk].write), runs.get(last[row.pk].run)
        # A run speaks for the card it was booted with; the next write begins anew.
        # One that was installed over the network had none.
        if run is not None and run.write_id == (write.pk if write else None):
            run.write = write
            if write is not None and run.bench_id == write.bench_id:
                run.bench = write.bench
            if run.board_unit_id == row.board_unit_id:
                run.board_unit = row.board_unit
            belongs[row.pk] = run
    parts: dict[int, list[PlannedPart]] = defaultdict(list)
    if with_parts := [pk for pk, its in last.items() if its.parts]:
        for planned in PlannedPart.objects.filter(deployment__in=with_parts).select_related("part").order_by("pk"):
            if planned.part is not None and planned.part.removed_at is not None:
                planned.part = None  # this kind is to be bought again, until it is put back
            parts[planned.deployment_id].append(planned)
    also = also_networks(rows)
    taken = addresses_taken(rows)
    # What was booted may itself be what was seen.
    seen = addresses_seen([row for row in rows if row.address and not last[row.pk].runs])
    heard = names_heard([row for row in rows if not last[row.pk].runs])
    joined = joined_keys({d.network_id for d in rows if d.network_id and (_waits(belongs.get(d.pk)) or d.passphrase)})
    loaded = []
    for row in rows:
        its = last[row.pk]
        write, run, claim = writes.get(its.write), belongs.get(row.pk), claims.get(its.claim)
        since = (write.started_at or write.begun_at) if write else row.created_at
        attempt = writes.get(its.attempt) if (its.attempt or 0) > (its.write or 0) else None
        loaded.append(
            Loaded(
                row,
                now,
                write,
                getattr(attempt or write, "job", None) if attempt or write else None,
                run,
                its.runs,
                claim if claim and run and claim.boot_run_id == run.pk else None,
                closings.get(its.closing),
                [r for r in readings[row.pk] if r.at >= since],
                image_jobs.get(its.image_job),
                # Who came first keeps the name; only the later one is told to take another. No other name bears on it.
                frozenset({row.host_name.lower()}) if (its.first_of_name or row.pk) < row.pk else frozenset(),
                joined[row.network_id or 0] if _waits(run) or row.passphrase else (),
                tuple(parts[row.pk]),
                attempt,
                also=tuple(also[pk] for pk in keys_in_order(row.also_networks) if pk in also),
                addresses_taken=taken.get(row.pk, {}),
                network_seen=None if its.runs else seen.get(row.pk),
                names_heard=None if its.runs else heard.get(row.pk),
            )
        )
    return loaded


M = TypeVar("M", bound=Model)


def by_key(rows: QuerySet[M] | Manager[M], keys: Iterable[int | None]) -> dict[int | None, M]:
    """Return the rows of `keys` by key; nothing is asked for no keys."""
    wanted = [key for key in keys if key is not None]
    return {row.pk: row for row in rows.filter(pk__in=wanted)} if wanted else {}


def last_readings(last: Mapping[int, LastRows]) -> Mapping[int, list[Reading]]:
    """Return the last reading of each step of the deployments that were booted."""
    found: dict[int, list[Reading]] = defaultdict(list)
    booted = [pk for pk, its in last.items() if its.run is not None]
    if booted:
        of_these = Reading.objects.filter(deployment_id__in=booted)
        newest = of_these.values("deployment_id", "step").annotate(last=Max("pk")).order_by().values("last")
        for reading in of_these.filter(pk__in=newest).order_by("pk"):
            found[reading.deployment_id].append(reading)
    return found


def _is_installed(row: Deployment) -> bool:
    """Whether a device gets its system over the network."""
    recipe = descriptions.recipes().get(row.recipe)
    return (row.way_in or (recipe.usual_way_in if recipe else "")) == "network-install"


def _waits(run: BootRun | None) -> bool:
    """Return whether a board was powered and has not joined."""
    return run is not None and run.joined_after_s is None


def joined_keys(networks: Collection[int]) -> Mapping[int, tuple[tuple[int, str], ...]]:
    """Return, for each of `networks`, which deployments' boards joined it lately and with the key of which mark."""
    found: dict[int, dict[tuple[int, str], None]] = defaultdict(dict)
    if networks:
        joined = BootRun.objects.filter(
            joined_after_s__isnull=False, deployment__way="wifi", deployment__network_id__in=networks
        ).exclude(write=None)
        listed = joined.order_by("-pk").values_list("deployment__network_id", "deployment_id", "write__key_mark")
        for network, pk, mark in listed[:MOST_JOINED]:
            if mark:
                found[network or 0][pk, mark] = None
    return defaultdict(tuple, {network: tuple(pairs) for network, pairs in found.items()})


def load(pk: int) -> Loaded:
    """Return one deployment with its rows. Raises Deployment.DoesNotExist."""
    # Who asks for one asks for its X-ray too, nearly always: one statement less.
    return load_many([_rows().defer("image__outline").get(pk=pk)])[0]


def rows_to_load() -> QuerySet[Deployment]:
    """Return the deployments that are not removed, with what `load_many` needs of them."""
    return _rows().defer(*HEAVY)


def rows_to_list() -> QuerySet[Deployment]:
    """Return the deployments that are not removed, with what a list says of them and no more."""
    return Deployment.objects.filter(removed_at=None).select_related("site", *REMOVABLE).only(*LISTED)


def _rows() -> QuerySet[Deployment]:
    return Deployment.objects.filter(removed_at=None).select_related(*RELATED)


def host_names(site: Site, like: str) -> frozenset[str]:
    """Return, in small letters, every host name at `site` that begins as `like` does before its number."""
    stem = like[:56].rstrip("0123456789").rstrip("-")
    held = Deployment.objects.filter(removed_at=None, site=site, host_name__istartswith=stem)
    return frozenset(n.lower() for n in held.values_list("host_name", flat=True))


def first_network(site: Site) -> WifiNetwork | None:
    return site.wifi.filter(removed_at=None).order_by("wpa3_only", "band_ghz", "pk").first()
