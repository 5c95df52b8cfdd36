"""What is taken off says who uses it, is found again, is put back whole, or is removed for good."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.utils import timezone

from mintseed import wiring
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.off_bench import put_deployment_back, take_deployment_off
from mintseed.server.judged.judging import judge
from mintseed.server.judged.load import load
from mintseed.server.kept.models import (
    Bench,
    BootRun,
    Deployment,
    Image,
    Judgement,
    LogEntry,
    PlannedPart,
    Site,
    StationRecord,
    WifiNetwork,
    Write,
)
from tests.server.conftest import Api, card, judged_again, shown, started, work


def off(api: Api) -> list[tuple[str, str]]:
    return [(t["kind"], t["name"]) for t in api.get("/taken-off")]


def plan_codes(api: Api, pk: int) -> set[str]:
    return {f["code"] for f in api.get(f"/deployments/{pk}/plan")["findings"]}


@pytest.mark.parametrize(
    ("kind", "field", "missing"),
    [
        ("board", "board_unit_id", "plan.board-missing"),
        ("supply", "supply_id", "plan.supply-missing"),
        ("network", "network_id", "plan.network-missing"),
    ],
)
def test_a_thing_in_use_is_asked_about_and_comes_back_to_the_plans_that_had_it(
    api: Api, kind: str, field: str, missing: str
) -> None:
    pk = started(api)
    plan = api.get(f"/deployments/{pk}/plan")
    status, problem = api.call("delete", f"/things/{kind}/{plan[field]}")
    assert (status, problem["code"]) == (409, "refused.in-use")
    assert "is used by Reading-room press" in problem["title"]
    assert off(api) == []
    assert api.call("delete", f"/things/{kind}/{plan[field]}?sure=true")[0] == 204
    assert missing in plan_codes(api, pk)
    listed = api.get("/taken-off")
    assert [(t["kind"], t["users"]) for t in listed] == [(kind, ["Reading-room press"])]
    assert api.post(f"/taken-off/{kind}/{plan[field]}/put-back") == []
    assert missing not in plan_codes(api, pk)
    assert api.get(f"/deployments/{pk}/plan")[field] == plan[field]


def test_the_bench_hears_of_it_without_anybody_opening_the_plan(api: Api) -> None:
    pk = started(api)
    network = Deployment.objects.get(pk=pk).network_id
    api.call("delete", f"/things/network/{network}?sure=true")
    judged_again()
    record = StationRecord.objects.get(deployment=pk, station="plan", current=True)
    assert "plan.network-missing" in {f["code"] for f in record.findings}


def test_a_part_that_is_taken_off_is_to_be_bought_again(api: Api) -> None:
    site = api.get("/sites")[0]["id"]
    shelf = api.post(f"/sites/{site}/shelf/parts", {"name": "Blue stick", "kind": "skimmer"})
    stick = next(p["id"] for p in shelf["parts"] if p["name"] == "Blue stick")
    pk = api.post("/deployments", {"recipe": "farsight"})["id"]
    api.put(f"/deployments/{pk}/plan", {"add_parts": [stick]})
    api.call("delete", f"/things/part/{stick}?sure=true")
    parts = api.get(f"/deployments/{pk}/plan")["parts"]
    assert [(p["kind"], p["owned"]) for p in parts if p["name"] != "Blue stick"] == [(parts[0]["kind"], False)]
    assert PlannedPart.objects.get(deployment=pk).part_id == stick
    api.post(f"/taken-off/part/{stick}/put-back")
    assert [p["name"] for p in api.get(f"/deployments/{pk}/plan")["parts"]] == ["Blue stick"]


def test_removed_for_good_takes_its_secret_along(api: Api) -> None:
    site = own_bench().site_id
    api.post(f"/sites/{site}/networks", {"ssid": "Old one", "passphrase": "oars and rowlocks"})
    network = WifiNetwork.objects.get(ssid="Old one").pk
    assert api.call("delete", f"/taken-off/network/{network}")[0] == 404  # only what was taken off first
    api.call("delete", f"/things/network/{network}")
    assert WifiNetwork.objects.get(pk=network).passphrase
    assert api.call("delete", f"/taken-off/network/{network}") == (200, [])
    assert not WifiNetwork.objects.filter(pk=network).exists()
    assert api.call("post", f"/taken-off/network/{network}/put-back", {})[0] == 404


def test_a_deployment_is_removed_with_all_that_happened_and_the_log_keeps_its_name(api: Api) -> None:
    pk = started(api)
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    api.post(f"/deployments/{pk}/boot/power-on")
    api.call("delete", f"/deployments/{pk}")
    assert off(api) == [("deployment", "Reading-room press")]
    assert BootRun.objects.get(deployment=pk).off_at is not None
    assert api.call("delete", f"/taken-off/deployment/{pk}") == (200, [])
    assert not Deployment.objects.filter(pk=pk).exists()
    assert not Write.objects.exists()
    lines = LogEntry.objects.filter(deployment_name="Reading-room press")
    assert {"card.proven", "boot.powered-on"} <= set(lines.values_list("event", flat=True))
    assert api.get("/log")["lines"][0]["text"] == "Removed for good: Reading-room press"
    api.get("/bench")


def test_a_place_goes_with_what_is_there_and_comes_back_with_it(api: Api) -> None:
    shed = api.post("/sites", {"name": "Boat shed"})["id"]
    there = api.post("/deployments", {"recipe": "platen", "name": "Shed press", "site_id": shed})["id"]
    gone = api.post("/deployments", {"recipe": "platen", "name": "Gone before", "site_id": shed})["id"]
    api.call("delete", f"/deployments/{gone}")
    past = timezone.now() - timedelta(minutes=1)
    Deployment.objects.filter(pk=gone).update(removed_at=past)
    Bench.objects.create(name="old", site_id=shed, kind="standin", seen_at=past - timedelta(days=3))
    assert "Shed press" in api.call("delete", f"/things/place/{shed}")[1]["title"]
    assert api.call("delete", f"/things/place/{shed}?sure=true")[0] == 204
    assert "Boat shed" not in [s["name"] for s in api.get("/sites")]
    assert [d["id"] for d in shown(api)] == []
    assert "old" not in [b["name"] for b in api.get("/bench")["benches"]]
    assert (
        api.call("post", f"/taken-off/deployment/{there}/put-back", {})[1]["found"]
        == "its place, Boat shed, is taken off too"
    )
    stays = next(t["stays"] for t in api.get("/taken-off") if t["kind"] == "place")
    assert "is on record" in stays
    assert api.call("delete", f"/taken-off/place/{shed}")[0] == 409
    api.post(f"/taken-off/place/{shed}/put-back")
    assert [d["id"] for d in shown(api)] == [there]  # what had gone before stays off
    assert "old" in [b["name"] for b in api.get("/bench")["benches"]]


def test_a_bench_that_is_no_more_can_be_taken_off_and_one_that_answers_cannot(api: Api) -> None:
    site, mine = own_bench().site, own_bench()
    old = Bench.objects.create(name="old", site=site, kind="standin", seen_at=timezone.now())
    assert api.call("delete", f"/things/bench/{old.pk}")[1]["found"] == "the worker of old answers"
    assert api.call("delete", f"/things/bench/{mine.pk}")[0] == 409
    Bench.objects.filter(pk=old.pk).update(seen_at=timezone.now() - timedelta(days=9))
    assert api.call("delete", f"/things/bench/{old.pk}")[0] == 204
    assert [b["name"] for b in api.get("/bench")["benches"]] == ["bench"]
    assert api.call("delete", f"/taken-off/bench/{old.pk}") == (200, [])
    # A bench whose worker is started again is there again.
    Bench.objects.filter(pk=mine.pk).update(removed_at=timezone.now())
    assert own_bench().removed_at is None


def test_a_bench_with_a_history_stays_on_record(api: Api) -> None:
    pk = started(api)
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    old = Bench.objects.create(name="old", site=Site.objects.get(), kind="standin", removed_at=timezone.now())
    Write.objects.update(bench=old)
    assert "on record" in api.get("/taken-off")[0]["stays"]
    assert api.call("delete", f"/taken-off/bench/{old.pk}")[0] == 409
    assert Write.objects.count() == 1


def test_an_image_leaves_the_library_and_its_file_goes_only_for_good(api: Api, bench: Any) -> None:
    path = wiring.config().library / "spare.img"
    path.write_bytes(b"\0" * 4096)
    try:
        pk = next(i["id"] for i in api.get("/images")["images"] if i["file_name"] == "spare.img")
        assert api.call("delete", f"/things/image/{pk}")[0] == 204
        assert "spare.img" not in [i["file_name"] for i in api.get("/images")["images"]]
        assert path.exists()
        api.post(f"/taken-off/image/{pk}/put-back")
        assert "spare.img" in [i["file_name"] for i in api.get("/images")["images"]]
        api.call("delete", f"/things/image/{pk}")
        api.call("delete", f"/taken-off/image/{pk}")
        assert not path.exists()
        assert not Image.objects.filter(pk=pk).exists()
    finally:
        path.unlink(missing_ok=True)


def test_an_image_of_a_plan_is_asked_about(api: Api) -> None:
    pk = started(api)
    image = Deployment.objects.get(pk=pk).image_id
    assert "Reading-room press" in api.call("delete", f"/things/image/{image}")[1]["title"]
    assert api.call("delete", f"/things/image/{image}?sure=true")[0] == 204
    assert api.get(f"/deployments/{pk}/image")["chosen"] is None
    api.post(f"/taken-off/image/{image}/put-back")
    assert api.get(f"/deployments/{pk}/image")["chosen"]["image"]["id"] == image


def test_a_text_comes_back_unless_another_took_its_place(api: Api) -> None:
    from mintseed.server.owned import descriptions

    text = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()
    mine = text.replace("id: platen", "id: mine").replace("name: Platen", "name: Mine")
    first = api.put("/descriptions/recipe", {"text": mine})["text_id"]
    api.call("delete", f"/things/text/{first}")
    assert "mine" not in descriptions.recipes()
    second = api.put("/descriptions/recipe", {"text": mine.replace("name: Mine", "name: Mine anew")})["text_id"]
    assert (
        api.call("post", f"/taken-off/text/{first}/put-back", {})[1]["found"]
        == "another text of the recipe mine is there"
    )
    api.call("delete", f"/things/text/{second}")
    api.post(f"/taken-off/text/{first}/put-back")
    assert descriptions.recipes()["mine"].name == "Mine"


def test_what_is_no_kind_is_said(api: Api) -> None:
    for method, path in (
        ("delete", "/things/cat/1"),
        ("post", "/taken-off/cat/1/put-back"),
        ("delete", "/taken-off/cat/1"),
    ):
        status, problem = api.call(method, path, {} if method == "post" else None)
        assert (status, problem["found"]) == (404, "nothing of that kind can be taken off")


def test_a_write_that_was_asked_for_when_it_was_taken_off_says_so(api: Api) -> None:
    pk = started(api)
    api.call("delete", f"/deployments/{pk}")
    status, problem = api.call("post", f"/deployments/{pk}/card/write", card())
    assert (status, "taken off the bench meanwhile" in problem["title"]) == (409, True)
    api.post(f"/deployments/{pk}/restore")
    api.post(f"/deployments/{pk}/card/write", card())
    Deployment.objects.filter(pk=pk).update(removed_at=timezone.now())
    work()
    write = Write.objects.get(deployment=pk)
    assert "taken off the bench meanwhile" in (write.trouble or {})["sentence"]


def test_what_is_judged_while_it_is_taken_off_stays_off_the_lists(api: Api) -> None:
    """Two at once: one process had begun to judge it when another took it off."""
    pk = started(api)
    Judgement.objects.filter(deployment=pk).update(inputs="of before")
    begun = load(pk)
    take_deployment_off(pk)
    judge([begun])
    assert Judgement.objects.get(deployment=pk).place == Judgement.Place.GONE
    assert api.get("/bench")["open"]["total"] == 0
    put_deployment_back(pk)
    assert api.get("/bench")["open"]["total"] == 1
