"""Keep the table of images in step with the files in the library folder."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import asdict, replace
from datetime import date, datetime
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import Case, F, QuerySet, When

from mintseed import wiring
from mintseed.core.contained import stranger_in_library
from mintseed.core.errors import InputError
from mintseed.core.findings import Finding, verdict
from mintseed.core.image.naming import file_of, name_inside
from mintseed.core.image.report import XRay
from mintseed.core.recipes.identity import identity_of
from mintseed.ports.images import LibraryFile
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import MOST_NAME_BYTES, Deployment, Image
from mintseed.server.kept.stored_types import XRAY, xray_text
from mintseed.server.owned import descriptions

UNREAD: dict[str, Any] = {"xray": "", "outline": "", "verdict": "", "sha256": "", "read_at": None}
"""What an image has that was not read, or not as it is now."""

ORDER = (
    Case(When(recipe="", then=1), default=0),
    "recipe",
    F("released_on").desc(nulls_last=True),
    F("build").desc(),
    "file_name",
)
"""Newest release first, of one appliance after the other; what no recipe knows last."""

_in_step_with: frozenset[LibraryFile] | None = None


def sync_library() -> QuerySet[Image]:
    """Bring the table in step with the folder and return the rows of what lies there, newest release first, X-rays left
    aside. A file that changed is to be read again; rows whose file went stay in the table and are not returned."""
    global _in_step_with
    files = frozenset(wiring.bench().library.files())
    here = Image.objects.filter(present=True).defer("xray", "outline")
    # Most of the time nothing changed since this process last looked; the count tells of a fresh table.
    if files != _in_step_with or here.exclude(file_name__contains="/").count() != len(files):
        _sync(files)
        _in_step_with = files
    return there()


def there() -> QuerySet[Image]:
    """Return the rows of what lay in the folder when the table was brought in step last, as `sync_library` does."""
    return Image.objects.filter(present=True, removed_at=None).defer("xray", "outline").order_by(*ORDER)


def unused_files() -> list[Image]:
    """Return the rows of the library's files that no deployment uses, nor an image in them; one that was taken off may be put back."""
    here = Image.objects.filter(present=True, removed_at=None)
    # From its index alone, one entry an image: a place with many devices is not read for it.
    wanted = set(Deployment.objects.order_by().values_list("image_id", flat=True).distinct())
    used = {file_of(name) for name in Image.objects.filter(pk__in=wanted - {None}).values_list("file_name", flat=True)}
    files = here.exclude(file_name__contains="/").only("pk", "file_name", "size_bytes")
    return [one for one in files if one.file_name not in used]


def in_step() -> bool:
    """Return whether the folder is as this process last saw it."""
    return frozenset(wiring.bench().library.files()) == _in_step_with


def _sync(files: frozenset[LibraryFile]) -> None:
    known: dict[str, list[Image]] = defaultdict(list)
    for one in Image.objects.defer("xray", "outline"):
        known[file_of(one.file_name)].append(one)
    for file in files:
        for row in _rows_of(file, known[file.name]):
            _in_step(row, file)
    there = {f.name for f in files}
    gone = [row.pk for name, rows in known.items() if name not in there for row in rows]
    if Image.objects.filter(pk__in=gone, present=True).update(present=False):
        judge_soon(image__in=gone)


def _in_step(row: Image, file: LibraryFile) -> None:
    """Have `row` say that its file is there, and forget what was read of it where that changed."""
    values: dict[str, Any] = {} if row.present else {"present": True}
    if (row.size_bytes, row.modified_at) != (file.size_bytes, file.modified_at):
        values |= {"size_bytes": file.size_bytes, "modified_at": file.modified_at, "trouble": None, **UNREAD}
    if row.released_on != (day := release_day(row.recipe, row.release)):
        values["released_on"] = day
    if values:
        Image.objects.filter(pk=row.pk).update(**values)
        judge_soon(image=row.pk)


def _rows_of(file: LibraryFile, known: list[Image]) -> list[Image]:
    """Return the row of a file, made where there is none, and those of the images in it that were asked for."""
    return known if any(row.file_name == file.name for row in known) else [*known, _added(file.name, file)]


def image_inside(archive: Image, path: str) -> Image:
    """Return the row of the image at `path` in `archive`, made or put back. Raises InputError where both names together are too long to be kept."""
    file = LibraryFile(file_of(archive.file_name), archive.size_bytes, archive.modified_at)
    name = name_inside(file.name, path)
    if len(name.encode()) > MOST_NAME_BYTES:
        raise InputError("its name and its archive's are too long together", expected=f"at most {MOST_NAME_BYTES} bytes", where=path,
                         next_step="Give the archive a shorter name, or take the image out of it.")  # fmt: skip
    row = _added(name, file)
    if row.removed_at is not None:
        Image.objects.filter(pk=row.pk).update(removed_at=None)
    return row


def outline_of(xray: XRay) -> XRay:
    """Return what lists need of an X-ray: which boards it starts on, and how large it is."""
    return replace(xray, files=(), findings=(), beside=())


def keep_xray(image: Image, xray: XRay, now: datetime) -> None:
    """Store what an image's X-ray said, and in short columns what lists show of it."""
    image.sha256, image.recipe, image.release, image.build = xray.sha256, xray.recipe_id, xray.release, xray.build
    image.released_on = release_day(xray.recipe_id, xray.release)
    image.xray, image.outline = xray_text(xray), XRAY.dump_json(outline_of(xray)).decode()
    image.verdict, image.trouble, image.read_at = str(verdict(xray.findings)), None, now
    image.save()
    judge_soon(image=image.pk)


def _added(name: str, file: LibraryFile) -> Image:
    """Return the row of the image called `name` in `file` that is new, made now or by another request at this moment."""
    try:
        with transaction.atomic():
            return Image.objects.create(
                file_name=name, size_bytes=file.size_bytes, modified_at=file.modified_at,
                **asdict(identity_of(name, descriptions.recipes().values())),
            )  # fmt: skip
    except IntegrityError:
        return Image.objects.get(file_name=name)


def strangers() -> list[Finding]:
    """Return a finding for everything in the library that is called like an image and is none that is read."""
    return [stranger_in_library(s.name, s.why) for s in wiring.bench().library.strangers()]


def release_day(recipe_id: str, version: str) -> date | None:
    """Return the day the recipe says this release came out, None when it does not name it."""
    recipe = descriptions.recipes().get(recipe_id)
    release = recipe.release(version) if recipe else None
    return release.date if release else None
