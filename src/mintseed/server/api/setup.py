"""Set up: the first steps on its page, measured where they can be."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from mintseed import wiring
from mintseed.core.errors import MissingError, RefusedError
from mintseed.core.find.candidates import page_url
from mintseed.core.findings import Finding, Severity
from mintseed.core.plan.cautions import caution_texts
from mintseed.core.recipes.model import SetupStep
from mintseed.core.setup.steps import StepResult
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.api.wire import Wire
from mintseed.server.done.open_record import held_open, opened
from mintseed.server.judged.journal import record
from mintseed.server.judged.judging import Judged, judged
from mintseed.server.judged.loaded import Loaded
from mintseed.server.kept.models import Claim, Reading
from mintseed.server.kept.stored_types import FINDING
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.services import check_setup

router = Router(tags=["setup"])


class ContentOut(Wire):
    """A folder for people's own files, and what to know of it on this board."""

    path: str
    what: str
    notes: list[str]


class SetupOut(Wire):
    deployment: DeploymentOut
    url: str
    steps: list[StepResult]
    cautions: list[str]
    content: list[ContentOut]
    """where people's own files go"""


class StepIn(Wire):
    step: str


class TickIn(Wire):
    step: str
    done: bool


@router.get("/deployments/{pk}/setup", response=SetupOut)
def read_setup(request: HttpRequest, pk: int) -> SetupOut:
    return _out(judged(pk))


@router.post("/deployments/{pk}/setup/check", response=SetupOut)
def check(request: HttpRequest, pk: int, payload: StepIn) -> SetupOut:
    one = opened(judged(pk))
    step, claim = _step(one, payload.step), _claim(one)
    # Nothing is held meanwhile: a slow page takes seconds to answer.
    finding = check_setup.execute(
        one.recipe, step, claim.address, networks=one.networks, probe=wiring.bench().patient_probe
    )
    _keep_measured(pk, step, finding, claim)
    return _out(judged(pk))


@all_or_nothing
def _keep_measured(pk: int, step: SetupStep, finding: Finding, claim: Claim) -> None:
    """Keep what was measured at the page of `claim`. Raises RefusedError where that is not the device's any more."""
    one = held_open(pk)
    now = _claim(one)
    if (now.pk, now.address) != (claim.pk, claim.address):
        raise RefusedError("another address was claimed meanwhile", where=claim.address, next_step="Check it again.")
    Reading.objects.create(
        deployment=one.row, boot_run=one.run, step=step.id, done=finding.severity is Severity.OK,
        finding=FINDING.dump_python(finding, mode="json"), at=wiring.bench().clock.now(),
    )  # fmt: skip
    record(one.row, "setup", finding.code, f"{step.title}: {finding.title}")


@router.post("/deployments/{pk}/setup/tick", response=SetupOut)
def tick(request: HttpRequest, pk: int, payload: TickIn) -> SetupOut:
    _tick(pk, payload)
    return _out(judged(pk))


@all_or_nothing
def _tick(pk: int, payload: TickIn) -> None:
    one = held_open(pk)
    step = _step(one, payload.step)
    if step.check != "by-eye":
        raise RefusedError("this step is measured, not ticked off", next_step="Let it be checked.")
    Reading.objects.create(
        deployment=one.row, boot_run=one.run, step=step.id, done=payload.done, at=wiring.bench().clock.now()
    )
    event, word = ("setup.ticked", "done") if payload.done else ("setup.unticked", "open again")
    record(one.row, "setup", event, f"{step.title}: {word}")


def _claim(one: Loaded) -> Claim:
    if one.claim is None:
        raise RefusedError("its address is not known", next_step="Claim it under Find first.")
    return one.claim


def _step(one: Loaded, step_id: str) -> SetupStep:
    step = next((s for s in one.recipe.setup if s.id == step_id), None)
    if step is None:
        raise MissingError(f"no step is called {step_id}", expected=", ".join(s.id for s in one.recipe.setup))
    return step


def _out(view: Judged) -> SetupOut:
    one, walk = view.loaded, view.loaded.walk
    claimed = walk.inputs.claimed
    return SetupOut(
        deployment=deployment_out(view),
        url=page_url(one.recipe.page, claimed) if claimed else "",
        steps=list(walk.setup_results),
        cautions=list(caution_texts(one.recipe)),
        content=[
            ContentOut(path=c.path, what=c.what, notes=list(c.notes(walk.inputs.board))) for c in one.recipe.content
        ],
    )
