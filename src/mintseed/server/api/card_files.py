"""The settings files of a card that is written already: read for the doctor, put back, or filled for a deployment."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from mintseed import wiring
from mintseed.core.errors import MintSeedError, RefusedError
from mintseed.core.findings import Finding
from mintseed.server.api.doctor import MOST_BASE64, bytes_of, in_base64, known_file
from mintseed.server.api.shapes import DriveOut, benches_of, drives_out
from mintseed.server.api.wire import Wire
from mintseed.server.done.card_errands import begin
from mintseed.server.done.card_files import found_by
from mintseed.server.judged.job_state import describe_trouble, is_active
from mintseed.server.judged.judging import judged
from mintseed.server.kept.models import CardErrand, Deployment, Job
from mintseed.services import examine_file

router = Router(tags=["settings"])


class InReaderIn(Wire):
    """A card in a reader, as the person picked it. `deployment`: whose recipe may know its files."""

    drive_id: int
    path: str = Field(max_length=120)
    serial: str = Field(max_length=120)
    deployment: int | None = None


class OnCardIn(InReaderIn):
    """`name`: the file on the card; `was`: its bytes as they were read, `content`: as they are to be, both in base64."""

    name: str = Field(max_length=255)
    was: str = Field(max_length=MOST_BASE64)
    content: str = Field(max_length=MOST_BASE64)


class CardFileOut(Wire):
    """A file on the card. `content` in base64; `findings` as the doctor has them."""

    name: str
    dialect: str
    kind: str
    content: str
    findings: list[Finding]


class ErrandOut(Wire):
    id: int
    does: str
    state: str
    """waiting, running, done or failed"""
    trouble: str
    reader: str
    files: list[CardFileOut]
    left_out: int
    """files that were found and are too much to be kept"""


@router.get("/drives", response=list[DriveOut])
def drives(request: HttpRequest) -> list[DriveOut]:
    """The cards in the readers of every place, those that may be written to."""
    return [d for d in drives_out(benches_of(None)) if not d.locked]


@router.post("/card-files", response=ErrandOut)
def read_card(request: HttpRequest, body: InReaderIn) -> ErrandOut:
    """Have the settings files of a card read. They lie sealed for an hour."""
    made = begin(
        CardErrand.Does.READ, body.drive_id, path=body.path, serial=body.serial, deployment=_open(body.deployment)
    )
    return errand_out(made.pk)


@router.get("/card-files/{pk}", response=ErrandOut)
def card_files(request: HttpRequest, pk: int) -> ErrandOut:
    return errand_out(pk)


@router.post("/card-file", response=ErrandOut)
def put_on_card(request: HttpRequest, body: OnCardIn) -> ErrandOut:
    """Have a file put where it was read; what lies there must still be what was read."""
    put, was = {body.name: bytes_of(body.content)}, {body.name: bytes_of(body.was)}
    made = begin(
        CardErrand.Does.MEND, body.drive_id, path=body.path, serial=body.serial, deployment=_open(body.deployment), put=put, was=was
    )  # fmt: skip
    return errand_out(made.pk)


@router.post("/deployments/{pk}/settings/put", response=ErrandOut)
def fill_card(request: HttpRequest, pk: int, body: InReaderIn) -> ErrandOut:
    """Have a deployment's files put on its card, which is written already."""
    walk = judged(pk).loaded.live.walk
    if not walk.to_put:
        raise RefusedError(
            "there is no file to put on the card", next_step="Its settings get in in another way; see Plan."
        )
    made = begin(CardErrand.Does.FILL, body.drive_id, path=body.path, serial=body.serial, deployment=pk)
    return errand_out(made.pk)


def errand_out(pk: int) -> ErrandOut:
    errand = CardErrand.objects.select_related("job").get(pk=pk)
    job, now = getattr(errand, "job", None), wiring.bench().clock.now()
    going = job is not None and is_active(job, now)
    done = job is not None and job.state == Job.State.DONE
    files, left_out = found_by(errand) if done else ({}, 0)
    return ErrandOut(
        id=errand.pk, does=errand.does, reader=errand.reader or errand.drive_path,
        state="done" if done else "failed" if not going or job is None else "running" if job.state == Job.State.RUNNING else "waiting",
        trouble="" if done or going else describe_trouble(job) if job else "It was let go; read the card again.",
        files=[_card_file(errand, name, content) for name, content in files.items()], left_out=left_out,
    )  # fmt: skip


def _card_file(errand: CardErrand, name: str, content: bytes) -> CardFileOut:
    try:
        known = known_file(errand.deployment_id, name, content) if errand.deployment_id else None
    except (MintSeedError, Deployment.DoesNotExist):
        known = None  # the file is told by what stands in it
    found = examine_file.execute(content, name=name, file=known)
    return CardFileOut(
        name=name,
        dialect=found.dialect,
        kind=known.title if known else found.guessed.kind,
        content=in_base64(content),
        findings=list(found.findings),
    )


def _open(pk: int | None) -> int | None:
    """Return the deployment, where there is one that was not taken off. Raises Deployment.DoesNotExist."""
    return Deployment.objects.get(pk=pk, removed_at=None).pk if pk is not None else None
