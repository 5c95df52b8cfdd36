"""What was taken off: found again, put back whole, or removed for good. One way for everything a person chooses.

Taking something off changes nothing that points at it. Until it is removed for good a plan that had it finds it again once it is put
back; meanwhile it is as if nothing were chosen there. What is in service is drawn from its closing and does not change at all.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from mintseed import wiring
from mintseed.core.errors import InUseError, MintSeedError, MissingError, RefusedError
from mintseed.core.image.naming import file_of
from mintseed.server.done.agent.bench_row import is_alive
from mintseed.server.done.off_bench import put_deployment_back, remove_deployment, take_deployment_off
from mintseed.server.judged.journal import record
from mintseed.server.kept.due import judge_soon
from mintseed.server.kept.models import (
    Bench,
    BoardUnit,
    BootRun,
    Cable,
    Deployment,
    Description,
    Image,
    Job,
    OwnedCard,
    Part,
    Removable,
    Site,
    Supply,
    WifiNetwork,
    Write,
)
from mintseed.server.kept.transactions import all_or_nothing
from mintseed.server.owned import bringing, descriptions
from mintseed.server.owned.users import MOST_NAMED, Users, users_of


def _nothing(row: Any) -> None:
    pass


def _nobody(row: Any) -> Users:
    return Users()


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of thing that can be taken off. `users`: who uses one; `against`: raises RefusedError for what cannot go now, whatever a
    person says; `keeps`: raises RefusedError for what cannot be removed for good; `changed`: has what rests on it judged again."""

    what: str
    model: type[Removable]
    name: Callable[[Any], str]
    users: Callable[[Any], Users] = _nobody
    against: Callable[[Any], None] = _nothing
    keeps: Callable[[Any], None] = _nothing
    changed: Callable[[Any], None] = _nothing
    gone: Callable[[Any], None] = _nothing
    """done when one is removed for good, in the same transaction"""


def _name(row: Any) -> str:
    return str(row.name)


def _named(rows: Any) -> Users:
    names = list(rows.values_list("name", flat=True)[: MOST_NAMED + 1])
    return Users(tuple(names[:MOST_NAMED]), len(names) > MOST_NAMED)


# boards


def refuse_powered(unit: BoardUnit) -> None:
    run = BootRun.objects.filter(board_unit=unit, off_at=None).select_related("deployment").first()
    if run is not None:
        raise RefusedError(f"{unit.name} is powered, for {run.deployment.name}", next_step="Power it off first.")


# images


def _image_read_now(image: Image) -> None:
    if Job.objects.filter(image=image, state__in=(Job.State.QUEUED, Job.State.RUNNING)).exists():
        raise RefusedError(f"{image.file_name} is being read", next_step="Wait for it, or stop it.")


def _image_users(image: Image) -> Users:
    """Return who uses an image; of whom a proven card was made of it, that is said."""
    rows = list(Deployment.there.filter(image=image).order_by("pk")[: MOST_NAMED + 1])
    proven = set(Write.objects.filter(deployment__in=rows, proven_at__isnull=False, void_at=None).values_list("deployment_id", flat=True))  # fmt: skip
    names = tuple(f"{d.name} (its proven card was made of it)" if d.pk in proven else d.name for d in rows[:MOST_NAMED])
    return Users(names, len(rows) > MOST_NAMED)


def _remove_file(image: Image) -> None:
    file = file_of(image.file_name)
    if any(
        file_of(name) == file
        for name in Image.objects.exclude(pk=image.pk)
        .filter(file_name__startswith=file)
        .values_list("file_name", flat=True)
    ):
        return  # other images are read out of that file
    with suppress(MissingError):  # somebody took the file away already
        wiring.bench().library.remove(file)


# places and benches


def _place_stands(site: Site) -> None:
    if Site.there.exclude(pk=site.pk).count() == 0:
        raise RefusedError(f"{site.name} is the only place", next_step="Add another one first.")
    for bench in Bench.there.filter(site=site):
        _bench_stands(bench)


def _bench_stands(bench: Bench) -> None:
    if bench.name == wiring.config().bench_name:
        raise RefusedError(f"{bench.name} is the bench of this home", next_step="It stays as long as the home does.")
    if is_alive(bench, wiring.bench().clock.now()):
        raise RefusedError(
            f"the worker of {bench.name} answers", next_step="Stop it on its machine, then take the bench off."
        )
    run = BootRun.objects.filter(bench=bench, off_at=None).select_related("deployment").first()
    if run is not None:
        raise RefusedError(f"{run.deployment.name} is powered there", next_step="Power it off under First boot first.")


def _bench_has_history(bench: Bench) -> None:
    count = Write.objects.filter(bench=bench).count() + BootRun.objects.filter(bench=bench).count()
    if count:
        raise RefusedError(
            f"{count} writes and boots of {bench.name} are on record",
            next_step="It stays taken off as long as they do.",
        )


def _place_has_history(site: Site) -> None:
    if Deployment.objects.filter(site=site).exists():
        raise RefusedError(f"what was started at {site.name} is on record", next_step="Remove those for good first.")
    for bench in Bench.objects.filter(site=site):
        _bench_has_history(bench)


def _empty_place(site: Site) -> None:
    Bench.objects.filter(site=site).delete()


# texts


def _text_users(row: Description) -> Users:
    """Return who uses a text that nothing takes the place of."""
    if descriptions.has_shipped(row.kind, row.ident):
        return Users()
    return {
        "recipe": lambda: _named(Deployment.there.filter(recipe=row.ident)),
        "board": lambda: _named(BoardUnit.there.filter(board=row.ident)),
        "part": lambda: _named(Deployment.there.filter(parts__kind=row.ident).distinct()),
    }[row.kind]()


def _text_changed(row: Description) -> None:
    bringing.changed_text(row.kind, row.ident)


KINDS: dict[str, Kind] = {
    "board": Kind("board", BoardUnit, _name, lambda row: users_of("board_unit", [row.pk])[row.pk], against=refuse_powered, changed=lambda row: judge_soon(board_unit=row.pk)),
    "supply": Kind("supply", Supply, _name, lambda row: users_of("supply", [row.pk])[row.pk], changed=lambda row: judge_soon(supply=row.pk)),
    "cable": Kind("cable", Cable, _name, lambda row: users_of("cable", [row.pk])[row.pk], changed=lambda row: judge_soon(cable=row.pk)),
    "card": Kind("card", OwnedCard, _name, lambda row: users_of("owned_card", [row.pk])[row.pk], changed=lambda row: judge_soon(owned_card=row.pk)),
    "part": Kind("part", Part, _name, lambda row: users_of("part", [row.pk])[row.pk], changed=lambda row: judge_soon(parts__part=row.pk)),
    "network": Kind("network", WifiNetwork, lambda row: str(row.ssid), lambda row: users_of("network", [row.pk], beside=True)[row.pk], changed=lambda row: judge_soon(site=row.site_id)),
    "image": Kind("image", Image, lambda row: str(row.file_name), _image_users, against=_image_read_now,
                  changed=lambda row: judge_soon(image=row.pk), gone=_remove_file),
    "text": Kind("text", Description, lambda row: f"{row.kind} {row.ident}", _text_users, changed=_text_changed),
    "bench": Kind("bench", Bench, _name, against=_bench_stands, keeps=_bench_has_history),
    "place": Kind("place", Site, _name, lambda row: _named(Deployment.there.filter(site=row.pk)), against=_place_stands, keeps=_place_has_history, gone=_empty_place),
}  # fmt: skip
"""Beside these, deployments: they take a board, a closed record and what happened with them."""

DEPLOYMENT = "deployment"


@dataclass(frozen=True, slots=True)
class TakenOff:
    """A thing that was taken off. `users`: who finds it again when it is put back."""

    kind: str
    id: int
    what: str
    name: str
    removed_at: datetime
    users: tuple[str, ...]
    stays: str
    """why it cannot be removed for good; empty when it can"""


def kind_of(word: str) -> Kind:
    """Return the kind called `word`. Raises MissingError."""
    kind = KINDS.get(word)
    if kind is None:
        raise MissingError("nothing of that kind can be taken off", expected=", ".join((*KINDS, DEPLOYMENT)))
    return kind


def take_off(word: str, pk: int, *, sure: bool = False) -> None:
    """Take a thing off. Raises InUseError where somebody uses it and nobody said that they are `sure`, and RefusedError for what cannot go."""
    if word == DEPLOYMENT:
        take_deployment_off(pk)
    else:
        _take_off(kind_of(word), pk, sure)


@all_or_nothing
def _take_off(kind: Kind, pk: int, sure: bool) -> None:
    row = kind.model.objects.select_for_update().filter(pk=pk, removed_at=None).first()
    if row is None:
        raise MissingError(f"that {kind.what} is not there any more", next_step="Look again.")
    kind.against(row)
    users = kind.users(row)
    name = kind.name(row)
    if users.names and not sure:
        more = " and more" if users.more else ""
        raise InUseError(
            f"{name} is used by {', '.join(users.names)}{more}",
            next_step="Say that you are sure, or choose another one there first.",
        )
    now = wiring.bench().clock.now()
    if isinstance(row, Site):
        # What is at a place goes with it, and comes back with it: all of one moment.
        for deployment in Deployment.there.filter(site=row).order_by("pk").values_list("pk", flat=True):
            take_deployment_off(deployment)
            Deployment.objects.filter(pk=deployment).update(removed_at=now)
        Bench.there.filter(site=row).update(removed_at=now)
    kind.model.objects.filter(pk=pk).update(removed_at=now)
    kind.changed(row)
    record(None, "", f"{kind.what}.taken-off", f"{kind.what.capitalize()} taken off: {name}"[:300])


def put_back(word: str, pk: int) -> None:
    """Put back what was taken off, whole. Raises MissingError, and RefusedError where another thing took its place."""
    if word == DEPLOYMENT:
        put_deployment_back(pk)
    else:
        _put_back(kind_of(word), pk)


@all_or_nothing
def _put_back(kind: Kind, pk: int) -> None:
    row = _off(kind, pk)
    site = getattr(row, "site", None)
    if isinstance(site, Site) and site.removed_at is not None:
        raise RefusedError(f"its place, {site.name}, is taken off too", next_step="Put the place back first.")
    if isinstance(row, Description) and Description.there.filter(kind=row.kind, ident=row.ident).exists():
        raise RefusedError(f"another text of the {row.kind} {row.ident} is there", next_step="Take that one off first.")
    since = row.removed_at
    kind.model.objects.filter(pk=pk).update(removed_at=None)
    if isinstance(row, Site):
        Bench.objects.filter(site=row, removed_at=since).update(removed_at=None)
        for deployment in (
            Deployment.objects.filter(site=row, removed_at=since).order_by("pk").values_list("pk", flat=True)
        ):
            put_deployment_back(deployment)
    kind.changed(row)
    record(None, "", f"{kind.what}.put-back", f"{kind.what.capitalize()} put back: {kind.name(row)}"[:300])


def _off(kind: Kind, pk: int) -> Any:
    row = kind.model.objects.select_for_update().filter(pk=pk, removed_at__isnull=False).first()
    if row is None:
        raise MissingError(f"that {kind.what} is not among what was taken off", next_step="Look again.")
    return row


def remove(word: str, pk: int) -> None:
    """Remove for good what was taken off. Raises MissingError, and RefusedError for what the records rest on."""
    if word == DEPLOYMENT:
        remove_deployment(pk)
    else:
        _remove(kind_of(word), pk)


@all_or_nothing
def _remove(kind: Kind, pk: int) -> None:
    row = _off(kind, pk)
    kind.keeps(row)
    kind.gone(row)
    name = kind.name(row)
    row.delete()
    record(None, "", f"{kind.what}.removed-for-good", f"{kind.what.capitalize()} removed for good: {name}"[:300])


MOST_LISTED = 100
"""things of each kind that are listed, the last taken off first"""


def taken_off() -> list[TakenOff]:
    """Return what was taken off and is still there to be put back, the last first."""
    found = []
    for word, kind in KINDS.items():
        for row in kind.model.objects.filter(removed_at__isnull=False).order_by("-removed_at")[:MOST_LISTED]:
            found.append(
                TakenOff(
                    word, row.pk, kind.what, kind.name(row), _when(row), tuple(kind.users(row).words), _stays(kind, row)
                )
            )
    deployments = Deployment.objects.filter(removed_at__isnull=False).order_by("-removed_at")[:MOST_LISTED]
    found += [TakenOff(DEPLOYMENT, d.pk, "deployment", d.name, _when(d), (), "") for d in deployments]
    return sorted(found, key=lambda t: t.removed_at, reverse=True)


def _when(row: Removable) -> datetime:
    assert row.removed_at is not None
    return row.removed_at


def _stays(kind: Kind, row: Any) -> str:
    try:
        kind.keeps(row)
    except MintSeedError as error:
        return error.found
    return ""
