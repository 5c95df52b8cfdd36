"""What a judgement rests on may change elsewhere: whoever changes it has just those judgements made again that rest on it.

Each call of `judge_soon` is held by a test here (that of a look, which wants a board on the network, in test_watch.py): taken out, one of
them fails.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from copy import copy
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

import pytest
from django.db.models import Model
from django.utils import timezone

from mintseed import wiring
from mintseed.core.card.identity import CardMarks, Recognition
from mintseed.core.find.naming import NameFacts
from mintseed.server.done import proofs
from mintseed.server.done.agent.naming import NameThread
from mintseed.server.done.first_byte import began
from mintseed.server.judged.judging import inputs_mark, job_moved, judge_due, judge_the_never_judged
from mintseed.server.judged.load import load
from mintseed.server.kept.models import (
    BoardUnit,
    BootRun,
    Card,
    CardQuestion,
    Claim,
    Closing,
    Deployment,
    Image,
    Job,
    Judgement,
    Reading,
    ReportedDrive,
    Site,
    WifiNetwork,
    Write,
)
from mintseed.server.kept.stored_types import XRAY
from mintseed.server.management.commands.bench_agent import Agent
from mintseed.server.owned import bringing
from mintseed.server.owned.library import keep_xray, sync_library
from tests.server.conftest import CARD_SERIAL, Api, card, report, started
from tests.server.test_proofs import backing, damage, proven, puts_in, takes_out


def becomes_due(pk: int, act: Callable[[], object]) -> bool:
    """Return whether `act` has deployment `pk`, and none that rests on nothing of it, judged again."""
    bystander = Deployment.objects.create(
        name="Bystander", recipe="lintel", host_name="by", site=Site.objects.create(name="Elsewhere")
    )
    Judgement.objects.create(deployment=bystander, line={}, inputs="")
    Judgement.objects.update(again_at=None)
    act()
    due = set(Judgement.objects.filter(again_at__isnull=False).values_list("deployment_id", flat=True))
    assert bystander.pk not in due
    return pk in due


@pytest.fixture
def whole(api: Api) -> int:
    """A deployment with one of each thing of the shelf in its plan."""
    pk = started(api)
    site = Site.objects.get().pk
    api.post(
        f"/sites/{site}/shelf/supplies", {"name": "Cube", "voltage_v": 5.1, "current_a": 3, "connector": "USB-A socket"}
    )
    api.post(
        f"/sites/{site}/shelf/cables",
        {"name": "Tail", "plug_to_supply": "USB-A", "plug_to_board": "micro-USB", "length_m": 0.5},
    )
    api.post(f"/sites/{site}/shelf/cards", {"name": "Blue one", "size_gb": 32})
    shelf = api.post(f"/sites/{site}/shelf/parts", {"name": "Stick", "kind": "skimmer"})
    key = {kind: {t["name"]: t["id"] for t in shelf[kind]} for kind in ("supplies", "cables", "cards", "parts")}
    api.put(
        f"/deployments/{pk}/plan",
        {"supply_id": key["supplies"]["Cube"], "cable_id": key["cables"]["Tail"], "owned_card_id": key["cards"]["Blue one"],
         "add_parts": [key["parts"]["Stick"]]},
    )  # fmt: skip
    return pk


def keys(pk: int) -> dict[str, int]:
    row = Deployment.objects.get(pk=pk)
    part = row.parts.get().part_id
    found = {"board": row.board_unit_id, "supply": row.supply_id, "cable": row.cable_id, "card": row.owned_card_id, "part": part,
             "network": row.network_id, "image": row.image_id}  # fmt: skip
    assert all(found.values())
    return {kind: int(key or 0) for kind, key in found.items()}


ROUTES = {"board": "boards", "supply": "supplies", "cable": "cables", "card": "cards", "part": "parts"}


@pytest.mark.parametrize("kind", ROUTES)
def test_a_thing_of_the_shelf_that_changes(api: Api, whole: int, kind: str) -> None:
    key = keys(whole)[kind]
    assert becomes_due(whole, lambda: api.put(f"/shelf/{ROUTES[kind]}/{key}", {"name": "Called otherwise"}))


@pytest.mark.parametrize("kind", [*ROUTES, "network", "image"])
def test_a_thing_that_is_taken_off_and_put_back(api: Api, whole: int, kind: str) -> None:
    key = keys(whole)[kind]
    assert becomes_due(whole, lambda: api.call("delete", f"/things/{kind}/{key}?sure=true"))
    assert becomes_due(whole, lambda: api.post(f"/taken-off/{kind}/{key}/put-back"))


def test_a_network_or_a_place_that_changes(api: Api, whole: int) -> None:
    assert becomes_due(whole, lambda: api.put(f"/networks/{keys(whole)['network']}", {"band_ghz": 5}))
    assert becomes_due(whole, lambda: api.put(f"/sites/{Deployment.objects.get(pk=whole).site_id}", {"country": "IE"}))


def test_a_text_that_is_brought(whole: int) -> None:
    texts = {"recipe": "platen", "board": BoardUnit.objects.get(pk=keys(whole)["board"]).board, "part": "skimmer"}
    for kind, ident in texts.items():
        text = (wiring.PROJECT / f"{kind}s" / f"{ident}.yaml").read_text()
        assert becomes_due(whole, lambda k=kind, i=ident, t=text: bringing.keep(k, i, f"# mine\n{t}"))  # type: ignore[misc]


def test_a_file_of_the_library_that_changes_or_goes(api: Api, whole: int) -> None:
    image = Image.objects.get(pk=keys(whole)["image"])
    sync_library()
    path = wiring.config().library / image.file_name
    before = path.stat()
    xray = image.xray
    try:
        path.touch()
        assert becomes_due(whole, sync_library)
        path.rename(path.with_suffix(".away"))
        assert becomes_due(whole, sync_library)
    finally:
        path.with_suffix(".away").rename(path)
        os.utime(path, ns=(before.st_atime_ns, before.st_mtime_ns))
    sync_library()
    read = XRAY.validate_json(xray)
    image.refresh_from_db()
    assert becomes_due(whole, lambda: keep_xray(image, read, timezone.now()))


def test_a_job_that_begins_or_ends(api: Api) -> None:
    pk = started(api)
    api.post(f"/deployments/{pk}/card/write", card())
    job = Job.objects.get(write__deployment=pk)
    assert becomes_due(pk, lambda: job_moved(job))
    reading = Job.objects.create(kind=Job.Kind.READ_IMAGE, image_id=Deployment.objects.get(pk=pk).image_id)
    assert becomes_due(pk, lambda: job_moved(reading))


def test_a_write_that_begins_and_a_proof_that_ends(api: Api) -> None:
    pk = proven(api)
    write = Write.objects.get(deployment=pk)
    assert becomes_due(pk, lambda: proofs.void([write.pk], timezone.now(), "a test says so"))
    api.post(f"/deployments/{pk}/card/write", card())
    waits = Write.objects.latest("pk")
    assert becomes_due(pk, lambda: began(waits, Card.objects.latest("pk"), timezone.now()))


def test_a_proof_that_is_suspended_and_taken_up_again(api: Api) -> None:
    """While we change files on its card."""
    pk = proven(api)
    write, since = Write.objects.get(deployment=pk), timezone.now()
    assert becomes_due(pk, lambda: proofs.suspend(write.pk, since, "files are changed on it"))
    digests = bytes(write.blocks.digests)
    assert becomes_due(pk, lambda: proofs.prove_anew(write.pk, since, timezone.now(), digests, write.marks))
    # One that ended otherwise meanwhile stays so.
    proofs.void([write.pk], timezone.now(), "a test says so")
    assert not becomes_due(pk, lambda: proofs.prove_anew(write.pk, since, timezone.now(), digests, write.marks))
    assert Write.objects.get(pk=write.pk).void_at is not None


def drive_of(pk: int) -> ReportedDrive:
    return ReportedDrive.objects.get(path=Write.objects.get(deployment=pk).drive_path)


def test_a_card_nobody_is_sure_of_any_more_and_is_again(api: Api) -> None:
    pk = proven(api)
    write, now = Write.objects.get(deployment=pk), timezone.now()
    # As if it lay in another reader: it did not stay where it was proven.
    row = ReportedDrive.objects.exclude(path=write.drive_path).order_by("pk").first() or drive_of(pk)
    marks = CardMarks(head="other", disk_id="1", volume_id="2", files={}, number="", size_bytes=write.drive_size_bytes)
    kin = Recognition("kin", None, could_be=(write.pk,))
    assert becomes_due(pk, lambda: proofs.after_look(row, kin, marks, now))
    assert becomes_due(pk, lambda: proofs.be_sure(write.pk, now))
    proofs.after_look(row, kin, marks, now)
    question = CardQuestion.objects.filter(answered_at=None).latest("pk")
    assert becomes_due(pk, lambda: proofs.answer(question.pk, None, now))


def test_a_card_that_is_seen_again_after_it_was_pulled_out(api: Api) -> None:
    pk = proven(api)
    held = takes_out(CARD_SERIAL)
    assert becomes_due(pk, lambda: puts_in(held))


def test_a_card_that_is_seen_changed(api: Api) -> None:
    pk = proven(api)
    damage("pdb", 0, 1 << 20)
    assert backing().exists()
    ReportedDrive.objects.update(recognised=None)
    assert becomes_due(pk, report)


def test_a_name_that_answers(api: Api) -> None:
    pk = proven(api)
    api.post(f"/deployments/{pk}/boot/power-on")
    run = BootRun.objects.get(deployment=pk)
    names: Any = NameThread()
    names._results[run.pk] = NameFacts(True, ("127.0.0.9",))
    assert becomes_due(pk, names._keep)
    names._results[run.pk] = NameFacts(True, ("127.0.0.9",))
    assert not becomes_due(pk, names._keep)  # nothing new


def test_a_deployment_that_is_put_back_and_an_agent_that_starts(api: Api) -> None:
    pk = started(api)
    api.call("delete", f"/deployments/{pk}")
    assert becomes_due(pk, lambda: api.post(f"/taken-off/deployment/{pk}/put-back"))
    Judgement.objects.update(again_at=None)
    Agent()
    assert not Judgement.objects.filter(again_at=None, closed=False).exists()


def test_what_is_in_service_is_not_judged_again(api: Api) -> None:
    pk = started(api)
    Judgement.objects.filter(deployment=pk).update(closed=True)
    assert not becomes_due(
        pk, lambda: api.put(f"/networks/{Deployment.objects.get(pk=pk).network_id}", {"band_ghz": 5})
    )


def test_what_is_due_is_judged_whatever_number_its_judgement_has(api: Api) -> None:
    pk = started(api)
    held = Judgement.objects.get(deployment=pk)
    held.delete()
    held.pk, held.inputs, held.again_at = held.pk + 1000 if held.pk else 5000, "", timezone.now() - timedelta(seconds=1)
    held.save(force_insert=True)
    assert not judge_due()
    assert Judgement.objects.get(deployment=pk).inputs
    # And what was never judged, as rows of an older version.
    Judgement.objects.all().delete()
    judge_the_never_judged()
    assert Judgement.objects.get(deployment=pk).line


LOOKS = ("looked_at", "noted_at")
"""columns that change with every look, and bear on nothing until there was none for long"""


def otherwise(column: str, value: object) -> object:
    told = {
        "trouble": {"sentence": "it was pulled out"}, "capacity": {"offsets": [1]}, "naming": {"asked_at": "2026-01-01T00:00:00Z"},
        "console": {"reached": [], "wrong": [{"what": "panic", "line": "Kernel panic", "at_s": 4.2}]},
    }  # fmt: skip
    if column in told:
        return told[column]
    if isinstance(value, bool) or value is None:
        return timezone.now() if column.endswith("_at") else not value
    if isinstance(value, datetime):
        return value - timedelta(days=1)
    return value + 1 if isinstance(value, int | float) else f"{value}x"


@pytest.mark.parametrize("what", ["write", "run"])
def test_whatever_of_a_write_or_a_boot_is_judged_is_in_the_mark_of_what_was(api: Api, what: str) -> None:
    pk = proven(api)
    api.post(f"/deployments/{pk}/boot/power-on")
    one = load(pk)
    row: Model = getattr(one, what)
    mark, inputs, bears = inputs_mark(one), one.inputs, []
    columns = [f.attname for f in row._meta.concrete_fields if not (f.is_relation or f.primary_key)]
    for column in columns:
        was = getattr(row, column)
        setattr(row, column, otherwise(column, was))
        changed = replace(one)
        if column not in LOOKS and changed.inputs != inputs:
            bears.append(column)
            assert inputs_mark(changed) != mark, column
        setattr(row, column, was)
    assert {
        "write": {"proven_at", "put_mark", "void_why", "chosen_mark"},
        "run": {"off_at", "joined_address", "lasted_s", "console"},
    }[what] <= set(bears)
    assert inputs_mark(replace(one)) == mark


@pytest.mark.parametrize("thing", ["", "site", "network", "board_unit", "supply", "cable", "owned_card", "image"])
def test_whatever_a_thing_says_of_itself_is_in_the_mark_of_what_was(whole: int, thing: str) -> None:
    one = load(whole)
    row: Model = getattr(one.row, thing) if thing else one.row
    mark = inputs_mark(one)
    # Of an image all comes from its bytes, and from when they were read.
    columns = (
        ["sha256", "read_at", "present"]
        if thing == "image"
        else ["removed_at", "name" if hasattr(row, "name") else "ssid"]
    )
    for column in columns:
        was = getattr(row, column)
        setattr(row, column, otherwise(column, was))
        assert inputs_mark(one) != mark, column
        setattr(row, column, was)
    assert inputs_mark(one) == mark
    if thing not in ("", "site"):
        one.row._meta.get_field(thing).set_cached_value(one.row, None)  # type: ignore[union-attr]
        assert inputs_mark(one) != mark


def test_that_somebody_looked_is_in_the_mark_once_and_that_nobody_does(api: Api) -> None:
    pk = proven(api)
    api.post(f"/deployments/{pk}/boot/power-on")
    one = load(pk)
    assert one.run is not None
    never = inputs_mark(one)
    one.run.looked_at = one.now
    looked = inputs_mark(replace(one))
    one.run.looked_at = one.now - timedelta(seconds=1)
    assert inputs_mark(replace(one)) == looked != never
    assert inputs_mark(replace(one, now=one.now + timedelta(hours=1))) != looked


def test_another_write_another_claim_and_another_further_network_are_in_the_mark(api: Api, settings: Any) -> None:
    pk = proven(api)
    api.post(f"/deployments/{pk}/boot/power-on")
    one = load(pk)
    assert one.write is not None
    mark = inputs_mark(one)
    assert inputs_mark(replace(one, write=copy(one.write))) == mark
    other = copy(one.write)
    other.pk += 1
    claims = [Claim(pk=n, address="192.168.7.40", by=by) for n, by in ((1, "mo"), (2, "mo"), (2, "al"))]
    networks = [WifiNetwork(pk=1, ssid=ssid) for ssid in ("Attic", "Loft")]
    another = [
        replace(one, write=other), *(replace(one, claim=c) for c in claims), *(replace(one, also=(n,)) for n in networks),
        replace(one, closing=Closing(pk=1)), replace(one, addresses_taken={"192.168.7.40": "Hall"}), replace(one, names_taken=frozenset({"press"})),
        replace(one, network_seen={}), replace(one, names_heard={}), replace(one, readings=[Reading(pk=1)]), replace(one, joined=((1, "k"),)),
    ]  # fmt: skip
    marks = [inputs_mark(o) for o in another]
    assert len({mark, *marks}) == len(marks) + 1
    # Secrets go into it, so nobody without the key can try which it was.
    settings.SECRET_KEY = "of another home"
    assert inputs_mark(one) != mark
