"""The doctor: what a settings file is, what is wrong with it, what can be mended, and what it means before and after."""

from __future__ import annotations

from dataclasses import dataclass, field

from mintseed.core.findings import Finding, Severity, Where, verdict
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.registry import DIALECTS, dialect
from mintseed.core.settings.editor_damage import check_name, not_text, too_long
from mintseed.core.settings.guess import Guess, guess
from mintseed.core.settings.repair import Looked, Repair, look_at
from mintseed.core.settings.text import split

SEVERITIES = list(Severity)


@dataclass(frozen=True, slots=True)
class Examined:
    """`dialect`: what it was read as, empty where nobody could tell; `guessed`: what told it. `mended`: the file with every repair; `left`: what is
    still to be said of it then. `means` and `would_mean` are sentences, empty where the file means nothing that is known."""

    dialect: str
    guessed: Guess
    findings: tuple[Finding, ...]
    repairs: tuple[Repair, ...]
    mended: bytes = field(repr=False)
    left: tuple[Finding, ...]
    means: str
    would_mean: str


def execute(
    data: bytes, *, name: str, read_as: str = "", wanted_name: str = "", file: FileToFill | None = None
) -> Examined:
    """Examine `data`, called `name`. `read_as`: its dialect, where somebody said it; `wanted_name`: what the image looks for; `file`: what a recipe
    says of it, its name too.

    Raises InputError for a dialect there is not.
    """
    told = guess(name, split(data).text.encode()) if len(data) <= MAX_SETTINGS_FILE_BYTES else Guess("", "", "")
    kind = file.dialect if file is not None else read_as or told.dialect
    if kind:
        dialect(kind)
    wanted = file.path.rsplit("/", 1)[-1] if file is not None else wanted_name
    named = tuple(check_name(name, wanted)) if wanted else ()
    if (wrong := too_long(data, name=name) or not_text(data, name=name)) is not None:
        return Examined(kind, told, (*named, wrong), (), data, (*named, wrong), "", "")
    if not kind:
        unknown = Finding("file.kind-unknown", Severity.YET, f"What kind of file {name} is cannot be told", "Nothing in it is like a settings file that is known here.",
                          f"Say what it is: {', '.join(sorted(DIALECTS))}.", Where(file=name))  # fmt: skip
        return Examined("", told, (*named, unknown), (), data, (*named, unknown), "", "")
    looked: Looked = look_at(data, name, kind, file)
    found = (*named, *looked.findings)
    if verdict(found) in (Severity.OK, Severity.NOTE):
        found = (*found, Finding("file.sound", Severity.OK, f"{name} reads well", where=Where(file=name)))
    # What a reader stops at means nothing to its device, whatever else stands in the file.
    now = "" if verdict(looked.findings) is Severity.STOP else _means(data, name, kind, file)
    if looked.mended == data:
        then = now
    else:
        then = "" if verdict(looked.left) is Severity.STOP else _means(looked.mended, name, kind, file)
    # Worst first, and within that as they stand in the file.
    order = sorted(range(len(found)), key=lambda n: (SEVERITIES.index(found[n].severity), found[n].where.line))
    repairs = tuple(Repair(order.index(r.number + len(named)), r.does, r.content) for r in looked.repairs)
    found = tuple(found[n] for n in order)
    return Examined(kind, told, found, repairs, looked.mended, (*named, *looked.left), now, then)


def _means(data: bytes, name: str, kind: str, file: FileToFill | None) -> str:
    text = split(data).text
    return DIALECTS[kind].means(text, name, file).sentence()
