"""The doctor: what is dropped into it is told, mended and not kept."""

from __future__ import annotations

import base64
from typing import Any

from mintseed.server.kept.models import LogEntry
from tests.server.conftest import Api, started

SPOILED = 'ctrl_interface=/run/wpa\ncountry=gb\n#network={\n    ssid=“Quay House”\n    psk="spring tide at noon"\n}\n'


def ask(api: Api, content: bytes, name: str = "wpa_supplicant.conf", **more: Any) -> dict[str, Any]:
    answer: dict[str, Any] = api.post("/doctor", {"name": name, "content": base64.b64encode(content).decode(), **more})
    return answer


def test_a_spoiled_file_is_told_and_each_repair_can_be_taken_alone(api: Api) -> None:
    found = ask(api, SPOILED.encode())
    assert (found["dialect"], found["means"]) == ("wpa-supplicant", "")
    assert found["would_mean"] == "Joins Quay House with its passphrase and keeps the radio to GB."
    assert [f["severity"] for f in found["findings"]] == sorted(
        (f["severity"] for f in found["findings"]), key=["stop", "check", "yet", "note", "ok"].index
    )
    by_code = {
        found["findings"][r["finding"]]["code"]: base64.b64decode(r["content"]).decode() for r in found["repairs"]
    }
    assert "network={\n" in by_code["wifi.brace-alone"]
    assert "#network={" in by_code["wifi.country-letters"]
    assert "country=GB" in by_code["wifi.country-letters"]
    again = ask(api, base64.b64decode(found["mended"]))
    assert [f["code"] for f in again["findings"]] == ["file.sound"]
    assert (again["means"], again["repairs"]) == (found["would_mean"], [])


def test_nothing_of_it_is_kept(api: Api) -> None:
    before = LogEntry.objects.count()
    ask(api, SPOILED.encode())
    assert LogEntry.objects.count() == before


def test_a_deployments_recipe_tells_which_file_it_is_whatever_was_added_to_its_name(api: Api) -> None:
    pk = started(api)
    found = ask(api, SPOILED.encode(), "platen-network.conf.txt", deployment=pk)
    assert (found["known"], found["dialect"]) == ("platen-network.conf", "wpa-supplicant")
    assert "file.name" in {f["code"] for f in found["findings"]}
    assert ask(api, SPOILED.encode(), "platen-network.conf.txt", deployment=pk, read_as="plain")["dialect"] == "plain"


def test_what_is_no_settings_file_is_named(api: Api) -> None:
    assert ask(api, b"<!doctype html><p>x", "wifi.conf")["findings"][0]["code"] == "file.web-page"
    assert ask(api, b"ask Ann\nabout it\n", "notes")["findings"][0]["code"] == "file.kind-unknown"
    assert ask(api, b"A=1\n" * 200_000, "long.conf")["findings"][0]["code"] == "file.too-long"


def test_odd_requests_are_refused_in_words(api: Api) -> None:
    good = base64.b64encode(b"A=1\n").decode()
    for body, status in (
        ({"name": "x", "content": "not base64!"}, 422), ({"name": "x", "content": good, "read_as": "nothing"}, 422), ({"name": "x", "content": good, "deployment": 10**9}, 404),
        ({"name": "x" * 300, "content": good}, 422),
    ):  # fmt: skip
        assert api.call("post", "/doctor", body)[0] == status


def test_the_settings_station_says_what_each_file_means(api: Api) -> None:
    pk = started(api)
    for file in api.get(f"/deployments/{pk}/settings")["files"]:
        assert file["meaning"].endswith(".")
