"""Rows become the core's values: what a deployment is walked with. Loads and shapes; judges nothing."""

from __future__ import annotations

import hashlib
import hmac
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import Any, TypeVar

from django.conf import settings
from django.db.models import Count, Max, QuerySet
from pydantic import TypeAdapter

from mintseed import wiring
from mintseed.core.boards.model import Board
from mintseed.core.boards.model import Supply as SupplyFacts
from mintseed.core.errors import DescriptionError, MissingError
from mintseed.core.image.report import XRay
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.values import SettingValues
from mintseed.core.site.model import WifiNetwork as NetworkFacts
from mintseed.core.site.ranges import own_ranges
from mintseed.core.site.time_zones import time_zones
from mintseed.core.walk import RunFacts, Walk, WalkInputs, WriteFacts
from mintseed.server.jobs.state import describe_trouble, is_active
from mintseed.server.models import (
    BoardUnit,
    BootRun,
    Claim,
    Closing,
    Deployment,
    Job,
    Reading,
    Site,
    WifiNetwork,
    Write,
)
from mintseed.server.stored_types import CANDIDATES, CAUSES, FINDING, stored, xray_of


def key_mark(ssid: str, passphrase: str) -> str:
    """Return what tells one network key from another and gives neither away: a keyed hash."""
    text = f"{ssid}\0{passphrase}".encode()
    return hmac.new(settings.SECRET_KEY.encode(), text, hashlib.sha256).hexdigest() if passphrase else ""


@dataclass
class Loaded:
    """A deployment's rows, and the walk they make."""

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

    @property
    def site(self) -> Site:
        return self.row.site

    @property
    def networks(self) -> tuple[str, ...]:
        return site_ranges(self.site)

    @cached_property
    def recipe(self) -> Recipe:
        """The recipe; raises MissingError or DescriptionError when it cannot be had."""
        found = wiring.recipes().get(self.row.recipe)
        if found is not None:
            return found
        broken = wiring.recipe_files().broken.get(f"{self.row.recipe}.yaml")
        if broken is not None:
            raise DescriptionError(broken.found, where=broken.where, next_step="Mend the recipe, then start again.")
        raise MissingError(f"the recipe {self.row.recipe} is gone", next_step="Put it back into the recipes folder.")

    @cached_property
    def board(self) -> Board | None:
        return board_of(self.row.board_unit)

    @cached_property
    def xray(self) -> XRay | None:
        return xray_of(self.row.image)

    @cached_property
    def values(self) -> SettingValues:
        row, site, network = self.row, self.row.site, self.row.network
        recipe = wiring.recipes().get(row.recipe)
        defaults = {a.id: a.default for a in recipe.asks if a.default} if recipe else {}
        return SettingValues(
            host_name=row.host_name,
            country=row.country or site.country,
            time_zone=row.time_zone or site.time_zone,
            keyboard=row.keyboard or site.keyboard,
            way=row.way,
            ssid=network.ssid if network else "",
            passphrase=row.passphrase or (network.passphrase if network else ""),
            hidden=bool(network and network.hidden),
            wpa3_only=bool(network and network.wpa3_only),
            admin_name=row.admin_name,
            admin_hash=row.admin_hash,
            answers={**defaults, **{k: v for k, v in answers_of(row).items() if v}},
        )

    @property
    def key_mark(self) -> str:
        return key_mark(self.values.ssid, self.values.passphrase) if self.row.way == "wifi" else ""

    @cached_property
    def inputs(self) -> WalkInputs:
        row = self.row
        s, n = row.supply, row.network
        last = {r.step: r for r in self.readings}
        return WalkInputs(
            recipe=self.recipe,
            host_name=row.host_name,
            values=self.values,
            now=self.now,
            time_zone=zone_of(self.site),
            board=self.board,
            supply=SupplyFacts(name=s.name, voltage_v=s.voltage_v, current_a=s.current_a, connector=s.connector)
            if s
            else None,
            card_gb=row.card_gb,
            way=row.way if row.way in ("wifi", "cable") else None,  # type: ignore[arg-type]
            network=NetworkFacts(ssid=n.ssid, band_ghz=n.band_ghz, hidden=n.hidden) if n else None,
            site_keyboard=self.site.keyboard,
            names_taken=self.names_taken,
            image_chosen=row.image_id is not None,
            image_reading=self.image_job is not None and is_active(self.image_job, self.now),
            xray=self.xray,
            agreed=row.settings_agreed,
            write=self._write_facts(),
            run=self._run_facts(),
            claimed=self.claim.address if self.claim else "",
            measured={k: f for k, r in last.items() if r.finding and (f := stored(FINDING, r.finding, None))},
            ticked=frozenset(k for k, r in last.items() if r.finding is None and r.done),
            kept=self.closing is not None,
        )

    def _write_facts(self) -> WriteFacts:
        write, job = self.write, self.job
        if write is None:
            return WriteFacts()
        writing = job is not None and is_active(job, self.now)
        kept = str((write.trouble or {}).get("sentence", ""))  # what happened stays said when its job was let go
        ended = "" if write.outcome == Write.Outcome.PROVEN else describe_trouble(job, self.now) if job else kept
        trouble = "" if writing else ended
        return WriteFacts(writing, trouble, write.fingerprint, write.proven_at if write.holds else None, write.void_why)

    def _run_facts(self) -> RunFacts | None:
        run = self.run
        if run is None:
            return None
        on_card = run.write.key_mark if run.write else ""
        n = self.row.network
        sites = key_mark(n.ssid, n.passphrase) if n else ""
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
    config = wiring.config()
    standin = config.standin_lan if config.is_standin else ""
    return own_ranges(site.networks, shared=site.shared_range, standin=standin)


def zone_of(site: Site) -> str:
    """Return the site's time zone, UTC when it names none that exists."""
    return site.time_zone if site.time_zone in time_zones() else "UTC"


def board_of(unit: BoardUnit | None) -> Board | None:
    """Return the description of `unit`, None when there is none. Raises MissingError when its description is gone."""
    if unit is None:
        return None
    board = wiring.boards().get(unit.board)
    if board is None:
        raise MissingError(f"the description of board {unit.board} is gone",
                           next_step="Put it back into the boards folder, or choose another board.")  # fmt: skip
    return board


def answers_of(row: Deployment) -> dict[str, str]:
    """Return what was answered to the recipe's own questions."""
    return stored(TypeAdapter(dict[str, str]), row.answers, {}) if row.answers else {}


RELATED = ("site", "board_unit", "supply", "network", "image")
HEAVY = ("image__xray", "image__outline")
"""Columns fetched only when somebody looks into them: an X-ray is tens of kilobytes and needed only when one is judged anew."""

MOST_JOINED = 200
"""boards that joined a network whose keys are compared with a card's; the newest tell most."""


def load_many(deployments: Iterable[Deployment]) -> list[Loaded]:
    """Return each of `deployments` with its rows, in a constant number of queries; of what adds up, only the last rows."""
    rows = list(deployments)
    ids = [d.pk for d in rows]
    now = wiring.bench().clock.now()
    writes = by_deployment(last_of(Write, ids).select_related("bench", "card", "job").defer("marks", "phases"))
    runs = by_deployment(last_of(BootRun, ids).select_related("write", "bench", "board_unit").defer("write__marks"))
    numbers = dict(
        BootRun.objects.filter(deployment_id__in=ids).values_list("deployment_id").annotate(n=Count("pk")).order_by()
    )
    claims = by_deployment(last_of(Claim, ids, taken_back_at=None))
    closings = by_deployment(last_of(Closing, ids, reopened_at=None))
    readings: dict[int, list[Reading]] = defaultdict(list)
    last_readings = Reading.objects.filter(deployment_id__in=ids).values("deployment_id", "step").annotate(n=Max("pk"))
    for reading in Reading.objects.filter(pk__in=[r["n"] for r in last_readings.order_by()]).order_by("pk"):
        readings[reading.deployment_id].append(reading)
    image_jobs: dict[int, Job] = {}
    readings_of_images = Job.objects.filter(
        image_id__in={d.image_id for d in rows if d.image_id}, kind=Job.Kind.READ_IMAGE
    )
    last_jobs = readings_of_images.values("image_id").annotate(n=Max("pk")).order_by()
    for job in Job.objects.filter(pk__in=[j["n"] for j in last_jobs]):
        image_jobs[job.image_id or 0] = job
    first_with = first_by_name(rows)
    # A run speaks for the card it was booted with; the next write begins anew.
    belongs = {pk: run for pk, run in runs.items() if pk in writes and run.write_id == writes[pk].pk}
    joined = joined_keys(
        {d.network_id for d in rows if d.network_id and d.pk in belongs and belongs[d.pk].joined_after_s is None}
    )
    loaded = []
    for row in rows:
        write, run, claim = writes.get(row.pk), belongs.get(row.pk), claims.get(row.pk)
        since = write.begun_at if write else row.created_at
        loaded.append(
            Loaded(
                row,
                now,
                write,
                getattr(write, "job", None) if write else None,
                run,
                numbers.get(row.pk, 0),
                claim if claim and run and claim.boot_run_id == run.pk else None,
                closings.get(row.pk),
                [r for r in readings[row.pk] if r.at >= since],
                image_jobs.get(row.image_id or 0),
                # Who came first keeps the name; only the later one is told to take another. No other name bears on it.
                frozenset({row.host_name.lower()})
                if first_with.get((row.site_id, row.host_name.lower()), row.pk) < row.pk
                else frozenset(),
                joined[row.network_id or 0] if run and run.joined_after_s is None else (),
            )
        )
    return loaded


M = TypeVar("M", Write, BootRun, Claim, Closing)


def last_of(model: type[M], ids: Sequence[int], **that: Any) -> QuerySet[M]:
    """Return the last row of `model` of each deployment of `ids`, of those that are as `that` says."""
    rows = model._default_manager.filter(deployment_id__in=ids, **that)
    return rows.filter(pk__in=rows.values("deployment_id").annotate(last=Max("pk")).order_by().values("last"))


def by_deployment(rows: Iterable[M]) -> dict[int, M]:
    return {row.deployment_id: row for row in rows}


def first_by_name(rows: Sequence[Deployment]) -> dict[tuple[int, str], int]:
    """Return which deployment was first to hold each host name (in small letters) of `rows` at its site."""
    same = Deployment.objects.filter(
        removed_at=None, site_id__in={r.site_id for r in rows}, host_name__in={r.host_name for r in rows}
    )
    held = same.order_by("-pk").values_list("site_id", "host_name", "pk")
    return {(site, host_name.lower()): pk for site, host_name, pk in held}


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
    return load_many([rows_to_load().get(pk=pk)])[0]


def rows_to_load() -> QuerySet[Deployment]:
    """Return the deployments that are not removed, with what `load_many` needs of them."""
    return Deployment.objects.filter(removed_at=None).select_related(*RELATED).defer(*HEAVY)


def host_names(site: Site, like: str) -> frozenset[str]:
    """Return, in small letters, every host name at `site` that begins as `like` does before its number."""
    stem = like[:56].rstrip("0123456789").rstrip("-")
    held = Deployment.objects.filter(removed_at=None, site=site, host_name__istartswith=stem)
    return frozenset(n.lower() for n in held.values_list("host_name", flat=True))


def first_network(site: Site) -> WifiNetwork | None:
    return site.wifi.order_by("band_ghz", "pk").first()
