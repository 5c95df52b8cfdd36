"""Image: the library, one image's X-ray, and which image a deployment uses."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import datetime
from typing import Annotated

from django.db import transaction
from django.db.models import Case, Q, Sum, When
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from mintseed import wiring
from mintseed.core.boards.model import Board
from mintseed.core.contained import same_file_twice
from mintseed.core.errors import MissingError, RefusedError
from mintseed.core.findings import Finding, Severity, verdict
from mintseed.core.image.boards import boards_to_tell
from mintseed.core.image.compare import Difference
from mintseed.core.image.compare import compare as differences
from mintseed.core.image.facts import Beside, PageFacts, SystemFacts
from mintseed.core.image.naming import file_of, name_inside
from mintseed.core.image.report import BoardOnImage, FileOnImage, VolumeFacts, XRay
from mintseed.core.image.web_servers import why_of
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.plan.starts import image_fit
from mintseed.core.settings.guess import guess
from mintseed.core.settings.secrets_in import masked
from mintseed.core.stations import Station
from mintseed.core.units import binary_size, decimal_size
from mintseed.core.visible import visible
from mintseed.server.api.shapes import DeploymentOut, JobOut, deployment_out, job_out
from mintseed.server.done.copies import stop_jobs
from mintseed.server.done.jobs.tasks import queue_building
from mintseed.server.done.reading import compare_with, queue_reading
from mintseed.server.done.renaming import rename
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.job_state import is_active
from mintseed.server.judged.judging import Judged, judged
from mintseed.server.judged.lists import COUNTED_TO, count_up_to
from mintseed.server.judged.load import Loaded
from mintseed.server.kept.models import MOST_NAME_BYTES, BoardUnit, Deployment, Image, Job
from mintseed.server.kept.stored_types import FINDING, INSIDE, outline_of_row, stored, xray_of
from mintseed.server.owned import demo_images, descriptions
from mintseed.server.owned.library import ORDER, image_inside, strangers, sync_library, unused_files
from mintseed.server.owned.users import Users, users_of
from mintseed.services import change_choice

router = Router(tags=["image"])


class ImageRowOut(Schema):
    """An image of the library in one line."""

    id: int
    file_name: str
    size_text: str
    recipe_id: str
    appliance: str
    release: str
    build: str
    verdict: str
    read_at: datetime | None
    trouble: str
    summary: str
    used_by: list[str]
    """in the library's list: names of the first few deployments, and whether there are more"""


class LibraryOut(Schema):
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


class FileOnImageOut(Schema):
    path: str
    title: str
    known: bool
    size_bytes: int
    text: str
    looks_like: str
    """what it is by what stands in it, empty where that cannot be told"""
    why: str


class BoardFitOut(Schema):
    """A board the image names, or one that is owned, and whether it starts there. `described`: whether more is known of it here."""

    name: str
    compatible: str
    owned: int
    described: bool
    finding: Finding


class PageSaidOut(Schema):
    """Something that listens on an image's system, and what speaks for and against its being the page."""

    port: int
    server: str
    file: str
    why: str
    likely: bool


class XRayOut(Schema):
    packing: str
    inside: str
    """its path in the archive, empty where it lies in none"""
    beside: list[Beside]
    packed_text: str
    unpacked_text: str
    unpacked_bytes: int
    sha256: str
    scheme: str
    bits: str
    volumes: list[VolumeFacts]
    boards: list[BoardOnImage]
    fits: list[BoardFitOut]
    files: list[FileOnImageOut]
    page: PageFacts
    page_url: str
    pages: list[PageSaidOut]
    """what listens on it, the likeliest page first"""
    system: SystemFacts


class InsideOut(Schema):
    """One of several images in an archive. `image_id` is None where nobody asked for it yet."""

    path: str
    size_text: str
    image_id: int | None


class ImageOut(Schema):
    """`findings` of what cannot be read are why; `inside`: the images to choose from, where a file holds several; `used_by`: names of the
    first few deployments, and whether there are more."""

    image: ImageRowOut
    xray: XRayOut | None
    job: JobOut | None
    findings: list[Finding]
    inside: list[InsideOut]
    used_by: list[str]


class InsideIn(Schema):
    path: Annotated[str, Field(min_length=1, max_length=MOST_NAME_BYTES)]


class ImageChoiceOut(Schema):
    """A row of the library as a choice for one deployment."""

    image: ImageRowOut
    chosen: bool
    suggested: bool
    fit: Finding | None


class StationImageOut(Schema):
    deployment: DeploymentOut
    choices: list[ImageChoiceOut]
    chosen: ImageOut | None
    board_name: str
    wanted: bool
    """whether an image is chosen at all: one that comes over the network is not"""
    to_build: bool
    """whether made-up images of this appliance are not built yet"""
    building: JobOut | None
    findings: list[Finding]


class ChooseImageIn(Schema):
    image_id: int


PAGE_IMAGES = 40
MOST_PAGES = 12
MOST_CHOICES = 20


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
    return _image_out(pk)


@router.post("/images/{pk}/read", response=ImageOut)
def read_again(request: HttpRequest, pk: int) -> ImageOut:
    queue_reading(Image.objects.get(pk=pk))
    return _image_out(pk)


@router.post("/images/{pk}/stop", response=ImageOut)
def stop_reading(request: HttpRequest, pk: int) -> ImageOut:
    stop_jobs(Job.objects.filter(image_id=pk, kind=Job.Kind.READ_IMAGE))
    return _image_out(pk)


class RenameIn(Schema):
    name: Annotated[str, Field(min_length=1, max_length=MOST_NAME_BYTES)]


@router.post("/images/{pk}/rename", response=ImageOut)
def rename_file(request: HttpRequest, pk: int, payload: RenameIn) -> ImageOut:
    """Call an image's file otherwise; whatever uses it goes on using it."""
    rename(pk, payload.name)
    return _image_out(pk)


class ComparedOut(Schema):
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
    return [row_out(one) for one in rows.defer("xray")[:MOST_CHOICES]]


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


class ChecksumIn(Schema):
    text: Annotated[str, Field(min_length=1, max_length=MAX_SETTINGS_FILE_BYTES)]


@router.post("/images/{pk}/checksum", response=ImageOut)
def compare(request: HttpRequest, pk: int, payload: ChecksumIn) -> ImageOut:
    """Compare an image with a checksum copied from its download page, which is kept beside it from then on."""
    compare_with(Image.there.get(pk=pk), payload.text)
    return _image_out(pk)


@router.post("/images/{pk}/inside", response=ImageOut)
def read_inside(request: HttpRequest, pk: int, payload: InsideIn) -> ImageOut:
    """Have one of several images in an archive read as an image of its own."""
    archive = Image.there.get(pk=pk)
    offered = [path for path, _ in _inside(archive)]
    if payload.path not in offered:
        raise MissingError(f"no image at {payload.path}", expected=", ".join(offered[:6]), where=archive.file_name, next_step="Read the file again.")  # fmt: skip
    row = image_inside(archive, payload.path)
    if not row.xray:
        queue_reading(row)
    with transaction.atomic():
        changed("images")
    return _image_out(row.pk)


def _inside(image: Image) -> list[tuple[str, int]]:
    """Return path and size in bytes of the images in `image`, where there are several and nobody said which."""
    offered: list[tuple[str, int]] = stored(INSIDE, (image.trouble or {}).get("inside"), [])
    return offered


@router.get("/deployments/{pk}/image", response=StationImageOut)
def station(request: HttpRequest, pk: int) -> StationImageOut:
    sync_library()  # a file that left meanwhile is not there any more
    return _station_out(judged(pk))


@router.put("/deployments/{pk}/image", response=StationImageOut)
def choose(request: HttpRequest, pk: int, payload: ChooseImageIn) -> StationImageOut:
    chosen = Image.there.get(pk=payload.image_id)
    view = judged(pk)
    change_choice.check(view.loaded.walk, closed=view.closed)
    with transaction.atomic():
        Deployment.objects.filter(pk=pk).update(image=chosen)
        changed(deployment_topic(pk))
    if not chosen.xray:
        queue_reading(chosen)
    return _station_out(judged(pk))


def words_of(kernels: tuple[int, ...]) -> str:
    """Return the word sizes as people say them: `64`, `32 and 64`, `?`."""
    return " and ".join(str(k) for k in kernels) or "?"


def row_out(image: Image, used_by: Sequence[str] = ()) -> ImageRowOut:
    outline = outline_of_row(image)
    recipe = descriptions.recipes().get(image.recipe)
    why = next(iter(_why_not(image)), None)
    summary = ""
    if outline:
        boards = len(outline.boards)
        summary = f"{words_of(outline.kernels)}-bit, {boards} board{'s' * (boards != 1)}, {decimal_size(outline.unpacked_bytes)}"
    return ImageRowOut(
        id=image.pk,
        file_name=image.file_name,
        size_text=decimal_size(image.size_bytes),
        recipe_id=image.recipe,
        appliance=recipe.name if recipe else "",
        release=image.release,
        build=image.build,
        verdict=(image.verdict if outline else "")
        or (str(why.severity if why else Severity.STOP) if image.trouble else ""),
        read_at=image.read_at,
        trouble=f"{why.title}." if why else str((image.trouble or {}).get("sentence", "")),
        summary=summary,
        used_by=list(used_by),
    )


def _image_out(pk: int) -> ImageOut:
    # The job before the image: a reading that is over has left its X-ray; the other way round it could be missed.
    job = Job.objects.filter(image_id=pk, kind=Job.Kind.READ_IMAGE).order_by("-pk").first()
    image = Image.objects.get(pk=pk)
    xray = xray_of(image)
    return ImageOut(
        image=row_out(image),
        xray=_xray_out(xray) if xray else None,
        job=job_out(job),
        findings=[*(xray.findings if xray else _why_not(image)), *_twice(image)],
        inside=_inside_out(image),
        used_by=users_of("image", [pk]).get(pk, Users()).words,
    )


def _twice(image: Image) -> list[Finding]:
    """Return the finding about another file of the library that is the same as this one's."""
    if not image.sha256 or not image.present:
        return []
    file = file_of(image.file_name)
    names = (
        Image.there.filter(present=True, sha256=image.sha256).exclude(pk=image.pk).values_list("file_name", flat=True)
    )
    other = next((one for one in sorted({file_of(name) for name in names}) if one != file), None)
    return [same_file_twice(other)] if other else []


def _why_not(image: Image) -> list[Finding]:
    """Return why `image` cannot be read, where that is a finding."""
    why = stored(FINDING, (image.trouble or {}).get("finding"), None)
    return [why] if why is not None else []


def _inside_out(image: Image) -> list[InsideOut]:
    offered = _inside(image)
    names = {name_inside(image.file_name, path): path for path, _ in offered}
    rows = dict(Image.there.filter(file_name__in=names).values_list("file_name", "pk")) if names else {}
    return [
        InsideOut(path=path, size_text=decimal_size(size), image_id=rows.get(name_inside(image.file_name, path)))
        for path, size in offered
    ]


def _image_was(one: Loaded) -> ImageOut | None:
    """Return the image of a device in service as it was read then, whatever became of its file."""
    xray = one.xray
    if xray is None:
        return None
    row = ImageRowOut(
        id=one.row.image_id or 0, file_name=xray.file_name, size_text=decimal_size(xray.packed_bytes), recipe_id=xray.recipe_id,
        appliance=one.names.appliance, release=xray.release, build=xray.build, verdict=str(verdict(xray.findings)), read_at=None, trouble="",
        summary="", used_by=[],
    )  # fmt: skip
    return ImageOut(
        image=row,
        xray=_xray_out(xray, one.board),
        job=None,
        findings=list(xray.findings),
        inside=[],
        used_by=[],
    )


def _file_out(file: FileOnImage) -> FileOnImageOut:
    looks = guess(file.path, file.content)
    text = visible(
        masked(file.path, file.content[:MAX_SETTINGS_FILE_BYTES].decode("utf-8", "replace").replace("\r\n", "\n"))
    )
    return FileOnImageOut(
        path=file.path, title=file.title or f"text, {binary_size(file.size_bytes)}", known=file.known, size_bytes=file.size_bytes,
        text=text, looks_like=looks.kind, why=looks.why,
    )  # fmt: skip


def _xray_out(xray: XRay, board: Board | None = None) -> XRayOut:
    """`board`: the one it is shown with, of a device in service; else all that are owned are told of."""
    recipe = descriptions.recipes().get(xray.recipe_id)
    known = {board.id: board} if board else descriptions.boards()
    owned = (
        Counter(BoardUnit.there.order_by("pk").values_list("board", flat=True)[:COUNTED_TO])
        if board is None
        else {board.id: 1}
    )
    return XRayOut(
        packing=xray.packing,
        inside=xray.inside,
        beside=list(xray.beside),
        packed_text=decimal_size(xray.packed_bytes),
        unpacked_text=decimal_size(xray.unpacked_bytes),
        unpacked_bytes=xray.unpacked_bytes,
        sha256=xray.sha256,
        scheme=xray.scheme,
        bits=words_of(xray.kernels) if xray.kernels else "",
        volumes=list(xray.volumes),
        boards=list(xray.boards),
        fits=[
            BoardFitOut(name=b.name, compatible=b.compatible, owned=b.owned, described=b.described, finding=b.finding)
            for b in boards_to_tell(xray, known, owned)
        ],
        files=[_file_out(f) for f in xray.files],
        page=xray.page,
        system=xray.system,
        pages=[
            PageSaidOut(
                port=one.port,
                server=one.server,
                file=one.file,
                why=why_of(one),
                likely=one.port == xray.page.listen_port and one.file == xray.page.listen_file,
            )
            for one in xray.page.listeners[:MOST_PAGES]
        ],
        page_url=xray.page.url() or (f"http://{recipe.host_name}.local:{recipe.page.port}/" if recipe else ""),
    )


def _station_out(view: Judged) -> StationImageOut:
    one = view.loaded
    # Those of this appliance first, then what is not read yet; the chosen one whatever it is.
    fitting = (
        sync_library()
        .filter(Q(recipe=one.row.recipe) | Q(outline=""))
        .order_by(Case(When(recipe=one.row.recipe, then=0), default=1), *ORDER)
    )
    rows = list(fitting.defer(None).defer("xray")[:MOST_CHOICES])
    if one.row.image is not None and one.row.image_id not in {i.pk for i in rows}:
        rows.append(one.row.image)
    choices = [_choice(one, i) for i in rows]
    best = next((c.image.id for c in choices if c.fit is not None and c.fit.severity is Severity.OK), None)
    for choice in choices:
        choice.suggested = choice.image.id == best
    return StationImageOut(
        deployment=deployment_out(view),
        choices=choices,
        chosen=_image_was(one) if one.frozen else _image_out(one.row.image.pk) if one.row.image else None,
        board_name=one.board.name if one.board else "",
        wanted=one.walk.writes_card,
        to_build=demo_images.waits(one.row.recipe, wiring.config()),
        building=job_out(building()),
        findings=view.of(Station.IMAGE),
    )


def _choice(one: Loaded, image: Image) -> ImageChoiceOut:
    outline = outline_of_row(image)
    fit = next(iter(image_fit(one.recipe, one.board, outline)), None) if one.board and outline else None
    return ImageChoiceOut(
        image=row_out(image),
        chosen=one.row.image is not None and image.pk == one.row.image.pk,
        suggested=False,
        fit=fit,
    )
