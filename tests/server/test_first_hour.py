"""The first hour's doors: what is there, what this machine proposes, and join codes."""

from __future__ import annotations

import pytest

from mintseed import wiring
from mintseed.core.site.proposal import MachineFacts, WifiHere
from mintseed.server.kept.models import LogEntry, Site
from tests.server.conftest import Api


class Machine:
    def facts(self) -> MachineFacts:
        return MachineFacts("Europe/London", "gb", "en_GB.UTF-8", ("192.168.4.17/24",), WifiHere("Home", 2.4))


def test_what_is_there_is_ticked(api: Api) -> None:
    assert api.get("/first-steps") == {"place": True, "wifi": True, "board": True, "image": True}


def test_a_stand_in_bench_proposes_nothing_of_this_machine(api: Api) -> None:
    assert api.get(f"/sites/{Site.objects.get().pk}/proposals") == []


def test_a_fresh_place_is_proposed_what_this_machine_says(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(wiring, "this_machine", Machine)
    site = Site.objects.get()
    Site.objects.filter(pk=site.pk).update(country="", time_zone="UTC", keyboard="us", networks=[])
    told = {p["field"]: p["value"] for p in api.get(f"/sites/{site.pk}/proposals")}
    assert told == {"country": "GB", "time_zone": "Europe/London", "keyboard": "gb", "networks": "192.168.4.0/24"}
    other = api.post("/sites", {"name": "Elsewhere"})["id"]
    assert api.get(f"/sites/{other}/proposals") == [], "this machine does not stand there"


def test_a_join_code_is_read_and_kept_nowhere(api: Api) -> None:
    said = api.post("/join-code", {"code": "WIFI:T:WPA;S:Home;P:nine wet herons;;"})
    assert said == {"ssid": "Home", "passphrase": "nine wet herons", "hidden": False, "wpa3_only": False, "open": False}
    assert not LogEntry.objects.filter(text__contains="herons").exists()
    assert api.call("post", "/join-code", {"code": "hello"})[0] == 422


def test_one_press_takes_the_examples_off_and_another_brings_them_back(api: Api) -> None:
    assert api.put("/examples", {"off": True})["examples_off"] is True
    assert api.get("/place")["examples_off"] is True
    # What was begun with one goes on: they stay described.
    assert api.get("/descriptions/recipe")
    assert api.put("/examples", {"off": False})["examples_off"] is False
    assert api.put("/examples", {"off": False})["examples_off"] is False, "twice is no harm"
