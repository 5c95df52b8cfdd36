"""Image: which image a deployment uses."""

from __future__ import annotations

from django.db.models import Case, Q, When
from django.http import HttpRequest
from ninja import Router

from mintseed import wiring
from mintseed.core.findings import Finding, Severity
from mintseed.core.plan.starts import image_fit
from mintseed.core.stations import Station
from mintseed.server.api.image_shapes import ImageOut, ImageRowOut, image_out, image_was, row_out
from mintseed.server.api.images import building
from mintseed.server.api.shapes import DeploymentOut, JobOut, deployment_out, job_out
from mintseed.server.api.wire import Wire
from mintseed.server.done.open_record import held_for_choice
from mintseed.server.done.reading import queue_reading
from mintseed.server.judged.changes import changed, deployment_topic
from mintseed.server.judged.judging import Judged, judged
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.models import Deployment, Image
from mintseed.server.kept.stored_types import outline_of_row
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.server.owned import demo_images
from mintseed.server.owned.library import ORDER, sync_library, there

router = Router(tags=["image"])


class ImageChoiceOut(Wire):
    """A row of the library as a choice for one deployment."""

    image: ImageRowOut
    chosen: bool
    suggested: bool
    fit: Finding | None


class StationImageOut(Wire):
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


class ChooseImageIn(Wire):
    image_id: int


MOST_CHOICES = 20


@router.get("/deployments/{pk}/image", response=StationImageOut)
def station(request: HttpRequest, pk: int) -> StationImageOut:
    sync_library()  # a file that left meanwhile is not there any more
    return _station_out(judged(pk))


@router.put("/deployments/{pk}/image", response=StationImageOut)
def choose(request: HttpRequest, pk: int, payload: ChooseImageIn) -> StationImageOut:
    sync_library()
    chosen = Image.there.get(pk=payload.image_id)
    _choose(pk, chosen)
    if not chosen.xray:
        queue_reading(chosen)
    return _station_out(judged(pk))


@all_or_nothing
def _choose(pk: int, chosen: Image) -> None:
    held_for_choice(pk)
    Deployment.objects.filter(pk=pk).update(image=chosen)
    changed(deployment_topic(pk))


def _station_out(view: Judged) -> StationImageOut:
    one = view.loaded
    # Those of this appliance first, then what is not read yet; the chosen one whatever it is.
    fitting = (
        there()
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
        chosen=image_was(one) if one.frozen else image_out(one.row.image.pk) if one.row.image else None,
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
