"""Keep the table of images in step with the files in the library folder."""

from __future__ import annotations

from django.db import IntegrityError, transaction

from mintseed import wiring
from mintseed.core.contained import stranger_in_library
from mintseed.core.findings import Finding
from mintseed.ports.images import LibraryFile
from mintseed.server.models import Image


def sync_library() -> list[Image]:
    """Return one row a file in the library, newest release first. A file that changed is to be read again; rows whose
    file went stay in the table and are not returned."""
    known = {i.file_name: i for i in Image.objects.all()}
    present = []
    for file in wiring.bench().library.files():
        row = known.get(file.name) or _added(file)
        if (row.size_bytes, row.modified_at) != (file.size_bytes, file.modified_at):
            row.size_bytes, row.modified_at = file.size_bytes, file.modified_at
            row.xray, row.sha256, row.trouble, row.read_at = "", "", None, None
            row.save()
        present.append(row)
    return sorted(present, key=lambda r: (r.recipe == "", r.recipe, -_day(r), r.build != "64-bit", r.file_name))


def _added(file: LibraryFile) -> Image:
    """Return the row of a file that is new, made now or by another request at this moment."""
    try:
        with transaction.atomic():
            return Image.objects.create(
                file_name=file.name, size_bytes=file.size_bytes, modified_at=file.modified_at, **identity_of(file.name)
            )
    except IntegrityError:
        return Image.objects.get(file_name=file.name)


def strangers() -> list[Finding]:
    """Return a finding for everything in the library that is called like an image and is none that is read."""
    return [stranger_in_library(s.name, s.why) for s in wiring.bench().library.strangers()]


def _day(row: Image) -> int:
    """Return the day the recipe says the release of `row` came out; releases it does not name come last."""
    recipe = wiring.recipes().get(row.recipe)
    release = recipe.release(row.release) if recipe else None
    return release.date.toordinal() if release else 0


def identity_of(name: str) -> dict[str, str]:
    """Return which recipe, release and build call their download `name`; empty when none does."""
    for recipe in wiring.recipes().values():
        if found := recipe.build_of_file(name):
            return {"recipe": recipe.id, "release": found[0].version, "build": found[1].id}
    return {}
