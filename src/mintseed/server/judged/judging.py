"""Station records: made when an input changed, read by every screen, closed when a device goes into service."""

from __future__ import annotations

import hashlib
import logging
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from pydantic import TypeAdapter

import mintseed.core
from mintseed import wiring
from mintseed.core.boot.band import not_looked_at
from mintseed.core.boot.run import RunFacts
from mintseed.core.contained import unreadable_deployment
from mintseed.core.errors import MintSeedError
from mintseed.core.findings import Finding, verdict
from mintseed.core.line import Line, Mark, StationMark
from mintseed.core.stations import ORDER, TITLES, Station
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.job_state import is_active, topic_of
from mintseed.server.judged.load import load, load_many, rows_to_load
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Closing, Deployment, Job, Judgement, StationRecord
from mintseed.server.kept.stored_types import FINDING, stored
from mintseed.server.owned import descriptions

log = logging.getLogger("mintseed.judging")

LINE = TypeAdapter(Line)


def rules_mark(*places: Path) -> str:
    """Return a hash of the code that lies in `places`, files or folders: what judges, to the letter."""
    digest = hashlib.blake2b(digest_size=16)
    for path in sorted(p for place in places for p in (place.rglob("*.py") if place.is_dir() else [place])):
        digest.update(path.name.encode() + b"\0" + path.read_bytes() + b"\0")
    return digest.hexdigest()


@dataclass(frozen=True)
class Judged:
    """A deployment and what was judged of it. `closed`: in service, shown as it was."""

    loaded: Loaded
    line: Line
    findings: dict[Station, tuple[Finding, ...]]
    closed: bool

    @property
    def closed_at(self) -> datetime | None:
        return self.loaded.closing.at if self.closed and self.loaded.closing else None

    def of(self, station: Station) -> list[Finding]:
        return list(self.findings.get(station, ()))


def judged(pk: int) -> Judged:
    """Return one deployment with its records, brought up to date. Raises Deployment.DoesNotExist."""
    return judge([load(pk)])[0]


def held(pk: int) -> Judged:
    """As `judged`, of one that nobody else changes or closes until this transaction ends: what is found of it then holds as it is kept."""
    Deployment.objects.select_for_update().get(pk=pk)
    return judged(pk)


def judge(loaded: Iterable[Loaded]) -> list[Judged]:
    """Return each of `loaded` with its records; those whose inputs changed since are judged anew and kept."""
    rows = list(loaded)
    ids = [one.row.pk for one in rows]
    records: dict[int, list[StationRecord]] = defaultdict(list)
    for record in StationRecord.objects.filter(deployment_id__in=ids, current=True):
        records[record.deployment_id].append(record)
    # What was never judged has none.
    return [_fresh(one, getattr(one.row, "judgement", None), records[one.row.pk]) for one in rows]


def _fresh(one: Loaded, known: Judgement | None, records: list[StationRecord]) -> Judged:
    closed = known is not None and known.closed
    mark = "" if closed else inputs_mark(one)
    holds = known is not None and (
        closed or (known.inputs == mark and (known.again_at is None or known.again_at > one.now))
    )
    if known is not None and holds and (line := stored(LINE, known.line, None)) is not None:
        found = {
            Station(r.station): tuple(f for f in (stored(FINDING, x, None) for x in r.findings) if f) for r in records
        }
        return Judged(one, line, found, known.closed)
    line, found, again_at = _judge(one)
    _keep(one.row, mark, line, found, again_at, one.now, closed=one.closing is not None)
    return Judged(one, line, found, one.closing is not None)


def _judge(one: Loaded) -> tuple[Line, dict[Station, tuple[Finding, ...]], datetime | None]:
    """Judge one deployment. What spoils it spoils it alone: the reason becomes its finding."""
    try:
        return one.walk.line, one.walk.findings, one.walk.again_at
    except Exception as error:
        if not isinstance(error, MintSeedError):
            log.exception("deployment %s could not be judged", one.row.pk)
        broken = unreadable_deployment(error)
    marks = tuple(StationMark(s, TITLES[s], Mark.STOP if s is Station.PLAN else Mark.TODO, "") for s in ORDER)
    line = Line(marks, Station.PLAN, broken.title, broken.fix, "See", True, False)
    return line, {Station.PLAN: (broken,)}, None


def _keep(
    row: Deployment,
    mark: str,
    line: Line,
    found: dict[Station, tuple[Finding, ...]],
    again_at: datetime | None,
    now: datetime,
    *,
    closed: bool,
) -> None:
    """Store the judgement, and a new record for each station where it changed."""
    judgement: dict[str, Any] = {
        "inputs": mark,
        "line": LINE.dump_python(line, mode="json"),
        "again_at": again_at,
        "closed": closed,
        "place": Judgement.Place.SERVICE if closed else Judgement.Place.OPEN,
        "needs_you": line.needs_you,
        "running": not closed and any(m.mark is Mark.RUNNING for m in line.marks),
    }
    with transaction.atomic():
        held, made = Judgement.objects.select_for_update().get_or_create(deployment=row, defaults=judgement)
        before = None if made else held.line
        if not made:
            if held.closed:
                return
            if held.place == Judgement.Place.GONE:
                del judgement["place"]  # taken off while it was judged: it stays off the lists until it is put back
            for name, value in judgement.items():
                setattr(held, name, value)
            held.at = now
            held.save()
        if before != held.line:
            changed(deployment_topic(row.pk))
        records = {r.station: r for r in StationRecord.objects.filter(deployment=row, current=True)}
        for drawn in line.marks:
            findings = found.get(drawn.station, ())
            fields: dict[str, Any] = {
                "mark": str(drawn.mark),
                "verdict": str(verdict(findings)),
                "note": drawn.note[:200],
                "findings": [FINDING.dump_python(f, mode="json") for f in findings],
            }
            last = records.get(str(drawn.station))
            if last is not None and all(getattr(last, k) == v for k, v in fields.items()):
                continue
            if last is not None:
                StationRecord.objects.filter(pk=last.pk).update(current=False)
            StationRecord.objects.create(deployment=row, station=str(drawn.station), inputs=mark, at=now, **fields)


def reopen(row: Deployment, now: datetime) -> None:
    """Let a closed record be judged again: a new write began a new story."""
    Closing.objects.filter(deployment=row, reopened_at=None).update(reopened_at=now)
    Judgement.objects.filter(deployment=row).update(closed=False, place=Judgement.Place.OPEN)


def job_moved(job: Job) -> None:
    """Have whatever rests on `job` judged again, and the open screens look: it began, ended or was called dead."""
    work = job.write or job.copy
    if work is not None:
        judge_soon(pk=work.deployment_id)
    elif job.image_id is not None:
        judge_soon(image=job.image_id)
    changed(topic_of(job))


def take_off(row: Deployment, *, back: bool = False) -> None:
    """Leave a deployment out of the lists, or put it `back` where it was."""
    for judgement in Judgement.objects.filter(deployment=row):
        there = Judgement.Place.SERVICE if judgement.closed else Judgement.Place.OPEN
        judgement.place = there if back else Judgement.Place.GONE
        judgement.save(update_fields=["place"])


MOST_AT_ONCE = 50
"""judgements made again in one turn; those that wait come in the next one."""


def judge_due(looked_for: Sequence[int] = ()) -> bool:
    """Judge anew what time, a look or a change elsewhere may have changed. Returns whether some still wait."""
    now = wiring.bench().clock.now()
    open_ones = Judgement.objects.filter(place=Judgement.Place.OPEN)
    due = list(
        open_ones.filter(again_at__lte=now).order_by("again_at").values_list("deployment_id", flat=True)[:MOST_AT_ONCE]
    )
    if due or looked_for:
        judge(load_many(rows_to_load().filter(pk__in={*looked_for, *due})))
    return len(due) == MOST_AT_ONCE


def judge_the_never_judged() -> None:
    """Judge what has no judgement, such as rows of an older version."""
    rows = list(rows_to_load().filter(judgement=None)[:MOST_AT_ONCE])
    if rows:
        judge(load_many(rows))


RULES = (Path(mintseed.core.__file__).parent, Path(__file__).parent)
"""where it stands how a deployment is judged, and from which of its rows"""
JUDGED_BY = rules_mark(*RULES)
"""Changes with the rules themselves, so that stored judgements are made again after an update that brought others."""


def inputs_mark(one: Loaded) -> str:
    """Return a keyed hash of everything `one` is judged from. Secrets go into it and cannot be got out."""
    row, write = one.row, one.write
    parts: list[object] = [JUDGED_BY, descriptions.known().mark]
    parts += [
        _values(row),
        _values(row.site),
        *(_values(r) for r in (row.network, row.board_unit, row.supply, row.cable, row.owned_card)),
    ]
    parts.append([(p.kind, p.part_id, p.part.name if p.part else "") for p in one.parts])
    image = row.image
    parts.append((image.pk, image.sha256, image.read_at, image.present) if image else None)
    parts.append(one.image_job is not None and is_active(one.image_job, one.now))
    parts.append((write.pk if write else None, one.write_facts))
    parts.append(_without_looks(one.run_facts, one.now))
    parts.append(((one.claim.pk, one.claim.by) if one.claim else None, one.closing.pk if one.closing else None))
    parts.append([r.pk for r in one.readings])
    parts.append((sorted(one.names_taken), one.joined))
    parts.append(
        (
            [_values(n) for n in one.also],
            sorted(one.addresses_taken.items()),
            sorted((one.network_seen or {}).items()),
            one.network_seen is None,
            sorted((one.names_heard or {}).items()),
            one.names_heard is None,
        )
    )
    return hashlib.blake2b(repr(parts).encode(), key=settings.SECRET_KEY.encode()[:64], digest_size=32).hexdigest()


def _without_looks(run: RunFacts | None, now: datetime) -> object:
    """Return all that a boot is judged from. Of when somebody looked for it last, which changes every few seconds, only whether that is long ago."""
    if run is None:
        return None
    unseen = run.joined_after_s is None and not_looked_at(run.last_look, now, run.late_at)
    return replace(run, looked_at=None, noted_at=None), run.looked_at is None, unseen


def _values(row: Any) -> list[object]:
    return [getattr(row, f.attname) for f in row._meta.concrete_fields if not f.generated] if row is not None else []
