"""Two people change the same thing: the later one is told and shown both, and nothing of either is lost unasked."""

from __future__ import annotations

from typing import Any

import pytest

from mintseed import wiring
from mintseed.server.kept.models import Deployment, Site, WifiNetwork
from tests.server.conftest import Api, started


def supply(api: Api) -> dict[str, Any]:
    site = api.get("/sites")[0]["id"]
    sent = {
        "name": "Cube",
        "voltage_v": 5.1,
        "current_a": 3,
        "connector": "micro-USB",
        "length_m": 1,
        "awg": 24,
        "note": "",
    }
    shelf = api.post(f"/sites/{site}/shelf/supplies", sent)
    return {**sent, "id": next(s["id"] for s in shelf["supplies"] if s["name"] == "Cube")}


def now(api: Api, pk: int) -> dict[str, Any]:
    shelf = api.get(f"/sites/{api.get('/sites')[0]['id']}/shelf")
    return next(s for s in shelf["supplies"] if s["id"] == pk)


def test_two_who_change_different_fields_both_keep_theirs(api: Api) -> None:
    cube = supply(api)
    api.put(f"/shelf/supplies/{cube['id']}", {"note": "in the hall", "was": {"note": ""}})
    api.put(f"/shelf/supplies/{cube['id']}", {"current_a": 2.5, "was": {"current_a": 3}})
    held = now(api, cube["id"])
    assert (held["note"], held["current_a"], held["awg"]) == ("in the hall", 2.5, 24)


def test_two_who_change_one_field_are_told_and_shown_both(api: Api) -> None:
    cube = supply(api)
    api.put(f"/shelf/supplies/{cube['id']}", {"current_a": 2.5, "was": {"current_a": 3}})
    late = {"current_a": 2.0, "note": "mine", "was": {"current_a": 3, "note": ""}}
    status, problem = api.call("put", f"/shelf/supplies/{cube['id']}", late)
    assert (status, problem["code"], problem["theirs"], problem["where"]) == (
        409,
        "refused.changed",
        {"current_a": 2.5},
        "current_a",
    )
    assert "current a is now 2.5" in problem["title"]
    assert now(api, cube["id"])["note"] == ""  # all of it, or nothing
    # Having seen theirs, one may save one's own.
    api.put(f"/shelf/supplies/{cube['id']}", {**late, "was": {"current_a": 2.5, "note": ""}})
    assert (now(api, cube["id"])["current_a"], now(api, cube["id"])["note"]) == (2.0, "mine")


def test_two_who_come_to_the_same_do_not_quarrel(api: Api) -> None:
    cube = supply(api)
    for _ in range(2):
        api.put(f"/shelf/supplies/{cube['id']}", {"awg": 20, "was": {"awg": 24}})
    assert now(api, cube["id"])["awg"] == 20


@pytest.mark.parametrize(
    ("sent", "where"),
    [({"colour": "red"}, "colour"), ({"current_a": "many"}, "current_a"), ({"voltage_v": 400}, "voltage_v")],
)
def test_what_cannot_be_is_refused_at_its_field(api: Api, sent: dict[str, Any], where: str) -> None:
    cube = supply(api)
    status, problem = api.call("put", f"/shelf/supplies/{cube['id']}", sent)
    assert (status, problem["where"]) == (422, where)


def test_a_place_and_a_network_take_only_what_was_sent(api: Api) -> None:
    site, network = Site.objects.get(), WifiNetwork.objects.first()
    assert network is not None
    api.put(f"/sites/{site.pk}", {"country": "IE", "was": {"country": site.country}})
    api.put(f"/sites/{site.pk}", {"keyboard": "fr", "was": {"keyboard": site.keyboard}})
    after = api.get(f"/sites/{site.pk}")
    assert (after["country"], after["keyboard"], after["networks"]) == ("IE", "fr", site.networks)
    status, problem = api.call("put", f"/sites/{site.pk}", {"country": "FR", "was": {"country": site.country}})
    assert (status, problem["theirs"]) == (409, {"country": "IE"})
    api.put(f"/networks/{network.pk}", {"hidden": True, "was": {"hidden": False}})
    row = WifiNetwork.objects.get(pk=network.pk)
    assert (row.hidden, row.ssid, row.passphrase) == (True, network.ssid, network.passphrase)


def test_a_field_of_the_settings_and_of_the_plan(api: Api) -> None:
    pk = started(api, host_name="press")
    api.put(f"/deployments/{pk}/settings", {"host_name": "press-a", "was": {"host_name": "press"}})
    status, problem = api.call(
        "put", f"/deployments/{pk}/settings", {"host_name": "press-b", "was": {"host_name": "press"}}
    )
    assert (status, problem["theirs"]) == (409, {"host_name": "press-a"})
    # The site's value counts as what stood there.
    country = api.get(f"/deployments/{pk}/settings")["country"]["value"]
    api.put(f"/deployments/{pk}/settings", {"country": "IE", "was": {"country": country}})
    assert api.call("put", f"/deployments/{pk}/settings", {"country": "FR", "was": {"country": country}})[0] == 409
    other = next(s["id"] for s in api.get(f"/deployments/{pk}/plan")["supplies"] if "1.2 A" in s["text"])
    first = Deployment.objects.get(pk=pk).supply_id
    api.put(f"/deployments/{pk}/plan", {"supply_id": other, "was": {"supply_id": first}})
    status, problem = api.call("put", f"/deployments/{pk}/plan", {"supply_id": None, "was": {"supply_id": first}})
    assert (status, problem["theirs"]) == (409, {"supply_id": other})


def test_a_text_that_another_kept_meanwhile_is_not_written_over(api: Api) -> None:
    text = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()
    theirs, mine = text.replace("name: Platen", "name: Theirs"), text.replace("name: Platen", "name: Mine")
    api.put("/descriptions/recipe", {"text": theirs, "was": text})
    status, problem = api.call("put", "/descriptions/recipe", {"text": mine, "was": text})
    assert (status, problem["code"], problem["theirs"]) == (409, "refused.changed", {"text": theirs})
    assert api.get("/descriptions/recipe/platen")["text"] == theirs
    api.put("/descriptions/recipe", {"text": mine, "was": theirs})
    assert api.get("/descriptions/recipe/platen")["text"] == mine
