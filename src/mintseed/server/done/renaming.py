"""An image's file gets another name. Everything that uses it goes on using it; what happened keeps the name it had then.

Every step may be the last. The file has both names until the table knows the new one, so that it is never lost: what a cut leaves is a
file under two names, which the library says.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace

from mintseed import wiring
from mintseed.core.errors import MissingError, RefusedError
from mintseed.core.image.naming import file_of, inside_of, name_inside, new_name
from mintseed.core.recipes.identity import identity_of
from mintseed.server.judged.changes import changed
from mintseed.server.judged.job_state import is_active
from mintseed.server.judged.journal import record
from mintseed.server.kept.models import Image, Job
from mintseed.server.kept.stored_types import xray_of
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.server.owned import descriptions
from mintseed.server.owned.library import keep_xray, sync_library
from mintseed.server.owned.users import users_of
from mintseed.services import describe_image

PASTED = "{}.pasted.sha256"


def rename(pk: int, text: str) -> None:
    """Call the file of image `pk` otherwise, with all the images in it. Raises InputError, MissingError, RefusedError, OutsideError."""
    image = Image.there.get(pk=pk)
    old, new = file_of(image.file_name), new_name(text)
    if new == old:
        return
    if inside_of(image.file_name):
        raise RefusedError(
            "it lies in an archive", where=image.file_name, next_step=f"Rename {old}, the file it lies in."
        )
    if Image.objects.filter(file_name=new).exists():
        raise RefusedError("a file is called so already, or was", where=new, next_step="Take another name.")
    library = wiring.bench().library
    # A checksum that was pasted goes along; over a list that somebody put there nothing is written.
    pasted = library.published_list(PASTED.format(old))
    goes_along = pasted is not None and library.published_list(PASTED.format(new)) is None
    if pasted is not None and goes_along:
        library.keep_list(PASTED.format(new), pasted.replace(old, new))
    try:
        _rename_rows(old, new)
    except Exception:
        _gone(PASTED.format(new) if goes_along else "")
        raise
    _gone(old, PASTED.format(old) if goes_along else "")
    sync_library()


def _gone(*names: str) -> None:
    for name in filter(None, names):
        with suppress(MissingError):
            wiring.bench().library.remove(name)


@all_or_nothing
def _rename_rows(old: str, new: str) -> None:
    now = wiring.bench().clock.now()
    rows = [r for r in Image.objects.select_for_update().filter(file_name__startswith=old).order_by("pk") if file_of(r.file_name) == old]  # fmt: skip
    at_it = Job.objects.filter(state__in=(Job.State.QUEUED, Job.State.RUNNING)).select_related("write", "copy")
    for job in at_it:
        if is_active(job, now) and (job.image in rows or _uses(job, rows)):
            raise RefusedError("it is being read, or put on a card, right now", where=old, next_step="Wait for that, or stop it.")  # fmt: skip
    recipes = list(descriptions.recipes().values())
    users = users_of("image", [row.pk for row in rows])
    for row in rows:
        name = name_inside(new, inside_of(row.file_name)) if inside_of(row.file_name) else new
        xray = xray_of(row)
        renamed = replace(xray, file_name=name) if xray is not None else None
        _refuse_other_recipe(row, name, users[row.pk].words)
        row.file_name = name
        row.save(update_fields=["file_name"])
        if renamed is not None and row.read_at is not None:
            keep_xray(
                row, describe_image.execute(renamed, recipes, library=wiring.bench().library) or renamed, row.read_at
            )
        else:
            said = identity_of(name, recipes)
            Image.objects.filter(pk=row.pk).update(recipe=said.recipe, release=said.release, build=said.build)
    wiring.bench().library.link(old, new)
    record(None, "image", "image.renamed", f"{old} is called {new} now")
    changed("images")


def _uses(job: Job, rows: list[Image]) -> bool:
    """Return whether a job fills one of these images."""
    work = job.write or job.copy
    return work is not None and work.deployment.image in rows


def _refuse_other_recipe(row: Image, name: str, users: list[str]) -> None:
    """A recipe knows an image by its name. Under another it may be nobody's, and what uses it would stand still."""
    said = identity_of(name, descriptions.recipes().values())
    if users and row.recipe and (said.recipe, said.release, said.build) != (row.recipe, row.release, row.build):
        raise RefusedError(
            f"its recipe knows it by the name it has, and {', '.join(users)} rests on that", where=row.file_name,
            next_step="Leave it; or take another image for these first.",
        )  # fmt: skip
