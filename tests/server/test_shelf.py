"""The shelf: every kind of thing comes, is changed and goes; what is planned with stays."""

from __future__ import annotations

from typing import Any

import pytest

from mintseed.server.kept.models import LogEntry
from tests.server.conftest import Api, card, started, work

# Each kind: what it is called in the log, what is sent for one, and a change of it.
THINGS: dict[str, tuple[str, dict[str, Any], dict[str, Any]]] = {
    "boards": ("board", {"board": "sprig", "macs": "02:51:48:00:00:0a", "note": "from the tin"}, {"macs": ""}),
    "supplies": ("supply", {"voltage_v": 5.1, "current_a": 2.5, "connector": "micro-USB"}, {"current_a": 1.2}),
    "cables": ("cable", {"plug_to_supply": "USB-A", "plug_to_board": "micro-USB", "length_m": 1.5, "awg": 24}, {"awg": None}),
    "cards": ("card", {"size_gb": 32, "classes": ["C10", "A1"], "endurance": False}, {"size_gb": 64}),
    "parts": ("part", {"kind": "finch"}, {"kind": "chorus"}),
}  # fmt: skip


def shelf_of(api: Api) -> dict[str, Any]:
    shelf: dict[str, Any] = api.get(f"/sites/{api.get('/sites')[0]['id']}/shelf")
    return shelf


def named(shelf: dict[str, Any], kind: str, name: str) -> list[dict[str, Any]]:
    return [t for t in shelf["units" if kind == "boards" else kind] if t["name"] == name]


@pytest.mark.parametrize("kind", THINGS)
def test_a_thing_comes_is_changed_and_goes(api: Api, kind: str) -> None:
    what, fields, change = THINGS[kind]
    came = api.post(f"/sites/{api.get('/sites')[0]['id']}/shelf/{kind}", {"name": "  Thing of \t mine ", **fields})
    (mine,) = named(came, kind, "Thing of mine")
    for field, value in fields.items():
        assert mine[field] == (value.split() if field == "macs" else value)
    assert mine["used_by"] == []
    changed = api.put(f"/shelf/{kind}/{mine['id']}", {"name": "Renamed", **fields, **change})
    (now,) = named(changed, kind, "Renamed")
    for field, value in change.items():
        assert now[field] == ([] if field == "macs" else value)
    assert api.call("delete", f"/things/{what}/{mine['id']}") == (204, None)
    assert named(shelf_of(api), kind, "Renamed") == []
    events = list(LogEntry.objects.order_by("-pk").values_list("event", flat=True)[:3])
    assert events == [f"{what}.taken-off", f"shelf.{what}-changed", f"shelf.{what}-added"]
    assert api.call("put", f"/shelf/{kind}/{mine['id']}", {"name": "Nobody", **fields})[0] == 404
    assert api.call("delete", f"/things/{what}/{mine['id']}")[0] == 404


@pytest.mark.parametrize("kind", THINGS)
def test_a_thing_needs_a_name_and_a_place(api: Api, kind: str) -> None:
    _, fields, _ = THINGS[kind]
    before = shelf_of(api)
    assert api.call("post", f"/sites/{before['site_id']}/shelf/{kind}", {"name": "", **fields})[0] == 422
    assert api.call("post", "/sites/987654/shelf/boards", {"name": "Lost", "board": "sprig"})[0] == 404
    assert shelf_of(api) == before


def test_a_powered_board_stays_and_stays_what_it_is(api: Api) -> None:
    pk = started(api)
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    api.post(f"/deployments/{pk}/boot/power-on")
    unit = api.get(f"/deployments/{pk}/plan")["board_unit_id"]
    held = next(u for u in shelf_of(api)["units"] if u["id"] == unit)
    status, problem = api.call("delete", f"/things/board/{unit}")
    assert (status, problem["next_step"]) == (409, "Power it off first.")
    other = {"name": held["name"], "board": "sprig", "macs": ""}
    assert api.call("put", f"/shelf/boards/{unit}", other)[0] == 409
    # Its name is not what is powered.
    renamed = api.put(f"/shelf/boards/{unit}", {"name": "The one by the door", "board": held["board"], "macs": ""})
    assert named(renamed, "boards", "The one by the door")
    api.post(f"/deployments/{pk}/boot/power-off")
    status, problem = api.call("delete", f"/things/board/{unit}")
    assert (status, "is used by Reading-room press" in problem["found"]) == (409, True)


def test_a_supply_with_sockets_has_no_cable_of_its_own(api: Api) -> None:
    """Its length and gauge would be those of a cable that is not there."""
    site = api.get("/sites")[0]["id"]
    plug = {"name": "Cube", "voltage_v": 5, "current_a": 3, "connector": "USB-A socket", "length_m": 2, "awg": 28}
    assert plug["connector"] in shelf_of(api)["connectors"]
    (cube,) = named(api.post(f"/sites/{site}/shelf/supplies", plug), "supplies", "Cube")
    assert (cube["length_m"], cube["awg"]) == (None, None)


# IEEE 802: six octets, in hexadecimal; bit 0 of the first one marks a group, which no interface has for its own.
@pytest.mark.parametrize(("typed", "kept"), [
    ("02-51-48-00-00-0A", ["02:51:48:00:00:0a"]),
    ("0251.4800.000a 02:51:48:00:00:0b", ["02:51:48:00:00:0a", "02:51:48:00:00:0b"]),
    ("02:51:48:00:00", None), ("02:51:48:00:00:zz", None), ("01:51:48:00:00:0a", None),
])  # fmt: skip
def test_hardware_addresses_are_read_however_they_are_printed(api: Api, typed: str, kept: list[str] | None) -> None:
    site = api.get("/sites")[0]["id"]
    status, answer = api.call("post", f"/sites/{site}/shelf/boards", {"name": "Mine", "board": "sprig", "macs": typed})
    if kept is None:
        assert (status, answer["where"]) == (422, "macs")
    else:
        assert named(answer, "boards", "Mine")[0]["macs"] == kept


def test_boards_are_found_by_name_kind_and_mark(api: Api) -> None:
    site = api.get("/sites")[0]["id"]
    for search in ("in its bag", "larkspur r", "LARKSPUR R"):
        found = api.get(f"/sites/{site}/shelf?search={search}")["units"]
        assert "Larkspur R, new in its bag" in [u["name"] for u in found]
        assert not [u for u in found if u["board"] == "sprig"]
    assert api.get(f"/sites/{site}/shelf?search=there is none")["units"] == []
