"""Records that hold: what is in service is shown as it was, whatever becomes of the place, the shelf, the recipe and the image."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from mintseed import wiring
from mintseed.core.find.candidates import PageAnswer
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.agent.looking import look_once, watched
from mintseed.server.judged.frozen import pack, unpack
from mintseed.server.judged.judging import judged, reopen
from mintseed.server.kept.models import (
    BoardUnit,
    BootRun,
    Claim,
    Closing,
    Deployment,
    Image,
    Judgement,
    LogEntry,
    OwnedCard,
    Reading,
    Site,
    WifiNetwork,
    Write,
)
from mintseed.server.owned import descriptions
from mintseed.standins.bench import mac_of
from mintseed.standins.router.leases import LeaseBook
from tests.database_plugin import LAN
from tests.server.conftest import OTHER_CARD_SERIAL, Api, card, judged_again, report, shown, started, work

STATIONS = ("plan", "image", "settings", "card", "boot", "find", "setup", "keep")

NOW = {
    "plan": ("units", "supplies", "cables", "cards", "networks", "part_choices", "more_units", "board_unit_id", "supply_id", "cable_id", "owned_card_id",
             "network_id", "time"),
    "image": ("choices", "to_build", "building"),
    "card": ("drives", "job", "questions"),
    "boot": ("events", "ready", "not_ready_because", "not_ready_fix", "not_ready_station", "before_looked_at"),
    "find": ("networks", "scanned_at"),
    "keep": ("next_host_name", "next_name", "log"),
}  # fmt: skip
"""What a page says of now beside the device: what else could be chosen, what lies in the readers."""


def claimed(api: Api, monkeypatch: pytest.MonkeyPatch) -> int:
    pk = started(api, host_name="reading-press")
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    api.post(f"/deployments/{pk}/boot/power-on")
    unit = Deployment.objects.get(pk=pk).board_unit_id
    address = LeaseBook(wiring.config().bench_folder, LAN).give(mac_of(f"unit-{unit}"), "reading-press")
    probe = type(wiring.bench().probe)
    monkeypatch.setattr(probe, "get", lambda self, url: PageAnswer(url, 200, "Platen print desk"))
    monkeypatch.setattr(probe, "post_form", lambda self, url, fields: PageAnswer(url, 401))
    look_once(watched(own_bench()))
    api.post(f"/deployments/{pk}/find/claim", {"address": address})
    return pk


def in_service(api: Api, monkeypatch: pytest.MonkeyPatch) -> int:
    pk = claimed(api, monkeypatch)
    api.post(f"/deployments/{pk}/setup/check", {"step": "password"})
    api.post(f"/deployments/{pk}/keep/done")
    return pk


def told(api: Api, pk: int) -> dict[str, Any]:
    """Return what each station says of the device itself."""
    found = {}
    for station in STATIONS:
        answer = api.get(f"/deployments/{pk}/{station}")
        found[station] = {k: v for k, v in answer.items() if k not in NOW.get(station, ())}
    found["bench"] = next(d for d in shown(api) if d["id"] == pk)
    return found


def test_all_stations_are_shown_as_they_were(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    pk = in_service(api, monkeypatch)
    before = told(api, pk)
    assert before["settings"]["files"]
    row = Deployment.objects.get(pk=pk)
    # The place moves, the network goes, the board is sold, its image is read anew as something else, its recipe is gone.
    Site.objects.update(name="Elsewhere", country="NZ", time_zone="Pacific/Auckland", keyboard="fr")
    WifiNetwork.objects.filter(pk=row.network_id).delete()
    BoardUnit.objects.filter(pk=row.board_unit_id).delete()
    Image.objects.filter(pk=row.image_id).update(xray="", outline="", release="", present=False)
    known = descriptions.known()
    without = {k: v for k, v in known.recipes.items() if k != "platen"}
    monkeypatch.setattr(
        descriptions, "known", lambda: type(known)(**{**known.__dict__, "recipes": without, "mark": "other"})
    )
    judged_again()
    after = told(api, pk)
    assert {part: after[part] for part in before if after[part] != before[part]} == {}


def test_what_happened_keeps_the_names_of_what_it_happened_to(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    pk = in_service(api, monkeypatch)
    unit = BoardUnit.objects.get(pk=Deployment.objects.get(pk=pk).board_unit_id)
    api.post(f"/deployments/{pk}/boot/power-off")
    BoardUnit.objects.filter(pk=unit.pk).delete()
    run = BootRun.objects.get(deployment=pk)
    mark = descriptions.boards()[unit.board].printed_mark
    assert (run.board_unit, run.board_name, run.board_mark) == (None, unit.name, mark)
    assert api.get(f"/deployments/{pk}/boot")["runs"][0]["board"] == f"{unit.name}, {mark}"
    # And it is said why it cannot be powered again, instead of falling over.
    status, problem = api.call("post", f"/deployments/{pk}/boot/power-on", {})
    assert (status, problem["found"]) == (409, "No board is chosen")


def test_a_write_keeps_what_its_card_was_called(api: Api) -> None:
    pk = started(api)
    owned = OwnedCard.objects.create(site=own_bench().site, name="Blue 32", size_gb=32, classes=[])
    api.put(f"/deployments/{pk}/plan", {"owned_card_id": owned.pk})
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    owned.delete()
    assert api.get(f"/deployments/{pk}/card")["writes"][0]["card_name"] == "Blue 32"


def test_a_write_that_waits_reopens_nothing_until_it_begins(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    pk = in_service(api, monkeypatch)
    report()
    api.post(f"/deployments/{pk}/card/write", card(OTHER_CARD_SERIAL))
    waiting = api.get(f"/deployments/{pk}/card")
    assert (waiting["deployment"]["closed"], waiting["job"]["active"]) == (True, True)
    api.post(f"/deployments/{pk}/card/stop")
    work()
    assert api.get(f"/deployments/{pk}")["closed"]
    assert BootRun.objects.get(deployment=pk).off_at is None
    assert Write.objects.filter(deployment=pk, void_at=None, proven_at__isnull=False).count() == 1
    # Asked again and let go on, it begins a new story with what is chosen now.
    Site.objects.update(country="NZ")
    api.post(f"/deployments/{pk}/card/write", card(OTHER_CARD_SERIAL))
    work()
    assert not api.get(f"/deployments/{pk}")["closed"]
    assert api.get(f"/deployments/{pk}/settings")["country"]["value"] == "NZ"
    assert BootRun.objects.get(deployment=pk).off_at is not None


def test_what_was_closed_lies_encrypted_and_comes_back_whole(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    pk = in_service(api, monkeypatch)
    one = judged(pk).loaded
    assert one.frozen is not None
    assert one.frozen == unpack(pack(replace(one.live.inputs, now=one.frozen.now)))
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("SELECT frozen FROM mintseed_closing WHERE deployment_id = %s", [pk])
        kept = cursor.fetchone()[0]
    assert kept.startswith("gAAAA")  # a Fernet token: its version byte is 0x80. Source: the Fernet specification
    # What this version cannot read is not an error: the device is shown as it is now.
    Closing.objects.filter(deployment=pk).update(frozen="of another version")
    assert api.get(f"/deployments/{pk}/settings")["files"]


def test_a_new_story_of_one_device_reopens_no_other_and_no_earlier_story(api: Api) -> None:
    now, site = timezone.now(), Site.objects.get()
    one, other = (
        Deployment.objects.create(name=name, recipe="lintel", host_name=name, site=site) for name in ("one", "other")
    )
    before = now - timedelta(days=9)
    earlier = Closing.objects.create(deployment=one, label="first", at=before, reopened_at=before)
    closed = [Closing.objects.create(deployment=row, label="now", at=now) for row in (one, other)]
    for row in (one, other):
        Judgement.objects.create(deployment=row, line={}, inputs="", closed=True, place=Judgement.Place.SERVICE)
    reopen(one, now)
    assert [Closing.objects.get(pk=c.pk).reopened_at for c in (earlier, *closed)] == [before, now, None]
    held = {j.deployment_id: (j.closed, j.place) for j in Judgement.objects.filter(deployment__in=(one, other))}
    assert held == {one.pk: (False, Judgement.Place.OPEN), other.pk: (True, Judgement.Place.SERVICE)}


def another_window(api: Api, pk: int, kind: str) -> None:
    """Do something to the device while its page is being asked, which takes seconds at a slow one."""
    if kind == "puts it in service":
        api.post(f"/deployments/{pk}/keep/done")
    elif kind == "writes its card anew":
        api.post(f"/deployments/{pk}/boot/power-off")
        api.post(f"/deployments/{pk}/card/write", card())
        work()
    else:
        Claim.objects.filter(deployment=pk).update(address="127.77.5.250")


@pytest.mark.parametrize("kind", ["puts it in service", "writes its card anew", "claims another address"])
def test_what_was_measured_counts_for_what_it_was_measured_at(
    api: Api, monkeypatch: pytest.MonkeyPatch, kind: str
) -> None:
    pk = claimed(api, monkeypatch)

    def slow(self: object, url: str, fields: object) -> PageAnswer:
        another_window(api, pk, kind)
        return PageAnswer(url, 401)

    monkeypatch.setattr(type(wiring.bench().patient_probe), "post_form", slow)
    status, said = api.call("post", f"/deployments/{pk}/setup/check", {"step": "password"})
    assert status == 409
    assert said["next_step"]
    assert not Reading.objects.filter(deployment=pk).exists()
    assert not LogEntry.objects.filter(deployment=pk, event__startswith="setup.").exists()


CHANGES: dict[str, tuple[str, str, Any]] = {
    "plan": ("put", "plan", {"card_gb": 64}),
    "image": ("put", "image", {"image_id": 0}),
    "settings": ("put", "settings", {"host_name": "another"}),
    "agree": ("post", "settings/agree", {}),
    "claim": ("post", "find/claim", {"address": ""}),
    "way": ("post", "find/way", {"by": "cable"}),
    "let go": ("post", "find/let-go", {}),
    "check": ("post", "setup/check", {"step": "password"}),
    "tick": ("post", "setup/tick", {"step": "printer", "done": True}),
}
"""what one window does to a device that another one may put into service at this moment"""

KEPT_BY = {
    **dict.fromkeys(("plan", "image", "settings", "agree"), "UPDATE `mintseed_deployment`"), "claim": "INSERT INTO `mintseed_claim`",
    **dict.fromkeys(("way", "let go"), "UPDATE `mintseed_claim`"), **dict.fromkeys(("check", "tick"), "INSERT INTO `mintseed_reading`"),
}  # fmt: skip


def change(api: Api, pk: int, what: str) -> tuple[int, Any]:
    method, path, body = CHANGES[what]
    image, address = Deployment.objects.get(pk=pk).image_id, Claim.objects.get(deployment=pk).address
    known = {"image_id": image, "address": address}
    return api.call(method, f"/deployments/{pk}/{path}", {k: known.get(k, v) for k, v in body.items()})


def test_a_closed_record_takes_no_change(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    pk = in_service(api, monkeypatch)
    noted = LogEntry.objects.filter(deployment=pk).count()
    refused = "its record is closed. Use “The same again”, or write its card again to begin anew."
    for what in CHANGES:
        status, said = change(api, pk, what)
        assert (what, status, said["title"]) == (what, 409, refused)
        assert (what, LogEntry.objects.filter(deployment=pk).count()) == (what, noted)
        claim = Claim.objects.get(deployment=pk)
        assert (what, claim.taken_back_at, claim.by) == (what, None, "")
        assert not Reading.objects.filter(deployment=pk, step="printer").exists()


def test_what_is_changed_is_held_from_the_look_at_it_until_it_is_kept(
    api: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Nobody closes the record, or changes it in another way, in between."""
    pk = claimed(api, monkeypatch)
    for what in CHANGES:
        # Each begins with the device as it is now.
        with transaction.atomic(), CaptureQueriesContext(connection) as asked:
            Deployment.objects.filter(pk=pk).update(settings_agreed=False)
            begins = len(asked)
            status, _ = change(api, pk, what)
            statements = [q["sql"] for q in asked.captured_queries[begins:]]
            transaction.set_rollback(True)
        assert (what, status) == (what, 200)
        held = next(
            n for n, sql in enumerate(statements) if "mintseed_deployment" in sql and sql.endswith("FOR UPDATE")
        )
        kept = next(n for n, sql in enumerate(statements) if sql.startswith(KEPT_BY[what]))
        assert any("mintseed_closing" in sql for sql in statements[held:kept]), what


def test_what_is_noted_of_going_into_service_is_what_happened(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whether anybody printed the label nobody measures."""
    pk = in_service(api, monkeypatch)
    noted = next(e["text"] for e in api.get(f"/deployments/{pk}/keep")["log"] if e["text"].startswith("In service at"))
    assert "its label is kept with it" in noted
    assert "label taken" not in noted
