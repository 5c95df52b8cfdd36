"""The rows that deployments are judged by: a constant number of statements, however many there are."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

from django.db import connection
from django.db.models import Manager, Max, Model, QuerySet

from mintseed import wiring
from mintseed.server.judged.loaded import REMOVABLE, Loaded, without_removed
from mintseed.server.judged.networks import (
    addresses_seen,
    addresses_taken,
    also_networks,
    keys_in_order,
    names_heard,
)
from mintseed.server.kept.models import (
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
from mintseed.server.owned import descriptions

RELATED = ("site", "board_unit", "supply", "cable", "owned_card", "network", "image", "judgement")
HEAVY = ("image__xray", "image__outline")
"""Columns fetched only when somebody looks into them: an X-ray is tens of kilobytes and needed only when one is judged anew."""
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
