"""The walk down the line through the API, without a browser."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.utils import timezone

from mintseed import wiring
from mintseed.core.find.candidates import PageAnswer
from mintseed.server.looking import look_for, note_late
from mintseed.server.models import Deployment, LogEntry
from mintseed.server.walk import load_walk
from mintseed.standins.bench import mac_of
from mintseed.standins.router.leases import LeaseBook
from tests.server.conftest import CARD, Api, started, work


def now_at(api: Api, pk: int) -> str:
    return str(api.get(f"/deployments/{pk}")["line"]["now"])


def written(api: Api, **settings: str) -> int:
    pk = started(api, **settings)
    api.post(f"/deployments/{pk}/card/write", CARD)
    work()
    return pk


def test_every_station_in_turn(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    pk = started(api, host_name="reading-press")
    assert now_at(api, pk) == "card"
    card = api.post(f"/deployments/{pk}/card/write", CARD)
    assert card["job"]["active"]
    assert card["deployment"]["line"]["marks"][3]["mark"] == "run"
    work()
    card = api.get(f"/deployments/{pk}/card")
    assert (card["proven"], card["current"], card["job"]["state"]) == (True, True, "done")
    assert now_at(api, pk) == "boot"

    boot = api.post(f"/deployments/{pk}/boot/power-on")
    assert boot["finding"]["code"] == "boot.waiting"
    assert not any(d["serial"] == CARD["serial"] for d in api.get("/bench")["drives"])
    unit = Deployment.objects.get(pk=pk).board_unit_id
    address = LeaseBook(wiring.config().bench_folder, "127.77.5.0/24").give(mac_of(f"unit-{unit}"), "reading-press")
    answers = {"status": 200, "body": "Platen print desk"}
    probe = wiring.bench().probe
    monkeypatch.setattr(type(probe), "get", lambda self, url: PageAnswer(url, **answers))
    look_for(load_walk(pk))
    assert now_at(api, pk) == "find"
    find = api.post(f"/deployments/{pk}/find/claim", {"address": address})
    assert find["url"] == f"http://{address}:5310/"
    assert find["qr_size"] > 20
    assert now_at(api, pk) == "setup"

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
        "card.proven", "boot.powered-on", "boot.joined", "find.claimed", "keep.in-service",
    ]  # fmt: skip

    again = api.post(
        f"/deployments/{pk}/keep/same-again", {"name": "Map-room press", "host_name": keep["next_host_name"]}
    )
    assert again["host_name"] == "reading-press-2"
    # A site that changes afterwards does not open the stations of a device in service.
    api.put("/site", {"name": "Quay House", "country": "IE", "time_zone": "Europe/Dublin", "keyboard": "gb", "networks": ["127.77.5.0/24"]})  # fmt: skip
    assert api.get(f"/deployments/{pk}")["line"]["finished"]


def test_changed_settings_make_the_card_old(api: Api) -> None:
    pk = written(api)
    assert now_at(api, pk) == "boot"
    api.put(f"/deployments/{pk}/settings", {"host_name": "another"})
    card = api.get(f"/deployments/{pk}/card")
    assert (card["proven"], card["current"]) == (True, False)
    assert card["deployment"]["line"]["now"] == "card"
    assert api.call("post", f"/deployments/{pk}/boot/power-on")[0] == 409
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
    Deployment.objects.filter(pk=pk).update(powered_at=timezone.now() - timedelta(seconds=310 / pace))
    walk = load_walk(pk)
    look_for(walk)
    note_late(walk)
    note_late(load_walk(pk))
    boot = api.get(f"/deployments/{pk}/boot")
    assert boot["finding"]["code"] == "boot.late"
    assert len(boot["causes"]) == 3
    assert boot["causes"][0]["code"] == "boot.cause-passphrase"
    assert boot["deployment"]["line"]["marks"][4]["mark"] == "check"
    assert LogEntry.objects.filter(event="boot.late").count() == 1
    off = api.post(f"/deployments/{pk}/boot/power-off")
    assert off["finding"] is None
    assert any(d["serial"] == CARD["serial"] for d in api.get("/bench")["drives"])


def test_nothing_is_written_before_it_is_ready(api: Api) -> None:
    pk = api.post("/deployments", {"recipe": "platen"})["id"]
    status, problem = api.call("post", f"/deployments/{pk}/card/write", CARD)
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
    status, problem = api.call("post", f"/deployments/{pk}/card/write", CARD)
    assert (status, "no radio" in problem["title"]) == (409, True)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"again": "QH-C16-02"}, "second pick"),
        ({"path": "/dev/pda", "serial": "QH-0001", "again": "QH-0001"}, "Holds this system"),
        ({"serial": "QH-OTHER", "again": "QH-OTHER"}, "another drive"),
    ],
)
def test_the_wrong_drive_is_refused(api: Api, change: dict[str, str], said: str) -> None:
    pk = started(api)
    status, problem = api.call("post", f"/deployments/{pk}/card/write", {**CARD, **change})
    assert status == 409
    assert said in problem["title"]


def test_names_are_kept_by_who_came_first(api: Api) -> None:
    first, second = started(api, host_name="press"), api.post("/deployments", {"recipe": "platen"})["id"]
    api.put(f"/deployments/{second}/settings", {"host_name": "PRESS"})
    taken = [f["code"] for f in api.get(f"/deployments/{second}/settings")["findings"]]
    assert "settings.host-name-taken" in taken
    assert now_at(api, first) == "card"


def test_taken_off_the_bench_and_put_back(api: Api) -> None:
    pk = started(api)
    assert api.call("delete", f"/deployments/{pk}")[0] == 204
    assert api.call("get", f"/deployments/{pk}")[0] == 404
    assert api.get("/bench")["deployments"] == []
    assert api.post(f"/deployments/{pk}/restore")["line"]["now"] == "card"


def test_a_lintel_account_is_hashed_and_the_password_forgotten(api: Api) -> None:
    pk = api.post("/deployments", {"recipe": "lintel"})["id"]
    status, problem = api.call("put", f"/deployments/{pk}/settings", {"admin_password": "short"})
    assert (status, problem["where"]) == (422, "admin_password")
    settings = api.put(f"/deployments/{pk}/settings", {"admin_name": "keeper", "admin_password": "three wet boots"})
    assert settings["admin_password_set"]
    assert Deployment.objects.get(pk=pk).admin_hash.startswith("$6$")
    assert "three wet boots" not in str(settings)
