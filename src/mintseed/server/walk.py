"""One deployment as the core sees it: rows become values, values become findings, marks and the next step."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from datetime import datetime, timedelta
from functools import cached_property, lru_cache

from pydantic import TypeAdapter

from mintseed import wiring
from mintseed.core.boards.model import Board
from mintseed.core.boards.model import Supply as SupplyFacts
from mintseed.core.boot.band import Band, band_for, judge_boot
from mintseed.core.boot.causes import BootEvidence, Cause, rank_causes
from mintseed.core.find.candidates import Candidate, judge_find
from mintseed.core.findings import Finding, Severity, verdict, worst_first
from mintseed.core.image.report import XRay
from mintseed.core.line import Line, draw_line
from mintseed.core.next_steps import (
    BootFacts,
    CardFacts,
    boot_state,
    card_state,
    find_state,
    image_state,
    keep_state,
    plan_state,
    settings_state,
    setup_state,
)
from mintseed.core.plan.fit import Plan, board_fit, check_plan
from mintseed.core.recipes.model import Recipe
from mintseed.core.settings.fill import FilledFile, fill_files, fingerprint
from mintseed.core.settings.values import SettingValues, check_values
from mintseed.core.setup.steps import StepResult, step_results
from mintseed.core.site.model import WifiNetwork as NetworkFacts
from mintseed.core.stations import Station
from mintseed.server.jobs.state import describe_trouble, is_active
from mintseed.server.models import Deployment, Image, Job, Site

XRAY = TypeAdapter(XRay)
CANDIDATES = TypeAdapter(tuple[Candidate, ...])
FINDING = TypeAdapter(Finding)


@lru_cache(maxsize=64)
def _xray(text: str) -> XRay:
    return XRAY.validate_json(text)


def xray_of(image: Image | None) -> XRay | None:
    """Return the stored X-ray of `image`, or None when it was not read yet."""
    return _xray(image.xray) if image is not None and image.xray else None


def load_walks(deployments: Iterable[Deployment] | None = None) -> list[Walk]:
    """Return a walk for each of `deployments` (default: all that are not removed), with a constant number of queries."""
    rows = list(
        Deployment.objects.filter(removed_at=None)
        .select_related("board_unit", "supply", "network", "image")
        .order_by("-created_at")
        if deployments is None
        else deployments
    )
    site, _ = Site.objects.get_or_create(pk=1)
    names: dict[str, set[int]] = defaultdict(set)
    for pk, host_name in Deployment.objects.filter(removed_at=None).values_list("pk", "host_name"):
        names[host_name.lower()].add(pk)
    jobs: dict[int, Job] = {}
    image_jobs: dict[int, Job] = {}
    ids, image_ids = [d.pk for d in rows], [d.image_id for d in rows if d.image_id]
    for job in Job.objects.filter(deployment_id__in=ids, kind=Job.Kind.WRITE_CARD).order_by("pk"):
        jobs[job.deployment_id or 0] = job
    for job in Job.objects.filter(image_id__in=image_ids, kind=Job.Kind.READ_IMAGE).order_by("pk"):
        image_jobs[job.image_id or 0] = job
    joined: dict[tuple[int, str], int] = defaultdict(int)
    for network_id, passphrase in Deployment.objects.filter(
        removed_at=None, joined_after_s__isnull=False, way="wifi"
    ).values_list("network_id", "passphrase"):
        joined[network_id, passphrase] += 1
    return [
        Walk(
            row,
            site,
            # Who came first keeps the name; only the later one is told to take another.
            frozenset(n for n, holders in names.items() if any(pk < row.pk for pk in holders)),
            jobs.get(row.pk),
            image_jobs.get(row.image_id or 0),
            joined[row.network_id or 0, row.passphrase],
        )
        for row in rows
    ]


def host_names() -> frozenset[str]:
    """Return every host name on the bench, in small letters."""
    return frozenset(n.lower() for n in Deployment.objects.filter(removed_at=None).values_list("host_name", flat=True))


def load_walk(pk: int) -> Walk:
    """Return the walk of one deployment. Raises Deployment.DoesNotExist."""
    row = Deployment.objects.select_related("board_unit", "supply", "network", "image").get(pk=pk, removed_at=None)
    return load_walks([row])[0]


class Walk:
    """A deployment with everything derived from it. Nothing here is stored; nothing here asks the database."""

    def __init__(
        self,
        row: Deployment,
        site: Site,
        names_taken: frozenset[str],
        job: Job | None,
        image_job: Job | None,
        joined_alike: int,
    ) -> None:
        self.row, self.site, self.names_taken = row, site, names_taken
        self.job, self.image_job, self._joined_alike = job, image_job, joined_alike
        self.now: datetime = wiring.bench().clock.now()

    @property
    def recipe(self) -> Recipe:
        return wiring.recipes()[self.row.recipe]

    @property
    def board(self) -> Board | None:
        return wiring.boards().get(self.row.board_unit.board) if self.row.board_unit else None

    @cached_property
    def xray(self) -> XRay | None:
        return xray_of(self.row.image)

    @property
    def supply(self) -> SupplyFacts | None:
        s = self.row.supply
        return (
            SupplyFacts(name=s.name, voltage_v=s.voltage_v, current_a=s.current_a, connector=s.connector) if s else None
        )

    @property
    def networks(self) -> tuple[str, ...]:
        return tuple(self.site.networks)

    # plan

    @cached_property
    def plan(self) -> Plan:
        n = self.row.network
        network = NetworkFacts(ssid=n.ssid, band_ghz=n.band_ghz, hidden=n.hidden) if n else None
        way = self.row.way if self.row.way in ("wifi", "cable") else None
        return Plan(self.recipe, self.board, self.supply, self.row.card_gb, way, network, self.xray)  # type: ignore[arg-type]

    @cached_property
    def plan_findings(self) -> tuple[Finding, ...]:
        return worst_first(check_plan(self.plan))

    @property
    def plan_complete(self) -> bool:
        row = self.row
        return bool(
            row.board_unit_id
            and row.way
            and row.card_gb
            and (row.way != "wifi" or row.network_id or not self._has_radio)
        )

    @property
    def _has_radio(self) -> bool:
        return bool(self.board and self.board.has_radio)

    # image

    @cached_property
    def image_findings(self) -> tuple[Finding, ...]:
        if self.xray is None:
            return ()
        fit = tuple(board_fit(self.board, self.xray)) if self.board else ()
        return worst_first((*self.xray.findings, *fit))

    # settings

    @cached_property
    def values(self) -> SettingValues:
        row, site, network = self.row, self.site, self.row.network
        return SettingValues(
            host_name=row.host_name,
            country=row.country or site.country,
            time_zone=row.time_zone or site.time_zone,
            keyboard=row.keyboard or site.keyboard,
            way=row.way,
            ssid=network.ssid if network else "",
            passphrase=row.passphrase or (network.passphrase if network else ""),
            hidden=bool(network and network.hidden),
            admin_name=row.admin_name,
            admin_hash=row.admin_hash,
        )

    @cached_property
    def value_findings(self) -> tuple[Finding, ...]:
        return check_values(
            self.values,
            default_host_name=self.recipe.host_name,
            names_taken=self.names_taken,
            site_keyboard=self.site.keyboard,
        )

    @cached_property
    def filled(self) -> tuple[FilledFile, ...]:
        """The filled files; empty before the image is read or while a value forbids filling."""
        if self.xray is None or verdict(self.value_findings) is Severity.STOP:
            return ()
        return fill_files(self.recipe, self.values, {f.path: f.content for f in self.xray.files})

    @cached_property
    def settings_findings(self) -> tuple[Finding, ...]:
        return worst_first((*self.value_findings, *(f for file in self.filled for f in file.findings)))

    @cached_property
    def fingerprint(self) -> str:
        return fingerprint(self.xray.sha256, self.filled) if self.xray and self.filled else ""

    # card

    @property
    def card_current(self) -> bool:
        return bool(self.row.card_fingerprint) and self.row.card_fingerprint == self.fingerprint

    @property
    def card_facts(self) -> CardFacts:
        writing = self.job is not None and is_active(self.job, self.now)
        trouble = "" if self.job is None or writing else describe_trouble(self.job, self.now)
        return CardFacts(writing, trouble, self.row.card_proven_at is not None, self.card_current)

    # boot

    @property
    def band(self) -> Band | None:
        return band_for(self.recipe, self.board) if self.board else None

    @property
    def elapsed_s(self) -> float:
        """Seconds of boot since power-on, at the bench's pace."""
        if self.row.powered_at is None:
            return 0.0
        return (self.now - self.row.powered_at).total_seconds() * wiring.bench().clock.boot_pace

    def at(self, boot_seconds: float) -> datetime | None:
        """Return the clock time at which this boot is `boot_seconds` old."""
        if self.row.powered_at is None:
            return None
        return self.row.powered_at + timedelta(seconds=boot_seconds / wiring.bench().clock.boot_pace)

    @cached_property
    def boot_finding(self) -> Finding | None:
        if self.row.powered_at is None or self.band is None:
            return None
        return judge_boot(self.band, self.elapsed_s, self.row.joined_after_s)

    @cached_property
    def causes(self) -> tuple[Cause, ...]:
        """Why it is late; empty while it is not."""
        if self.boot_finding is None or self.boot_finding.severity not in (Severity.CHECK, Severity.STOP):
            return ()
        row = self.row
        supply = next(
            (
                f.severity
                for f in self.plan_findings
                if f.code.startswith("plan.supply-") and f.code != "plan.supply-missing"
            ),
            None,
        )
        board = next(
            (
                f.severity is Severity.OK
                for f in self.image_findings
                if f.code in ("plan.board-fits", "plan.board-not-in-image")
            ),
            None,
        )
        proven_ago = (
            (row.powered_at - row.card_proven_at).total_seconds() if row.powered_at and row.card_proven_at else None
        )
        return rank_causes(
            BootEvidence(
                way=row.way,
                network=self.values.ssid,
                passphrase_is_sites=None
                if not row.network
                else not row.passphrase or row.passphrase == row.network.passphrase,
                joined_with_same_key=self._joined_alike,
                country_set=not any(f.code == "wifi.country-unknown" for f in self.value_findings),
                files_sound=verdict(f for file in self.filled for f in file.findings) in (Severity.OK, Severity.NOTE),
                board_in_image=board,
                board_name=self.board.name if self.board else "",
                supply_carries=None if supply is None else supply in (Severity.OK, Severity.NOTE),
                card_proven_ago_s=proven_ago,
            )
        )

    # find

    @cached_property
    def candidates(self) -> tuple[Candidate, ...]:
        return CANDIDATES.validate_json(self.row.candidates) if self.row.candidates else ()

    @cached_property
    def find_findings(self) -> tuple[Finding, ...]:
        return judge_find(self.candidates, self.row.host_name) if self.row.looked_at else ()

    @property
    def winner(self) -> Candidate | None:
        winners = [c for c in self.candidates if c.is_it]
        return winners[0] if len(winners) == 1 else None

    # setup

    @cached_property
    def setup_results(self) -> tuple[StepResult, ...]:
        found: Mapping[str, Finding] = {k: FINDING.validate_python(v) for k, v in self.row.setup_findings.items()}
        return step_results(self.recipe, found, frozenset(self.row.setup_ticked))

    # the line

    @cached_property
    def line(self) -> Line:
        row, winner = self.row, self.winner
        late_at = self.at(self.band.late_after_s) if self.band else None
        reading = self.image_job is not None and is_active(self.image_job, self.now)
        boot = BootFacts(
            row.powered_at is not None, self.elapsed_s, row.joined_after_s, f"{late_at:%H:%M:%S}" if late_at else ""
        )
        return draw_line(
            {
                Station.PLAN: plan_state(self.plan_findings, complete=self.plan_complete),
                Station.IMAGE: image_state(
                    self.image_findings, chosen=row.image_id is not None, read=self.xray is not None, reading=reading
                ),
                Station.SETTINGS: settings_state(
                    self.settings_findings, agreed=row.settings_agreed, files=len(self.filled)
                ),
                Station.CARD: card_state(self.card_facts),
                Station.BOOT: boot_state(boot, self.band),
                Station.FIND: find_state(
                    self.find_findings,
                    claimed=row.address,
                    seen_at=winner.address if winner else "",
                    page_answers=bool(winner and winner.page_answers),
                ),
                Station.SETUP: setup_state(self.setup_results),
                Station.KEEP: keep_state(kept=row.kept_at is not None),
            },
            in_service=row.kept_at is not None,
        )
