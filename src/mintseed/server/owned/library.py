"""Keep the table of images in step with the files in the library folder."""

from __future__ import annotations

from dataclasses import asdict, replace
from datetime import date, datetime
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import Case, F, QuerySet, When

from mintseed import wiring
from mintseed.core.contained import stranger_in_library
from mintseed.core.findings import Finding, verdict
from mintseed.core.image.report import XRay
from mintseed.core.recipes.identity import identity_of
from mintseed.ports.images import LibraryFile
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import Image
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
    if files != _in_step_with or here.count() != len(files):
        _sync(files)
        _in_step_with = files
    return here.filter(removed_at=None).order_by(*ORDER)


def in_step() -> bool:
    """Return whether the folder is as this process last saw it."""
    return frozenset(wiring.bench().library.files()) == _in_step_with


def _sync(files: frozenset[LibraryFile]) -> None:
    known = {i.file_name: i for i in Image.objects.defer("xray", "outline")}
    for file in files:
        row = known.get(file.name) or _added(file)
        values: dict[str, Any] = {} if row.present else {"present": True}
        if (row.size_bytes, row.modified_at) != (file.size_bytes, file.modified_at):
            values |= {"size_bytes": file.size_bytes, "modified_at": file.modified_at, "trouble": None, **UNREAD}
        if row.released_on != (day := release_day(row.recipe, row.release)):
            values["released_on"] = day
        if values:
            Image.objects.filter(pk=row.pk).update(**values)
            judge_soon(image=row.pk)
    gone = [row.pk for name, row in known.items() if name not in {f.name for f in files}]
    if Image.objects.filter(pk__in=gone, present=True).update(present=False):
        judge_soon(image__in=gone)


def outline_of(xray: XRay) -> XRay:
    """Return what lists need of an X-ray: which boards it starts on, and how large it is."""
    return replace(xray, files=(), findings=())


def keep_xray(image: Image, xray: XRay, now: datetime) -> None:
    """Store what an image's X-ray said, and in short columns what lists show of it."""
    image.sha256, image.recipe, image.release, image.build = xray.sha256, xray.recipe_id, xray.release, xray.build
    image.released_on = release_day(xray.recipe_id, xray.release)
    image.xray, image.outline = xray_text(xray), XRAY.dump_json(outline_of(xray)).decode()
    image.verdict, image.trouble, image.read_at = str(verdict(xray.findings)), None, now
    image.save()
    judge_soon(image=image.pk)


def _added(file: LibraryFile) -> Image:
    """Return the row of a file that is new, made now or by another request at this moment."""
    try:
        with transaction.atomic():
            return Image.objects.create(
                file_name=file.name, size_bytes=file.size_bytes, modified_at=file.modified_at,
                **asdict(identity_of(file.name, descriptions.recipes().values())),
            )  # fmt: skip
    except IntegrityError:
        return Image.objects.get(file_name=file.name)


def strangers() -> list[Finding]:
    """Return a finding for everything in the library that is called like an image and is none that is read."""
    return [stranger_in_library(s.name, s.why) for s in wiring.bench().library.strangers()]


def release_day(recipe_id: str, version: str) -> date | None:
    """Return the day the recipe says this release came out, None when it does not name it."""
    recipe = descriptions.recipes().get(recipe_id)
    release = recipe.release(version) if recipe else None
    return release.date if release else None
