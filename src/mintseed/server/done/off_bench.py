"""Deployments taken off the bench: put back as they were, or removed for good with all that happened to them."""

from __future__ import annotations

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.server.done.copies import stored_as
from mintseed.server.done.power import end_run
from mintseed.server.judged.job_state import is_active
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import Judged, judged, take_off
from mintseed.server.judged.load import host_names
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import BootRun, Claim, Closing, Deployment, FilledCopy, LogEntry, Reading, Site, Write
from mintseed.server.kept.transactions import all_or_nothing


def refuse_while_written(one: Judged) -> None:
    """Raise RefusedError while its card is written, or waits to be."""
    job = one.loaded.job
    if job is not None and is_active(job, one.loaded.now):
        name = one.loaded.row.name
        raise RefusedError(f"the card of {name} is being written", where=name, next_step="Stop the writing first.")


@all_or_nothing
def take_deployment_off(pk: int) -> None:
    """Take a deployment off the bench. A write that begins at this moment waits, or was first."""
    Deployment.objects.select_for_update().get(pk=pk, removed_at=None)
    one = judged(pk)
    refuse_while_written(one)
    # The board goes off with its deployment: nothing runs on that nobody can see.
    end_run(one.loaded)
    Deployment.objects.filter(pk=pk).update(removed_at=one.loaded.now)
    take_off(one.loaded.row)
    record(one.loaded.row, "plan", "deployment.removed", "Taken off the bench")


@all_or_nothing
def put_deployment_back(pk: int) -> None:
    """Put a deployment back as it was. Its host name stays, also where another one took it meanwhile: its card may hold it."""
    row = Deployment.objects.select_for_update().select_related("site").get(pk=pk)
    if row.removed_at is None:
        return
    if row.site.removed_at is not None:
        raise RefusedError(f"its place, {row.site.name}, is taken off too", next_step="Put the place back first.")
    site = Site.objects.select_for_update().get(pk=row.site_id)
    shared = row.host_name.lower() in host_names(site, row.host_name)
    Deployment.objects.filter(pk=pk).update(removed_at=None, name_shared=shared)
    take_off(row, back=True)
    judge_soon(pk=pk)
    record(row, "plan", "deployment.restored", "Put back on the bench")


@all_or_nothing
def remove_deployment(pk: int) -> None:
    """Remove a deployment that was taken off, with its writes, boots, readings and secrets. Its lines stay in the log, by its name."""
    row = Deployment.objects.select_for_update().get(pk=pk, removed_at__isnull=False)
    for copy in FilledCopy.objects.filter(deployment=row, gone_at=None):
        wiring.filled_copies().remove(stored_as(copy))
    LogEntry.objects.filter(deployment=row).update(deployment=None)
    # Each before what it points at.
    for model in (Claim, Reading, BootRun, FilledCopy, Closing):
        model._default_manager.filter(deployment=row).delete()
    Write.objects.filter(deployment=row).delete()
    name = row.name
    row.delete()
    record(None, "", "deployment.removed-for-good", f"Removed for good: {name}")
