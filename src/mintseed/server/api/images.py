"""The library: which image files there are, who uses them, what is in one of them, and the work on it."""

from __future__ import annotations

from typing import Annotated

from django.db import transaction
from django.db.models import Case, Q, Sum, When
from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from mintseed import wiring
from mintseed.core.errors import MissingError, RefusedError
from mintseed.core.findings import Finding
from mintseed.core.image.compare import Difference
from mintseed.core.image.compare import compare as differences
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.units import decimal_size
from mintseed.server.api.image_shapes import ImageOut, ImageRowOut, image_out, images_inside, row_out
from mintseed.server.api.shapes import JobOut, job_out
from mintseed.server.api.wire import Wire
from mintseed.server.done.copies import stop_jobs
from mintseed.server.done.jobs.tasks import queue_building
from mintseed.server.done.reading import compare_with, queue_reading
from mintseed.server.done.renaming import rename
from mintseed.server.judged.changes import changed
from mintseed.server.judged.job_state import is_active
from mintseed.server.judged.lists import count_up_to
from mintseed.server.kept.models import MOST_NAME_BYTES, Image, Job
from mintseed.server.kept.stored_types import xray_of
from mintseed.server.owned import demo_images, descriptions
from mintseed.server.owned.library import ORDER, image_inside, strangers, sync_library, unused_files
from mintseed.server.owned.users import users_of

router = Router(tags=["image"])


class LibraryOut(Wire):
    """A page of the library, and what lies in it under an image's name and is none. `next_page` is None at the end."""

    images: list[ImageRowOut]
    total: int
    size_text: str
    """room that the files take"""
    idle: int
    idle_text: str
    """files that nothing uses, which may go, and the room they take"""
    next_page: int | None
    findings: list[Finding]
    to_build: int
    to_build_of: str
    """what those are images of"""
    """made-up images of the stand-in bench that are not built yet"""
    building: JobOut | None


class InsideIn(Wire):
    path: Annotated[str, Field(min_length=1, max_length=MOST_NAME_BYTES)]


PAGE_IMAGES = 40
MOST_OTHERS = 20


@router.get("/images", response=LibraryOut)
def images(
    request: HttpRequest,
    page: Annotated[int, Field(ge=0, le=100_000)] = 0,
    search: Annotated[str, Field(max_length=80)] = "",
    idle: bool = False,
) -> LibraryOut:
    rows = sync_library()
    unused = unused_files()
    if idle:
        rows = rows.filter(pk__in=[i.pk for i in unused])
    if wanted := search.strip():
        named = [r.id for r in descriptions.recipes().values() if wanted.lower() in f"{r.name} {r.kind}".lower()]
        rows = rows.filter(Q(file_name__icontains=wanted) | Q(recipe__in=named))
    begins = page * PAGE_IMAGES
    shown = list(rows.defer(None).defer("xray")[begins : begins + PAGE_IMAGES + 1])
    users = users_of("image", [i.pk for i in shown[:PAGE_IMAGES]])
    return LibraryOut(
        images=[row_out(i, users[i.pk].words) for i in shown[:PAGE_IMAGES]],
        idle=len(unused),
        idle_text=decimal_size(sum(i.size_bytes for i in unused)),
        total=count_up_to(rows),
        size_text=decimal_size(_room_taken()),
        next_page=page + 1 if len(shown) > PAGE_IMAGES else None,
        findings=strangers(),
        to_build=len(to_build()),
        to_build_of=demo_images.made_of(wiring.config()),
        building=job_out(building()),
    )


def _room_taken() -> int:
    """Return the bytes of the library's files. An image inside one of them takes no room of its own."""
    files = Image.objects.filter(present=True).exclude(file_name__contains="/")
    return files.aggregate(all=Sum("size_bytes"))["all"] or 0


@router.post("/images/build", response=LibraryOut)
def build_more(request: HttpRequest) -> LibraryOut:
    """Have the worker build the made-up images that are not there yet."""
    if building() is None and to_build():
        queue_building()
    return images(request)


def to_build() -> list[str]:
    """Return the made-up images that are not built yet; nothing on a real bench."""
    return demo_images.missing(wiring.config())


def building() -> Job | None:
    """Return the job that builds images now, None while none does."""
    at_it = Job.objects.filter(kind=Job.Kind.BUILD_IMAGES, state__in=(Job.State.QUEUED, Job.State.RUNNING))
    job = at_it.order_by("-pk").first()
    return job if job is not None and is_active(job, wiring.bench().clock.now()) else None


@router.get("/images/{pk}", response=ImageOut)
def image(request: HttpRequest, pk: int) -> ImageOut:
    return image_out(pk)


@router.post("/images/{pk}/read", response=ImageOut)
def read_again(request: HttpRequest, pk: int) -> ImageOut:
    queue_reading(Image.objects.get(pk=pk))
    return image_out(pk)


@router.post("/images/{pk}/stop", response=ImageOut)
def stop_reading(request: HttpRequest, pk: int) -> ImageOut:
    stop_jobs(Job.objects.filter(image_id=pk, kind=Job.Kind.READ_IMAGE))
    return image_out(pk)


class RenameIn(Wire):
    name: Annotated[str, Field(min_length=1, max_length=MOST_NAME_BYTES)]


@router.post("/images/{pk}/rename", response=ImageOut)
def rename_file(request: HttpRequest, pk: int, payload: RenameIn) -> ImageOut:
    """Call an image's file otherwise; whatever uses it goes on using it."""
    rename(pk, payload.name)
    return image_out(pk)


class ComparedOut(Wire):
    """What is otherwise on an image than on `other`."""

    image_name: str
    other_name: str
    differences: list[Difference]


@router.get("/images/{pk}/others", response=list[ImageRowOut])
def others(request: HttpRequest, pk: int) -> list[ImageRowOut]:
    """Return the images that were read beside this one, those of its appliance first."""
    image = Image.objects.get(pk=pk)
    rows = (
        Image.there.exclude(pk=pk).exclude(xray="").order_by(Case(When(recipe=image.recipe, then=0), default=1), *ORDER)
    )
    return [row_out(one) for one in rows.defer("xray")[:MOST_OTHERS]]


@router.get("/images/{pk}/compare/{other}", response=ComparedOut)
def compared(request: HttpRequest, pk: int, other: int) -> ComparedOut:
    now, was = Image.objects.get(pk=pk), Image.objects.get(pk=other)
    read = [xray_of(one) for one in (was, now)]
    if read[0] is None or read[1] is None:
        raise RefusedError(
            "one of them was not read yet", where=(now if read[0] else was).file_name, next_step="Have it read first."
        )
    return ComparedOut(
        image_name=now.file_name, other_name=was.file_name, differences=list(differences(read[0], read[1]))
    )


class ChecksumIn(Wire):
    text: Annotated[str, Field(min_length=1, max_length=MAX_SETTINGS_FILE_BYTES)]


@router.post("/images/{pk}/checksum", response=ImageOut)
def compare(request: HttpRequest, pk: int, payload: ChecksumIn) -> ImageOut:
    """Compare an image with a checksum copied from its download page, which is kept beside it from then on."""
    compare_with(Image.there.get(pk=pk), payload.text)
    return image_out(pk)


@router.post("/images/{pk}/inside", response=ImageOut)
def read_inside(request: HttpRequest, pk: int, payload: InsideIn) -> ImageOut:
    """Have one of several images in an archive read as an image of its own."""
    archive = Image.there.get(pk=pk)
    offered = [path for path, _ in images_inside(archive)]
    if payload.path not in offered:
        raise MissingError(f"no image at {payload.path}", expected=", ".join(offered[:6]), where=archive.file_name, next_step="Read the file again.")  # fmt: skip
    row = image_inside(archive, payload.path)
    if not row.xray:
        queue_reading(row)
    with transaction.atomic():
        changed("images")
    return image_out(row.pk)
