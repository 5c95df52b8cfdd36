"""Images are read by the worker: when somebody asks, and by itself once a file that came is whole."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.db import transaction
from django.db.models import Exists, OuterRef, QuerySet

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.core.image.checksums import pasted
from mintseed.core.image.naming import file_of
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.jobs.tasks import read_image_task
from mintseed.server.judged.changes import changed
from mintseed.server.judged.job_state import is_active
from mintseed.server.kept.bells import ring
from mintseed.server.kept.models import Image, Job
from mintseed.server.kept.stored_types import xray_of
from mintseed.server.owned import descriptions
from mintseed.server.owned.library import in_step, keep_xray, sync_library
from mintseed.services import describe_image

RESTED = timedelta(seconds=5)
"""how long a file has not changed that is taken to be whole: one that is copied here changes all the time"""


def queue_reading(image: Image) -> None:
    """Have the worker X-ray `image`, unless it is at it already."""
    now = wiring.bench().clock.now()
    if any(is_active(j, now) for j in Job.objects.filter(image=image, state__in=("queued", "running"))):
        return
    with transaction.atomic():
        job = Job.objects.create(kind=Job.Kind.READ_IMAGE, image=image)
        # The library lies with this process's bench, so its worker reads it; writing has a queue of its own.
        read_image_task.using(queue_name=own_bench().read_queue).enqueue(job.pk)
        ring(own_bench().read_queue)
        changed("images")


def compare_with(image: Image, text: str) -> None:
    """Compare `image` with the checksum in `text`, and keep that beside its file, over no list that somebody put there. Raises InputError where none
    is in it, RefusedError where the image was not read."""
    library, file = wiring.bench().library, file_of(image.file_name)
    with transaction.atomic():
        # Alone: what another reading of it says meanwhile is not written over.
        row = Image.objects.select_for_update().get(pk=image.pk)
        xray = xray_of(row)
        if xray is None or row.read_at is None:
            raise RefusedError("it was not read yet", where=row.file_name, next_step="Have it read first.")
        library.keep_list(f"{file}.pasted.sha256", f"{pasted(text, file).sha256}  {file}\n")
        said = describe_image.execute(xray, list(descriptions.recipes().values()), library=library)
        if said is not None:
            keep_xray(row, said, row.read_at)
            changed("images")
    if said is None:
        queue_reading(image)


def read_what_came(now: datetime) -> int:
    """Look into the library folder, and have every file read that came and was never tried. Returns how many are to be read."""
    as_before = in_step()
    rows = sync_library()
    if not as_before:
        changed("images")
    # Images of the stand-in bench are read by the job that builds them.
    if Job.objects.filter(kind=Job.Kind.BUILD_IMAGES, state__in=(Job.State.QUEUED, Job.State.RUNNING)).exists():
        return 0
    fresh = _never_tried(rows).filter(modified_at__lt=now - RESTED)
    for image in fresh:
        queue_reading(image)
    return len(fresh)


def _never_tried(rows: QuerySet[Image]) -> QuerySet[Image]:
    """Return the rows that were neither read nor tried as their files are now: a reading that was stopped was stopped by somebody."""
    tried = Job.objects.filter(image=OuterRef("pk"), kind=Job.Kind.READ_IMAGE, created_at__gte=OuterRef("modified_at"))
    return rows.filter(~Exists(tried), xray="", trouble__isnull=True)
