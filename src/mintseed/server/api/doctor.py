"""The doctor for settings files: one is dropped or pasted, and told what it is, what is wrong with it and what mends it. Nothing of it is kept."""

from __future__ import annotations

import base64
import binascii

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from mintseed import wiring
from mintseed.core.errors import InputError, RefusedError
from mintseed.core.findings import Finding
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.diff import MarkedLine, mark_lines
from mintseed.core.settings.fill import files_for
from mintseed.core.settings.guess import guess
from mintseed.core.settings.text import split
from mintseed.core.visible import visible
from mintseed.server.api.shapes import DriveOut, drives_out
from mintseed.server.done.card_errands import begin
from mintseed.server.done.card_files import unpacked
from mintseed.server.judged.job_state import describe_trouble, is_active
from mintseed.server.judged.judging import judged
from mintseed.server.kept.models import CardErrand, Deployment, Job
from mintseed.services import examine_file

router = Router(tags=["settings"])

MOST_BASE64 = 4 * MAX_SETTINGS_FILE_BYTES * 4 // 3 + 8
"""letters of a file four times as long as any that is looked at, so that one which is too long is told so in words"""


class DoctorIn(Schema):
    """`content`: the file's bytes in base64 (RFC 4648). `read_as`: its dialect where the person says it. `deployment`: whose recipe may know the file."""

    name: str = Field(max_length=255)
    content: str = Field(max_length=MOST_BASE64)
    read_as: str = Field(default="", max_length=40)
    deployment: int | None = None


class RepairOut(Schema):
    """`finding`: its number among the findings. `content`: the file after this repair alone, in base64."""

    finding: int
    does: str
    content: str


class DoctorOut(Schema):
    """`lines`: the file as it would be with every repair, changed lines marked. `known`: the file of a recipe it was taken for."""

    dialect: str
    kind: str
    why: str
    known: str
    findings: list[Finding]
    repairs: list[RepairOut]
    left: list[Finding]
    means: str
    would_mean: str
    lines: list[MarkedLine]
    text: str
    mended: str
    dialects: list[str]


@router.post("/doctor", response=DoctorOut)
def examine(request: HttpRequest, body: DoctorIn) -> DoctorOut:
    """Say what a settings file is, what is wrong with it, and how it is mended. It is not kept."""
    data = _bytes(body.content)
    known = _known(body, data) if body.deployment is not None and not body.read_as else None
    found = examine_file.execute(data, name=body.name or "settings", read_as=body.read_as, file=known)
    before, after = split(data).text, split(found.mended).text
    return DoctorOut(
        dialect=found.dialect,
        kind=known.title if known else found.guessed.kind,
        why=f"The recipe names it: {known.place}." if known else found.guessed.why,
        known=known.place if known else "",
        findings=list(found.findings),
        repairs=[RepairOut(finding=r.number, does=r.does, content=_said(r.content)) for r in found.repairs],
        left=list(found.left),
        means=found.means,
        would_mean=found.would_mean,
        lines=[MarkedLine(line.mark, line.number, visible(line.text)) for line in mark_lines(before, after)],
        text=before,
        mended=_said(found.mended),
        dialects=sorted(DIALECTS),
    )


class InReaderIn(Schema):
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


class CardFileOut(Schema):
    """A file on the card. `content` in base64; `findings` as the doctor has them."""

    name: str
    dialect: str
    kind: str
    content: str
    findings: list[Finding]


class ErrandOut(Schema):
    id: int
    does: str
    state: str
    """waiting, running, done or failed"""
    trouble: str
    reader: str
    files: list[CardFileOut]


@router.get("/drives", response=list[DriveOut])
def drives(request: HttpRequest) -> list[DriveOut]:
    """The cards in the readers of every place, those that may be written to."""
    return [d for d in drives_out(None) if not d.locked]


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
    put, was = {body.name: _bytes(body.content)}, {body.name: _bytes(body.was)}
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
    return ErrandOut(
        id=errand.pk, does=errand.does, reader=errand.reader or errand.drive_path,
        state="done" if done else "failed" if not going or job is None else "running" if job.state == Job.State.RUNNING else "waiting",
        trouble="" if done or going else describe_trouble(job, now) if job else "It was let go; read the card again.",
        files=[_card_file(errand, name, content) for name, content in unpacked(errand.found).items()] if done else [],
    )  # fmt: skip


def _card_file(errand: CardErrand, name: str, content: bytes) -> CardFileOut:
    known = (
        _known(DoctorIn(name=name, content="", deployment=errand.deployment_id), content)
        if errand.deployment_id
        else None
    )
    found = examine_file.execute(content, name=name, file=known)
    return CardFileOut(
        name=name,
        dialect=found.dialect,
        kind=known.title if known else found.guessed.kind,
        content=_said(content),
        findings=list(found.findings),
    )


def _open(pk: int | None) -> int | None:
    """Return the deployment, where there is one that was not taken off. Raises Deployment.DoesNotExist."""
    return Deployment.objects.get(pk=pk, removed_at=None).pk if pk is not None else None


def _bytes(text: str) -> bytes:
    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError) as error:
        raise InputError("the file came damaged", expected="base64", where="content") from error


def _said(content: bytes) -> str:
    return base64.b64encode(content).decode()


def _known(body: DoctorIn, data: bytes) -> FileToFill | None:
    """Return the file of the deployment's recipe that this one is: by its name, whatever was added to it; else by what stands in it, where only one
    of them is of that kind."""
    view = judged(body.deployment or 0)
    walk = view.loaded.walk
    release = walk.inputs.xray.release if walk.inputs.xray else ""
    files = files_for(view.loaded.recipe, view.loaded.values.way, release)
    name = body.name.lower().rsplit("/", 1)[-1]
    stems = [(f, f.path.rsplit("/", 1)[-1].lower()) for f in files]
    named = [f for f, n in stems if name == n or name.startswith((n + ".", n.rsplit(".", 1)[0] + " ("))]
    alike = [f for f in files if f.dialect == guess(body.name, data).dialect]
    return named[0] if named else alike[0] if len(alike) == 1 else None
