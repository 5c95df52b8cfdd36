"""The doctor for settings files: one is dropped or pasted, and told what it is, what is wrong with it and what mends it. Nothing of it is kept."""

from __future__ import annotations

import base64
import binascii

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from mintseed.core.errors import InputError
from mintseed.core.findings import Finding
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.settings.diff import MarkedLine, mark_lines
from mintseed.core.settings.fill import files_for
from mintseed.core.settings.guess import guess
from mintseed.core.settings.text import split
from mintseed.core.visible import visible
from mintseed.server.api.wire import Wire
from mintseed.server.judged.judging import judged
from mintseed.services import examine_file

router = Router(tags=["settings"])

MOST_BASE64 = 4 * MAX_SETTINGS_FILE_BYTES * 4 // 3 + 8
"""letters of a file four times as long as any that is looked at, so that one which is too long is told so in words"""


class DoctorIn(Wire):
    """`content`: the file's bytes in base64 (RFC 4648). `read_as`: its dialect where the person says it. `deployment`: whose recipe may know the file."""

    name: str = Field(max_length=255)
    content: str = Field(max_length=MOST_BASE64)
    read_as: str = Field(default="", max_length=40)
    deployment: int | None = None


class RepairOut(Wire):
    """`finding`: its number among the findings. `content`: the file after this repair alone, in base64."""

    finding: int
    does: str
    content: str


class DoctorOut(Wire):
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
    data = bytes_of(body.content)
    known = known_file(body.deployment, body.name, data) if body.deployment is not None and not body.read_as else None
    found = examine_file.execute(data, name=body.name or "settings", read_as=body.read_as, file=known)
    before, after = split(data).text, split(found.mended).text
    return DoctorOut(
        dialect=found.dialect,
        kind=known.title if known else found.guessed.kind,
        why=f"The recipe names it: {known.place}." if known else found.guessed.why,
        known=known.place if known else "",
        findings=list(found.findings),
        repairs=[RepairOut(finding=r.number, does=r.does, content=in_base64(r.content)) for r in found.repairs],
        left=list(found.left),
        means=found.means,
        would_mean=found.would_mean,
        lines=[MarkedLine(line.mark, line.number, visible(line.text)) for line in mark_lines(before, after)],
        text=before,
        mended=in_base64(found.mended),
        dialects=sorted(DIALECTS),
    )


def bytes_of(text: str) -> bytes:
    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError) as error:
        raise InputError("the file came damaged", expected="base64", where="content") from error


def in_base64(content: bytes) -> str:
    return base64.b64encode(content).decode()


def known_file(deployment: int, name: str, data: bytes) -> FileToFill | None:
    """Return the file of the deployment's recipe that this one is: by its name, whatever was added to it; else by what stands in it, where only one
    of them is of that kind."""
    view = judged(deployment)
    walk = view.loaded.walk
    release = walk.inputs.xray.release if walk.inputs.xray else ""
    files = files_for(view.loaded.recipe, view.loaded.values.way, release)
    called = name.lower().rsplit("/", 1)[-1]
    stems = [(f, f.path.rsplit("/", 1)[-1].lower()) for f in files]
    named = [f for f, n in stems if called == n or called.startswith((n + ".", n.rsplit(".", 1)[0] + " ("))]
    alike = [f for f in files if f.dialect == guess(name, data).dialect]
    return named[0] if named else alike[0] if len(alike) == 1 else None
