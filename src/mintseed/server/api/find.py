"""Find: which address is it, which page."""

from __future__ import annotations

from datetime import datetime

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema

from mintseed.core.errors import RefusedError
from mintseed.core.find.candidates import Candidate, page_url
from mintseed.core.findings import Finding
from mintseed.core.keep.label import qr_code
from mintseed.server.api.shapes import DeploymentOut, deployment_out
from mintseed.server.journal import record
from mintseed.server.looking import look_for
from mintseed.server.models import Deployment
from mintseed.server.walk import Walk, load_walk

router = Router(tags=["find"])


class FindOut(Schema):
    deployment: DeploymentOut
    powered: bool
    looked_at: datetime | None
    joined_after_s: float | None
    candidates: list[Candidate]
    winner: Candidate | None
    claimed: str
    url: str
    name_url: str
    qr_path: str
    qr_size: int
    findings: list[Finding]


class ClaimIn(Schema):
    address: str


@router.get("/deployments/{pk}/find", response=FindOut)
def read_find(request: HttpRequest, pk: int) -> FindOut:
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/find/look", response=FindOut)
def look(request: HttpRequest, pk: int) -> FindOut:
    walk = load_walk(pk)
    if walk.row.powered_at is None:
        raise RefusedError("the board is not powered", next_step="Power it under First boot.")
    look_for(walk)
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/find/claim", response=FindOut)
def claim(request: HttpRequest, pk: int, payload: ClaimIn) -> FindOut:
    walk = load_walk(pk)
    candidate = next((c for c in walk.candidates if c.address == payload.address), None)
    if candidate is None:
        raise RefusedError(f"{payload.address} was not seen", next_step="Look again and pick one from the list.")
    with transaction.atomic():
        Deployment.objects.filter(pk=pk).update(address=candidate.address, mac=candidate.mac)
        record(
            walk.row,
            "find",
            "find.claimed",
            f"Claimed {candidate.address}: {', '.join(e.text for e in candidate.evidence)}",
        )
    return _out(load_walk(pk))


@router.post("/deployments/{pk}/find/let-go", response=FindOut)
def let_go(request: HttpRequest, pk: int) -> FindOut:
    walk = load_walk(pk)
    with transaction.atomic():
        Deployment.objects.filter(pk=pk).update(address="", mac="")
        record(walk.row, "find", "find.let-go", f"{walk.row.address} was not it")
    return _out(load_walk(pk))


def _out(walk: Walk) -> FindOut:
    row, page = walk.row, walk.recipe.page
    address = row.address or (walk.winner.address if walk.winner else "")
    url = page_url(page, address) if address else ""
    path, size = qr_code(url) if url else ("", 0)
    return FindOut(
        deployment=deployment_out(walk),
        powered=row.powered_at is not None,
        looked_at=row.looked_at,
        joined_after_s=row.joined_after_s,
        candidates=list(walk.candidates),
        winner=walk.winner,
        claimed=row.address,
        url=url,
        name_url=page_url(page, f"{row.host_name}.local"),
        qr_path=path,
        qr_size=size,
        findings=list(walk.find_findings),
    )
