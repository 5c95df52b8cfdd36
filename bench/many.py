"""A place with very many devices: rows as the application itself would have left them, judged by its own rules."""

from __future__ import annotations

import os
import random
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from mintseed import wiring
from mintseed.core.keep.label import make_label
from mintseed.server.api.keep import LABEL
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.judged.judging import judge
from mintseed.server.judged.load import load_many, rows_to_load
from mintseed.server.kept.models import (
    Bench,
    BoardUnit,
    BootRun,
    Card,
    Claim,
    Closing,
    Deployment,
    Image,
    Job,
    LogEntry,
    Reading,
    Site,
    Supply,
    Write,
)
from mintseed.server.owned.library import sync_library

IN_SERVICE = 0.9
ATTEMPTS = 2
"""writes and boots of each device, the last of which went well."""


def fill(deployments: int, *, log_lines: int, images: int, seed: int = 4870) -> list[int]:
    """Add so many deployments, log lines and images to the demo's place. Returns the deployments' keys, oldest first."""
    dice, bench = random.Random(seed), own_bench()
    site, image = bench.site, Image.objects.exclude(xray="").filter(recipe="platen").order_by("pk").first()
    assert image is not None
    _images(image, images)
    units = _units(site, deployments)
    begun = timezone.now() - timedelta(days=400)
    network, supply = site.wifi.order_by("pk").first(), Supply.objects.filter(site=site).order_by("pk")[1]
    first = (Deployment.objects.order_by("-pk").values_list("pk", flat=True).first() or 0) + 1
    Deployment.objects.bulk_create(
        Deployment(
            name=f"Press {first + n}", recipe="platen", site=site, created_at=begun + timedelta(hours=8 * n), board_unit=units[n],
            supply=supply, card_gb=32, way="wifi", network=network, image=image, host_name=f"press-{first + n}",
            settings_agreed=dice.random() < 0.95,
        )
        for n in range(deployments)
    )  # fmt: skip
    rows = list(Deployment.objects.filter(pk__gte=first).order_by("pk"))
    for row in rows:
        if dice.random() < IN_SERVICE:
            _served(row, bench, image)
    LogEntry.objects.bulk_create(
        LogEntry(
            at=begun + timedelta(minutes=9 * n), deployment=(row := dice.choice(rows)), deployment_name=row.name,
            station="boot", event="boot.powered-on", text="Powered on",
        )
        for n in range(log_lines)
    )  # fmt: skip
    keys = [row.pk for row in rows]
    for begins in range(0, len(keys), 100):
        judge(load_many(rows_to_load().filter(pk__in=keys[begins : begins + 100])))
    return keys


def _images(like: Image, count: int) -> None:
    """Add rows of images that were read, each with a file of its own in the library: without one a row is on no page."""
    library = wiring.config().library
    real = (library / like.file_name).stat()
    for n in range(count):
        file = library / f"platen-0.{n}-64.img.xz"
        with file.open("wb") as sparse:
            sparse.truncate(real.st_size)
        os.utime(file, ns=(real.st_atime_ns, real.st_mtime_ns))
    Image.objects.bulk_create(
        Image(
            file_name=f"platen-0.{n}-64.img.xz", size_bytes=like.size_bytes, modified_at=like.modified_at, sha256=like.sha256,
            recipe="platen", release=f"0.{n}", build="64-bit", xray=like.xray, outline=like.outline, verdict=like.verdict,
            read_at=like.read_at,
        )
        for n in range(count)
    )  # fmt: skip
    if sync_library().exclude(xray="").count() < count:
        raise RuntimeError("the library does not hold the images that were added")


def _units(site: Site, count: int) -> list[BoardUnit]:
    have = BoardUnit.objects.count()
    BoardUnit.objects.bulk_create(
        BoardUnit(site=site, name=f"Board {have + n}", board="larkspur-r") for n in range(count)
    )
    return list(BoardUnit.objects.order_by("-pk")[:count][::-1])


def _served(row: Deployment, bench: Bench, image: Image) -> None:
    """One device's whole story, as its rows."""
    card = Card.objects.create(size_bytes=32_010_928_128)
    at, last = row.created_at, None
    for attempt in range(ATTEMPTS):
        at += timedelta(hours=1)
        last = Write.objects.create(
            deployment=row, card=card, bench=bench, drive_path="/dev/pdb", drive_serial="QH-C32-07", image_name=image.file_name,
            fingerprint=f"{row.pk:064x}", key_mark="0" * 64, outcome="proven" if attempt else "failed", begun_at=at,
            ended_at=at, proven_at=at if attempt else None, digest="0" * 64,
        )  # fmt: skip
        Job.objects.create(kind=Job.Kind.WRITE_CARD, state=Job.State.DONE, write=last, created_at=at, finished_at=at)
        run = BootRun.objects.create(
            deployment=row, write=last, board_unit=row.board_unit, bench=bench, powered_at=at, noted_at=at, off_at=at,
            lasted_s=120.0, joined_after_s=50.0 if attempt else None, joined_address=_address(row.pk), candidates="[]",
        )  # fmt: skip
    Claim.objects.create(deployment=row, boot_run=run, address=_address(row.pk), at=at)
    Reading.objects.bulk_create(
        Reading(deployment=row, boot_run=run, step=step, done=True, at=at) for step in ("page", "password", "printer")
    )
    label = make_label(
        name=row.name, host_name=row.host_name, address=_address(row.pk), url=f"http://{_address(row.pk)}:5310/",
        made_of=image.file_name, made_on=at.date(),
    )  # fmt: skip
    Closing.objects.create(deployment=row, label=LABEL.dump_python(label, mode="json"), at=at)


def _address(number: int) -> str:
    return f"10.{number >> 16 & 255}.{number >> 8 & 255}.{number & 255}"


@dataclass
class Asked:
    """What a request asked of the database: statements, and rows MariaDB looked at to answer them."""

    queries: int = 0
    rows_read: int = 0


@contextmanager
def counting() -> Iterator[Asked]:
    """Count what is asked inside the context, by MariaDB's own counters of rows read (Handler_read_*)."""
    asked, before = Asked(), _rows_read()
    with CaptureQueriesContext(connection) as queries:
        yield asked
    asked.queries = len(queries)
    asked.rows_read = _rows_read() - before


def _rows_read() -> int:
    with connection.cursor() as cursor:
        cursor.execute("SHOW SESSION STATUS LIKE 'Handler_read%'")
        return sum(int(value) for _, value in cursor.fetchall())


SCREENS = (
    "/place", "/bench", "/deployments?place=service", "/deployments?search=press", "/images", "/sites", "/sites/{site}",
    "/sites/{site}/shelf", "/sites/{site}/matrix", "/log", "/keeping", "/recipes", "/deployments/{pk}", "/log?deployment={pk}",
    *(f"/deployments/{{pk}}/{station}" for station in ("plan", "image", "settings", "card", "boot", "find", "setup", "keep")),
)  # fmt: skip
"""What the screens ask for."""
