"""Set up: the first steps on its page, measured where they can be."""

from __future__ import annotations

from dataclasses import asdict

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema

from mintseed import wiring
from mintseed.core.errors import MissingError, RefusedError
from mintseed.core.find.candidates import page_url
from mintseed.core.recipes.model import SetupStep
from mintseed.core.setup.steps import StepResult
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.journal import record
from mintseed.server.models import Deployment
from mintseed.server.walk import Walk, load_walk
from mintseed.services import check_setup

router = Router(tags=["setup"])


class SetupOut(Schema):
    deployment: DeploymentOut
    url: str
    steps: list[StepResult]
    cautions: list[str]


class StepIn(Schema):
    step: str


class TickIn(Schema):
    step: str
    done: bool


@router.get("/deployments/{pk}/setup", response=SetupOut)
def read_setup(request: HttpRequest, pk: int) -> SetupOut:
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/setup/check", response=SetupOut)
def check(request: HttpRequest, pk: int, payload: StepIn) -> SetupOut:
    walk = load_walk(pk)
    step = _step(walk, payload.step)
    if not walk.row.address:
        raise RefusedError("its address is not known", next_step="Claim it under Find first.")
    finding = check_setup.execute(
        walk.recipe, step, walk.row.address, networks=walk.networks, probe=wiring.bench().probe
    )
    with transaction.atomic():
        row = Deployment.objects.select_for_update().get(pk=pk)
        row.setup_findings[step.id] = asdict(finding)
        row.save(update_fields=["setup_findings"])
        record(row, "setup", finding.code, f"{step.title}: {finding.title}")
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/setup/tick", response=SetupOut)
def tick(request: HttpRequest, pk: int, payload: TickIn) -> SetupOut:
    walk = load_walk(pk)
    step = _step(walk, payload.step)
    if step.check != "by-eye":
        raise RefusedError("this step is measured, not ticked off", next_step="Let it be checked.")
    with transaction.atomic():
        row = Deployment.objects.select_for_update().get(pk=pk)
        ticked = set(row.setup_ticked) - {step.id} | ({step.id} if payload.done else set())
        row.setup_ticked = sorted(ticked)
        row.save(update_fields=["setup_ticked"])
        record(
            row,
            "setup",
            "setup.ticked" if payload.done else "setup.unticked",
            f"{step.title}: {'done' if payload.done else 'open again'}",
        )
    return _out(load_walk(pk))


def _step(walk: Walk, step_id: str) -> SetupStep:
    step = next((s for s in walk.recipe.setup if s.id == step_id), None)
    if step is None:
        raise MissingError(f"no step is called {step_id}", expected=", ".join(s.id for s in walk.recipe.setup))
    return step


def _out(walk: Walk) -> SetupOut:
    return SetupOut(
        deployment=deployment_out(walk),
        url=page_url(walk.recipe.page, walk.row.address) if walk.row.address else "",
        steps=list(walk.setup_results),
        cautions=list(walk.recipe.cautions),
    )
