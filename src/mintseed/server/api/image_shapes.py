"""What is shown of an image: its row in the library, its X-ray, what lies in it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import datetime

from mintseed.core.boards.model import Board
from mintseed.core.contained import same_file_twice
from mintseed.core.findings import Finding, Severity, verdict
from mintseed.core.image.boards import boards_to_tell
from mintseed.core.image.facts import Beside, PageFacts, SystemFacts
from mintseed.core.image.naming import file_of, name_inside
from mintseed.core.image.report import BoardOnImage, FileOnImage, VolumeFacts, XRay
from mintseed.core.image.web_servers import why_of
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.settings.guess import guess
from mintseed.core.settings.secrets_in import masked
from mintseed.core.units import binary_size, decimal_size
from mintseed.core.visible import visible
from mintseed.server.api.shapes import JobOut, job_out
from mintseed.server.api.wire import Wire
from mintseed.server.judged.lists import COUNTED_TO
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.models import BoardUnit, Image, Job
from mintseed.server.kept.stored_types import FINDING, INSIDE, outline_of_row, stored, xray_of
from mintseed.server.owned import descriptions
from mintseed.server.owned.users import Users, users_of


class ImageRowOut(Wire):
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


class FileOnImageOut(Wire):
    path: str
    title: str
    known: bool
    size_bytes: int
    text: str
    looks_like: str
    """what it is by what stands in it, empty where that cannot be told"""
    why: str


class BoardFitOut(Wire):
    """A board the image names, or one that is owned, and whether it starts there. `described`: whether more is known of it here."""

    name: str
    compatible: str
    owned: int
    described: bool
    finding: Finding


class PageSaidOut(Wire):
    """Something that listens on an image's system, and what speaks for and against its being the page."""

    port: int
    server: str
    file: str
    why: str
    likely: bool


class XRayOut(Wire):
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


class InsideOut(Wire):
    """One of several images in an archive. `image_id` is None where nobody asked for it yet."""

    path: str
    size_text: str
    image_id: int | None


class ImageOut(Wire):
    """`findings` of what cannot be read are why; `inside`: the images to choose from, where a file holds several; `used_by`: names of the
    first few deployments, and whether there are more."""

    image: ImageRowOut
    xray: XRayOut | None
    job: JobOut | None
    findings: list[Finding]
    inside: list[InsideOut]
    used_by: list[str]


MOST_PAGES = 12


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


def image_out(pk: int) -> ImageOut:
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


def images_inside(image: Image) -> list[tuple[str, int]]:
    """Return path and size in bytes of the images in `image`, where there are several and nobody said which."""
    offered: list[tuple[str, int]] = stored(INSIDE, (image.trouble or {}).get("inside"), [])
    return offered


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
    offered = images_inside(image)
    names = {name_inside(image.file_name, path): path for path, _ in offered}
    rows = dict(Image.there.filter(file_name__in=names).values_list("file_name", "pk")) if names else {}
    return [
        InsideOut(path=path, size_text=decimal_size(size), image_id=rows.get(name_inside(image.file_name, path)))
        for path, size in offered
    ]


def image_was(one: Loaded) -> ImageOut | None:
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
