"""The walk down the line through the API, without a browser."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone

from mintseed import wiring
from mintseed.core.find.candidates import PageAnswer
from mintseed.server.demo.quay_house import DRIVES
from mintseed.server.done import power
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.agent.looking import look_once, watched
from mintseed.server.doors.roles import may
from mintseed.server.kept.models import (
    Bench,
    BoardUnit,
    BootRun,
    Claim,
    Deployment,
    Judgement,
    LogEntry,
    Reading,
    ReportedDrive,
    Site,
    StationRecord,
    Write,
)
from mintseed.standins.bench import mac_of
from mintseed.standins.forge.build import build_used_card
from mintseed.standins.router.leases import LeaseBook
from tests.database_plugin import LAN
from tests.server.conftest import CARD_SERIAL, OTHER_CARD_SERIAL, Api, card, judged_again, report, shown, started, work


def now_at(api: Api, pk: int) -> str:
    return str(api.get(f"/deployments/{pk}")["line"]["now"])


def written(api: Api, **settings: str) -> int:
    pk = started(api, **settings)
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    return pk


def test_an_old_table_is_told_and_cleared_with_the_write(api: Api) -> None:
    def told() -> list[str]:
        drives = api.get(f"/deployments/{pk}/card")["drives"]
        return [d["serial"] for d in drives if "card.old-table-at-end" in [f["code"] for f in d["findings"]]]

    pk = started(api)
    used = next(d for d in DRIVES if d["serial"] == OTHER_CARD_SERIAL)
    build_used_card(wiring.config().bench_folder.cards / f"{used['name']}.img", used["size"])
    report()
    assert told() == [OTHER_CARD_SERIAL]
    api.post(f"/deployments/{pk}/card/write", card(OTHER_CARD_SERIAL))
    work()
    assert told() == [OTHER_CARD_SERIAL], "no image reaches there"
    api.post(f"/deployments/{pk}/card/write", {**card(OTHER_CARD_SERIAL), "clear_end": True})
    work()
    assert told() == []
    assert [w["clears_end"] for w in api.get(f"/deployments/{pk}/card")["writes"]] == [True, False]
    entry = LogEntry.objects.filter(event="card.proven").latest("pk")
    assert entry.text.endswith("its last 1 MiB cleared")


def test_every_station_in_turn(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    pk = started(api, host_name="reading-press")
    assert now_at(api, pk) == "card"
    writing = api.post(f"/deployments/{pk}/card/write", card())
    assert writing["job"]["active"]
    assert writing["deployment"]["line"]["marks"][3]["mark"] == "run"
    work()
    proven = api.get(f"/deployments/{pk}/card")
    assert (proven["proven"], proven["current"], proven["released"], proven["job"]["state"]) == (
        True,
        True,
        True,
        "done",
    )
    assert [p["phase"] for p in proven["writes"][0]["phases"]] == ["writing", "flushing", "reading-back"]
    assert now_at(api, pk) == "boot"

    boot = api.post(f"/deployments/{pk}/boot/power-on")
    assert boot["finding"]["code"] == "boot.waiting"
    report()
    assert not any(d["serial"] == CARD_SERIAL for d in api.get("/bench")["drives"])
    unit = Deployment.objects.get(pk=pk).board_unit_id
    address = LeaseBook(wiring.config().bench_folder, LAN).give(mac_of(f"unit-{unit}"), "reading-press")
    answers = {"status": 200, "body": "Platen print desk"}
    probe = wiring.bench().probe
    monkeypatch.setattr(type(probe), "get", lambda self, url: PageAnswer(url, **answers))
    look_once(watched(own_bench()))
    assert now_at(api, pk) == "find"
    find = api.post(f"/deployments/{pk}/find/claim", {"address": address})
    assert find["url"] == f"http://{address}:5310/"
    assert find["qr_size"] > 20
    assert now_at(api, pk) == "setup"
    # The board is known by its hardware address from now on; not by one that was claimed by mistake.
    mac = mac_of(f"unit-{unit}")
    assert mac in BoardUnit.objects.get(pk=unit).macs
    api.post(f"/deployments/{pk}/find/let-go")
    assert mac not in BoardUnit.objects.get(pk=unit).macs
    api.post(f"/deployments/{pk}/find/claim", {"address": address})

    api.post(f"/deployments/{pk}/setup/check", {"step": "page"})
    monkeypatch.setattr(type(probe), "post_form", lambda self, url, fields: PageAnswer(url, 200))
    setup = api.post(f"/deployments/{pk}/setup/check", {"step": "password"})
    assert setup["steps"][1]["state"] == "failed"
    assert setup["deployment"]["line"]["needs_you"]
    monkeypatch.setattr(type(probe), "post_form", lambda self, url, fields: PageAnswer(url, 401))
    api.post(f"/deployments/{pk}/setup/check", {"step": "password"})
    assert api.call("post", f"/deployments/{pk}/setup/tick", {"step": "password", "done": True})[0] == 409
    api.post(f"/deployments/{pk}/setup/tick", {"step": "printer", "done": True})
    assert now_at(api, pk) == "keep"

    keep = api.post(f"/deployments/{pk}/keep/done")
    assert keep["label"]["address"] == address
    assert api.get(f"/deployments/{pk}")["line"]["finished"]
    events = [line["event"] for line in keep["log"]]
    assert events[0] == "deployment.started"
    assert [e for e in events if e in ("card.proven", "boot.powered-on", "boot.joined", "find.claimed", "keep.in-service")] == [
        "card.proven", "boot.powered-on", "boot.joined", "find.claimed", "find.claimed", "keep.in-service",
    ]  # fmt: skip

    again = api.post(
        f"/deployments/{pk}/keep/same-again", {"name": "Map-room press", "host_name": keep["next_host_name"]}
    )
    assert again["host_name"] == "reading-press-2"
    # What changes at the site afterwards does not touch the record of a device in service.
    before = api.get(f"/deployments/{pk}")["line"]
    site = Site.objects.get().pk
    api.put(f"/sites/{site}", {"name": "Quay House", "country": "IE", "time_zone": "Europe/Dublin", "keyboard": "gb", "networks": [LAN]})  # fmt: skip
    assert api.get(f"/deployments/{pk}")["line"] == before
    assert before["finished"]


def test_changed_settings_make_the_card_old(api: Api) -> None:
    pk = written(api)
    assert now_at(api, pk) == "boot"
    api.put(f"/deployments/{pk}/settings", {"host_name": "another"})
    old = api.get(f"/deployments/{pk}/card")
    assert (old["proven"], old["current"]) == (True, False)
    assert old["deployment"]["line"]["now"] == "card"
    assert api.call("post", f"/deployments/{pk}/boot/power-on", {})[0] == 409
    api.put(f"/deployments/{pk}/settings", {"host_name": "platen"})
    assert now_at(api, pk) == "boot"


def test_another_image_makes_the_card_old(api: Api) -> None:
    pk = written(api)
    choices = api.get(f"/deployments/{pk}/image")["choices"]
    other = next(c["image"]["id"] for c in choices if c["image"]["file_name"] == "platen-3.0-64.img.gz")
    station = api.put(f"/deployments/{pk}/image", {"image_id": other})
    assert station["deployment"]["line"]["now"] == "card"


def test_a_wrong_passphrase_is_named_first_when_late(api: Api) -> None:
    pk = written(api, passphrase="spring tide at nine")
    api.post(f"/deployments/{pk}/boot/power-on")
    assert api.get(f"/deployments/{pk}/boot")["causes"] == []
    pace = wiring.bench().clock.boot_pace
    BootRun.objects.filter(deployment_id=pk).update(powered_at=timezone.now() - timedelta(seconds=310 / pace))
    look_once(watched(own_bench()))
    look_once(watched(own_bench()))
    boot = api.get(f"/deployments/{pk}/boot")
    assert boot["finding"]["code"] == "boot.late"
    assert len(boot["causes"]) == 3
    assert boot["causes"][0]["code"] == "boot.cause-passphrase"
    assert boot["deployment"]["line"]["marks"][4]["mark"] == "check"
    assert LogEntry.objects.filter(event="boot.late").count() == 1
    off = api.post(f"/deployments/{pk}/boot/power-off")
    # The failed boot stays in view, with its causes, and the same card may be tried again.
    assert off["finding"]["code"] == "boot.failed-run"
    assert "Run 1" in off["deployment"]["line"]["next_step"]
    assert off["causes"] == boot["causes"]
    assert (off["ready"], off["runs"][0]["ended"]) == (True, "late")
    report()
    assert any(d["serial"] == CARD_SERIAL for d in api.get("/bench")["drives"])


def test_nothing_is_written_before_it_is_ready(api: Api) -> None:
    pk = api.post("/deployments", {"recipe": "platen"})["id"]
    status, problem = api.call("post", f"/deployments/{pk}/card/write", card())
    assert status == 409
    assert "No image" in problem["title"]
    assert api.call("post", f"/deployments/{pk}/settings/agree")[0] == 409
    assert api.call("post", f"/deployments/{pk}/find/look")[0] == 409
    assert api.call("post", f"/deployments/{pk}/keep/done")[0] == 409
    assert api.call("post", f"/deployments/{pk}/setup/check", {"step": "page"})[0] == 409


def test_a_plan_that_stops_keeps_the_card_untouched(api: Api) -> None:
    pk = started(api)
    plan = api.get(f"/deployments/{pk}/plan")
    twin = next(u["id"] for u in plan["units"] if u["board_name"] == "Larkspur C")
    plan = api.put(f"/deployments/{pk}/plan", {"board_unit_id": twin})
    assert plan["deployment"]["line"]["marks"][0]["mark"] == "stop"
    status, problem = api.call("post", f"/deployments/{pk}/card/write", card())
    assert (status, "no radio" in problem["title"]) == (409, True)


@pytest.mark.parametrize(
    ("serial", "change", "said"),
    [
        (CARD_SERIAL, {"again": "/dev/pdc"}, "second pick"),
        ("QH-0001", {}, "Holds this system"),
        (CARD_SERIAL, {"serial": "QH-OTHER"}, "another drive"),
    ],
)
def test_the_wrong_drive_is_refused(api: Api, serial: str, change: dict[str, str], said: str) -> None:
    pk = started(api)
    status, problem = api.call("post", f"/deployments/{pk}/card/write", {**card(serial), **change})
    assert status == 409
    assert said in problem["title"]


def test_names_are_kept_by_who_came_first(api: Api) -> None:
    first, second = started(api, host_name="press"), api.post("/deployments", {"recipe": "platen"})["id"]
    status, problem = api.call("put", f"/deployments/{second}/settings", {"host_name": "PRESS"})
    assert (status, problem["where"]) == (422, "host_name")
    assert "PRESS is taken here, by Reading-room press" in problem["title"]
    assert "PRESS-2 is not taken" in problem["next_step"]
    assert api.get(f"/deployments/{second}/settings")["host_name"] != "PRESS"
    # Its own name in other letters is its own.
    assert api.put(f"/deployments/{first}/settings", {"host_name": "Press"})["host_name"] == "Press"
    # Taken off, its name is anybody's; put back, both have it, and the later one is told.
    api.call("delete", f"/deployments/{first}")
    api.put(f"/deployments/{second}/settings", {"host_name": "press"})
    api.post(f"/deployments/{first}/restore")
    taken = [f["code"] for f in api.get(f"/deployments/{second}/settings")["findings"]]
    assert "settings.host-name-taken" in taken
    api.put(f"/deployments/{second}/settings", {"host_name": "pressing"})
    assert not Deployment.objects.get(pk=second).name_shared


def test_taken_off_the_bench_and_put_back(api: Api) -> None:
    pk = started(api)
    assert api.call("delete", f"/deployments/{pk}")[0] == 204
    assert api.call("get", f"/deployments/{pk}")[0] == 404
    assert shown(api) == []
    assert api.post(f"/deployments/{pk}/restore")["line"]["now"] == "card"


def test_a_lintel_account_is_hashed_and_the_password_forgotten(api: Api) -> None:
    pk = api.post("/deployments", {"recipe": "lintel"})["id"]
    status, problem = api.call("put", f"/deployments/{pk}/settings", {"admin_password": "short"})
    assert (status, problem["where"]) == (422, "admin_password")
    settings = api.put(f"/deployments/{pk}/settings", {"admin_name": "keeper", "admin_password": "three wet boots"})
    assert settings["admin_password_set"]
    assert Deployment.objects.get(pk=pk).admin_hash.startswith("$6$")
    assert "three wet boots" not in str(settings)


def test_a_device_kept_with_its_own_login_still_open_shows_just_that(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    pk = written(api, host_name="reading-press")
    api.post(f"/deployments/{pk}/boot/power-on")
    unit = Deployment.objects.get(pk=pk).board_unit_id
    address = LeaseBook(wiring.config().bench_folder, LAN).give(mac_of(f"unit-{unit}"), "reading-press")
    probe = type(wiring.bench().probe)
    monkeypatch.setattr(probe, "get", lambda self, url: PageAnswer(url, 200, "Platen print desk"))
    monkeypatch.setattr(probe, "post_form", lambda self, url, fields: PageAnswer(url, 200))
    look_once(watched(own_bench()))
    api.post(f"/deployments/{pk}/find/claim", {"address": address})
    api.post(f"/deployments/{pk}/setup/check", {"step": "password"})
    kept = api.post(f"/deployments/{pk}/keep/done")["deployment"]
    marks = {m["station"]: m["mark"] for m in kept["line"]["marks"]}
    assert (marks["setup"], marks["keep"], kept["closed"]) == ("stop", "ok", True)
    assert (
        StationRecord.objects.get(deployment_id=pk, station="setup", current=True).findings[0]["code"]
        == "setup.default-login-opens"
    )
    # Closed is closed: nothing of it can be changed but by a new write.
    assert api.call("put", f"/deployments/{pk}/settings", {"host_name": "x"})[0] == 409
    assert api.call("post", f"/deployments/{pk}/setup/tick", {"step": "printer", "done": True})[0] == 409
    api.post(f"/deployments/{pk}/boot/power-off")
    report()
    api.post(f"/deployments/{pk}/card/write", card())
    assert api.get(f"/deployments/{pk}")["closed"]  # until it begins
    work()
    assert not api.get(f"/deployments/{pk}")["closed"]
    # What happened before is still there.
    assert Claim.objects.filter(deployment_id=pk, taken_back_at=None).count() == 1
    assert Reading.objects.filter(deployment_id=pk).count() == 1
    assert Write.objects.filter(deployment_id=pk).count() == 2


def test_records_are_made_when_something_changes_and_not_when_somebody_looks(api: Api) -> None:
    pk = started(api)
    api.get("/bench")
    count = StationRecord.objects.count()
    for _ in range(3):
        api.get("/bench")
        api.get(f"/deployments/{pk}/settings")
    assert StationRecord.objects.count() == count
    api.put(f"/deployments/{pk}/settings", {"host_name": "-"})
    assert StationRecord.objects.filter(deployment_id=pk, station="settings").count() > 1
    latest = StationRecord.objects.get(deployment_id=pk, station="settings", current=True)
    assert (latest.verdict, latest.findings[0]["code"]) == ("stop", "settings.host-name-letters")


def test_a_second_write_does_not_erase_the_first(api: Api) -> None:
    pk = written(api)
    first = Write.objects.get(deployment_id=pk)
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    first.refresh_from_db()
    assert (first.outcome, bool(first.digest), first.holds) == ("proven", True, False)
    assert Write.objects.filter(deployment_id=pk, void_at=None).count() == 1
    assert Write.objects.latest("pk").lease_number == first.lease_number + 1


def test_the_bench_tells_the_time_of_the_site(api: Api) -> None:
    Site.objects.update(time_zone="Asia/Tokyo")
    pk = written(api)
    api.post(f"/deployments/{pk}/boot/power-on")
    run = BootRun.objects.get(deployment_id=pk)
    # Japan keeps UTC+9 all year (IANA time zone database).
    said = next(d for d in shown(api) if d["id"] == pk)["line"]["next_detail"]
    assert f"{run.powered_at + timedelta(hours=9):%H:%M:%S}" in said


def test_a_passphrase_of_its_own_is_told_from_the_places_once_others_joined_with_that(api: Api) -> None:
    first = written(api, host_name="first")
    api.post(f"/deployments/{first}/boot/power-on")
    second = started(api, host_name="second", unit="bare")

    def told() -> list[str]:
        return [
            f["code"]
            for f in api.get(f"/deployments/{second}/settings")["findings"]
            if f["code"] == "wifi.passphrase-other"
        ]

    api.put(f"/deployments/{second}/settings", {"passphrase": "another one of mine"})
    assert not told(), "nobody joined yet"
    BootRun.objects.filter(deployment_id=first).update(joined_after_s=41.0)
    assert told() == ["wifi.passphrase-other"]
    api.put(f"/deployments/{second}/settings", {"passphrase": "spring tide at noon"})
    assert not told(), "the same words as the place's"
    api.put(f"/deployments/{second}/settings", {"passphrase": ""})
    assert not told()


def test_a_sites_passphrase_changed_after_others_joined_does_not_hide_the_cause(api: Api) -> None:
    first = written(api, host_name="first")
    api.post(f"/deployments/{first}/boot/power-on")
    BootRun.objects.filter(deployment_id=first).update(joined_after_s=41.0)
    network = Site.objects.get().wifi.get(ssid="Quay House 2G").pk
    api.put(f"/networks/{network}", {"ssid": "Quay House 2G", "band_ghz": 2.4, "passphrase": "a new and wrong one"})
    second = started(api, host_name="second", unit="bare")
    api.post(f"/deployments/{second}/card/write", card(OTHER_CARD_SERIAL))
    work()
    api.post(f"/deployments/{second}/boot/power-on")
    late = timezone.now() - timedelta(seconds=310 / wiring.bench().clock.boot_pace)
    BootRun.objects.filter(deployment_id=second).update(powered_at=late)
    cause = api.get(f"/deployments/{second}/boot")["causes"][0]
    assert cause["code"] == "boot.cause-passphrase"
    assert "1 other board joined" in cause["speaks_for"][0]


def test_a_powered_board_goes_off_with_its_deployment_and_the_plan_waits(api: Api) -> None:
    pk = written(api)
    api.post(f"/deployments/{pk}/boot/power-on")
    other = next(u["id"] for u in api.get(f"/deployments/{pk}/plan")["units"] if u["board_name"] == "Tansy")
    status, problem = api.call("put", f"/deployments/{pk}/plan", {"board_unit_id": other})
    assert (status, "powered" in problem["title"]) == (409, True)
    assert api.call("delete", f"/deployments/{pk}")[0] == 204
    assert wiring.config().bench_folder.powered() == {}
    back = api.post(f"/deployments/{pk}/restore")
    assert BootRun.objects.get(deployment_id=pk).off_at is not None
    assert back["line"]["now"] == "boot"


def test_the_next_one_takes_over_one_declared_list_of_choices() -> None:
    from mintseed.services.same_again import COPIED, ITS_OWN

    fields = {f.name for f in Deployment._meta.concrete_fields if not f.generated}
    assert set(COPIED) | set(ITS_OWN) == fields
    assert not set(COPIED) & set(ITS_OWN)


def test_a_broken_description_spoils_only_its_own_deployment(api: Api) -> None:
    whole, broken = started(api), started(api, host_name="second")
    Deployment.objects.filter(pk=broken).update(recipe="gone")
    judged_again()
    bench = {d["id"]: d for d in shown(api)}
    assert bench[whole]["line"]["now"] == "card"
    assert bench[broken]["line"]["needs_you"]
    assert "recipe gone is gone" in bench[broken]["line"]["next_step"]
    assert api.call("get", f"/deployments/{broken}/plan")[0] == 404

    BoardUnit.objects.filter(board="larkspur-r").update(board="unheard-of")
    judged_again()
    assert "unheard-of" in next(d for d in shown(api) if d["id"] == whole)["line"]["next_step"]
    assert api.get(f"/sites/{Site.objects.get().pk}/shelf")["units"][2]["findings"][0]["code"] == "shelf.board-unknown"


def test_what_an_older_version_stored_is_read_again_or_left_out(api: Api) -> None:
    from mintseed.server.kept.models import Image

    pk = written(api)
    api.post(f"/deployments/{pk}/boot/power-on")
    BootRun.objects.filter(deployment_id=pk).update(candidates='[{"old": 1}]', causes=[{"share": 0.5}])
    assert api.get(f"/deployments/{pk}/find")["candidates"] == []
    Image.objects.update(xray='{"an": "older X-ray"}')
    judged_again()
    assert shown(api)[0]["line"]["now"] == "image"


def test_another_deployment_does_not_make_this_one_be_judged_again(api: Api) -> None:
    first = started(api, host_name="first")
    api.get("/bench")
    before = Judgement.objects.get(deployment_id=first)
    started(api, host_name="second")
    api.get("/bench")
    after = Judgement.objects.get(deployment_id=first)
    assert (after.inputs, after.at) == (before.inputs, before.at)


def test_powered_some_minutes_ago_shows_what_was_noted_since_and_nothing_before(
    api: Api, owner: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    pk = written(api)
    Bench.objects.update(kind=Bench.Kind.REAL)
    assert api.call("get", "/bench")[0] == 401  # from now on not everybody comes in
    api = owner
    monkeypatch.setattr(power, "_have_looked", lambda bench: True)
    ReportedDrive.objects.all().delete()  # taken out of its reader
    boot = api.post(f"/deployments/{pk}/boot/power-on", {"ago_s": 120})
    assert boot["by_hand"]
    assert [e["event"] for e in boot["events"]] == ["boot.powered-on"]
    run = BootRun.objects.get(deployment_id=pk)
    assert 119 < (run.noted_at - run.powered_at).total_seconds() < 130
    # This bench began to look at the network after that, so nothing can be called new.
    assert run.known_before is None


def test_a_made_up_deployment_is_one_from_the_first_moment(
    api: Api, owner: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    made_up = api.post("/deployments", {"recipe": "platen", "demo": True})["id"]
    own = api.post("/deployments", {"recipe": "platen"})["id"]
    assert dict(Deployment.objects.values_list("pk", "demo")) == {made_up: True, own: False}
    assert api.post("/demo/clear") == {"count": 1}
    assert [d["id"] for d in shown(api)] == [own]
    monkeypatch.setitem(vars(wiring.config()), "bench", "real")
    assert not Deployment.objects.get(pk=owner.post("/deployments", {"recipe": "platen", "demo": True})["id"]).demo


def test_an_image_that_left_the_library_is_not_there_now(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    """Its reading is shown as it was; nothing is called ready, and what was proven stays proven."""
    ready, proven = started(api), written(api)
    library = wiring.bench().library
    here = tuple(library.files())
    gone = Deployment.objects.get(pk=ready).image
    assert gone is not None
    monkeypatch.setattr(type(library), "files", lambda self: tuple(f for f in here if f.name != gone.file_name))
    image = api.get(f"/deployments/{ready}/image")
    assert "image.not-there" in {f["code"] for f in image["findings"]}
    card_now = api.get(f"/deployments/{ready}/card")
    assert (card_now["ready"], card_now["not_ready_because"]) == (False, "Its image file is not in the library now")
    assert api.get(f"/deployments/{proven}/card")["proven"]
    assert api.call("post", f"/deployments/{ready}/card/write", card())[0] == 409
    monkeypatch.undo()
    assert "image.not-there" not in {f["code"] for f in api.get(f"/deployments/{ready}/image")["findings"]}
    assert api.get(f"/deployments/{ready}/card")["ready"]


def test_the_demo_is_taken_off_whole_or_not_at_all(api: Api) -> None:
    first, second = written(api), started(api, host_name="second")
    Deployment.objects.filter(pk__in=(first, second)).update(demo=True)
    api.post(f"/deployments/{first}/boot/power-on")
    report()
    api.post(f"/deployments/{second}/card/write", card(OTHER_CARD_SERIAL))
    status, problem = api.call("post", "/demo/clear", {})
    assert status == 409
    assert "is being written" in problem["title"]
    assert not Deployment.objects.filter(removed_at__isnull=False).exists()
    assert BootRun.objects.get(deployment_id=first).off_at is None, "no board went off for nothing"
    work()
    assert api.post("/demo/clear") == {"count": 2}
    assert BootRun.objects.get(deployment_id=first).off_at is not None
    assert api.post("/demo/restore") == {"count": 2}


def test_files_for_a_written_card_are_handed_out_to_those_who_write_cards(api: Api) -> None:
    pk = started(api, "platen")
    api.put(f"/deployments/{pk}/plan", {"way_in": "fill-after"})
    station = api.get(f"/deployments/{pk}/settings")
    assert (station["fills"], station["way_in_text"]) == (False, "settings filled in on the written card")
    paths = [f["path"] for f in station["files"]]
    assert paths
    assert [s["answer"] for s in station["by_hand"] if s["answer"]] == paths
    handed = Client().get(f"/api/deployments/{pk}/settings/files/0")
    assert handed.status_code == 200
    assert handed["Content-Disposition"] == f'attachment; filename="{paths[0]}"'
    assert Client().get(f"/api/deployments/{pk}/settings/files/{len(paths)}").status_code == 404
    # The card gets the image as it came, and the line goes on.
    api.post(f"/deployments/{pk}/settings/agree")
    api.put(f"/deployments/{pk}/plan", {"way_in": "fill-before"})
    assert api.get(f"/deployments/{pk}/settings")["by_hand"] == []
    assert Client().get(f"/api/deployments/{pk}/settings/files/0").status_code == 404
    assert not may("look", "GET", f"/api/deployments/{pk}/settings/files/0")
    assert may("bench", "GET", f"/api/deployments/{pk}/settings/files/0")


def test_what_is_installed_over_the_network_goes_down_the_line_without_image_and_card(
    api: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    shipped = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()
    lines = shipped.split("\n")
    files = slice(lines.index("files:"), lines.index("needs:"))
    text = "\n".join([*lines[: files.start], "files: []", *lines[files.stop :]])
    text = text.replace("id: platen", "id: fetched").replace(
        "ways_in: [fill-before, fill-after]", "ways_in: [network-install]"
    )
    text = text.replace("ways: [wifi, cable]", "ways: [cable]")
    api.put("/descriptions/recipe", {"text": text})
    pk = api.post("/deployments", {"recipe": "fetched", "name": "Fetched"})["id"]
    plan = api.get(f"/deployments/{pk}/plan")
    chosen = min(u["id"] for u in plan["units"] if u["board_name"] == "Larkspur R")
    picked = next(s["id"] for s in plan["supplies"] if "2.5 A" in s["text"])
    api.put(f"/deployments/{pk}/plan", {"board_unit_id": chosen, "supply_id": picked, "card_gb": 32})
    assert now_at(api, pk) == "settings"
    assert not api.get(f"/deployments/{pk}/image")["wanted"]
    card_station = api.get(f"/deployments/{pk}/card")
    assert (card_station["wanted"], card_station["ready"]) == (False, False)
    station = api.get(f"/deployments/{pk}/settings")
    assert (station["writes_card"], station["files"]) == (False, [])
    assert "blank card" in station["by_hand"][0]["do"]
    api.post(f"/deployments/{pk}/settings/agree")
    assert now_at(api, pk) == "boot"
    assert api.call("post", f"/deployments/{pk}/card/write", card())[0] == 409, "nothing is to be written"
    boot = api.post(f"/deployments/{pk}/boot/power-on")
    assert (boot["by_hand"], boot["powered"]) == (True, True)
    run = BootRun.objects.get(deployment_id=pk)
    assert (run.write_id, run.bench_id) == (None, own_bench().pk)
    address = LeaseBook(wiring.config().bench_folder, LAN).give("02:00:00:00:00:77", "platen")
    probe = wiring.bench().probe
    monkeypatch.setattr(type(probe), "get", lambda self, url: PageAnswer(url, status=200, body="Platen print desk"))
    look_once(watched(own_bench()))
    assert now_at(api, pk) == "find"
    api.post(f"/deployments/{pk}/find/claim", {"address": address})
    monkeypatch.setattr(type(probe), "post_form", lambda self, url, fields: PageAnswer(url, 401))
    for step in ("page", "password"):
        api.post(f"/deployments/{pk}/setup/check", {"step": step})
    api.post(f"/deployments/{pk}/setup/tick", {"step": "printer", "done": True})
    keep = api.post(f"/deployments/{pk}/keep/done")
    assert keep["label"]["made_of"] == "Platen, over the network, on Larkspur R"
    assert api.get(f"/deployments/{pk}")["line"]["finished"]
    assert api.post(f"/deployments/{pk}/boot/power-off")["powered"] is False


def test_what_was_written_before_bears_on_nothing_once_it_is_installed_over_the_network(api: Api) -> None:
    text = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()
    api.put(
        "/descriptions/recipe", {"text": text.replace("[fill-before, fill-after]", "[fill-before, network-install]")}
    )
    pk = written(api)
    api.put(f"/deployments/{pk}/plan", {"way_in": "network-install", "way": "cable"})
    assert now_at(api, pk) == "boot"
    boot = api.post(f"/deployments/{pk}/boot/power-on")
    assert (boot["powered"], boot["by_hand"]) == (True, True)
    assert now_at(api, pk) == "boot"
    api.post(f"/deployments/{pk}/boot/power-off")
    api.put(f"/deployments/{pk}/plan", {"way_in": "fill-before", "way": "wifi"})
    assert api.get(f"/deployments/{pk}/card")["proven"], "what is on that card is still what was proven"
    elsewhere = api.post("/sites", {"name": "Attic"})["id"]
    Deployment.objects.filter(pk=pk).update(site=elsewhere, way_in="network-install", way="cable")
    status, problem = api.call("post", f"/deployments/{pk}/boot/power-on", {})
    assert (status, problem["found"]) == (409, "no bench stands at Attic")
