"""The plan over the API: filled from the shelf, ways out taken in one step, parts, the shelf as a table, texts brought."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from mintseed import wiring
from mintseed.server.api.plan import PlanIn
from mintseed.server.kept.models import BoardUnit, Deployment, Description, Image, PlannedPart, Site
from mintseed.server.owned import demo_images, descriptions
from tests.server.conftest import Api, card, started, work

PLATEN = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()


def new(api: Api, recipe: str, **more: Any) -> int:
    return int(api.post("/deployments", {"recipe": recipe, "name": f"A {recipe}", **more})["id"])


def unit(name: str) -> int:
    return BoardUnit.objects.get(name=name).pk


def plan_of(api: Api, pk: int) -> Any:
    return api.get(f"/deployments/{pk}/plan")


def verdicts(answer: Any) -> dict[str, str]:
    return {f["code"]: f["severity"] for f in answer["findings"]}


def test_a_new_plan_comes_filled_with_the_best_of_the_shelf(api: Api) -> None:
    plan = plan_of(api, new(api, "gramary", fill=True))
    assert plan["board_unit_id"] == plan["units"][0]["id"]
    assert plan["units"][0]["reason"]
    assert [p["name"] for p in plan["parts"]] == ["Chorus board"]
    assert plan["supply_id"]
    assert "stop" not in verdicts(plan).values()


def test_a_second_one_takes_nothing_the_first_one_has(api: Api) -> None:
    first, second = (plan_of(api, new(api, "gramary", fill=True)) for _ in range(2))
    assert first["board_unit_id"] != second["board_unit_id"]
    assert first["parts"][0]["owned"]
    assert not second["parts"][0]["owned"]  # there is one audio board only; the other is to be bought
    assert "plan.part-to-buy" in verdicts(second)


def test_beginning_with_the_board_in_the_drawer(api: Api) -> None:
    pk = new(api, "tinplay", board_unit_id=unit("Tansy II, birthday present"))
    plan = plan_of(api, pk)
    assert plan["board_unit_id"] == unit("Tansy II, birthday present")
    assert verdicts(plan)["plan.release-lists-board"] == "ok"
    status, _ = api.call("post", "/deployments", {"recipe": "tinplay", "board_unit_id": 10_000})
    assert status == 404
    assert Deployment.objects.count() == 1  # nothing is half made


def test_a_way_out_is_taken_whole_and_its_finding_goes(api: Api) -> None:
    pk = new(api, "platen")
    plan = api.put(f"/deployments/{pk}/plan", {"board_unit_id": unit("Larkspur C, blue case"), "way": "wifi"})
    assert verdicts(plan)["plan.no-radio"] == "stop"
    for proposal in [p for p in plan["proposals"] if p["cures"] == "plan.no-radio"]:
        again = api.put(f"/deployments/{pk}/plan", {"board_unit_id": unit("Larkspur C, blue case"), "way": "wifi"})
        while again["parts"]:
            again = api.put(f"/deployments/{pk}/plan", {"drop_part": 0})
        after = api.put(f"/deployments/{pk}/plan", proposal["sets"])
        assert "plan.no-radio" not in verdicts(after), proposal["title"]
        wanted = {f["code"] for f in proposal["findings"]} - {"plan.part-to-buy"}
        assert wanted <= set(verdicts(after)), proposal["title"]


@pytest.mark.parametrize(
    "sets",
    [
        {"recipe": "x"},
        {"board_unit_id": "abc"},
        {"way": "cable", "add_kinds": ["nothing"]},
        {"way": "cable", "add_kinds": ["x"] * 9},
        {"way": "cable", "drop_part": 7},
        {"way": "cable", "board_unit_id": 99999999},
    ],
)
def test_a_proposal_that_is_none_changes_nothing(api: Api, sets: dict[str, Any]) -> None:
    pk = new(api, "platen")
    before = Deployment.objects.filter(pk=pk).values().get()
    status, _ = api.call("put", f"/deployments/{pk}/plan", sets)
    assert 400 <= status < 500
    assert Deployment.objects.filter(pk=pk).values().get() == before
    assert not PlannedPart.objects.exists()


def test_a_pin_clash_is_seen_on_the_map_and_goes_when_one_is_left_out(api: Api) -> None:
    pk = new(api, "gramary", fill=True)
    other = next(c for c in plan_of(api, pk)["part_choices"] if c["name"] == "Reed modem, second-hand")
    clashing = api.put(f"/deployments/{pk}/plan", {"add_parts": [other["part_id"]]})
    assert verdicts(clashing)["plan.header-clash"] == "stop"
    assert [p["number"] for p in clashing["header"]["pins"] if p["clash"]] == [12]
    way = next(p for p in clashing["proposals"] if p["cures"] == "plan.header-clash")
    assert way["title"] == "Leave out Reed modem, second-hand"
    assert "plan.header-clash" not in verdicts(api.put(f"/deployments/{pk}/plan", way["sets"]))


def test_what_was_to_be_bought_gives_way_to_what_came(api: Api) -> None:
    pk = new(api, "farsight", fill=True)
    assert [p["owned"] for p in plan_of(api, pk)["parts"] if p["role"] == "receiver stick"] == [False]
    site = api.get("/sites")[0]["id"]
    shelf = api.post(f"/sites/{site}/shelf/parts", {"name": "Blue stick", "kind": "skimmer"})
    stick = next(p["id"] for p in shelf["parts"] if p["name"] == "Blue stick")
    plan = api.put(f"/deployments/{pk}/plan", {"add_parts": [stick]})
    assert [(p["name"], p["owned"]) for p in plan["parts"] if p["role"] == "receiver stick"] == [("Blue stick", True)]
    status, said = api.call("delete", f"/things/part/{stick}")
    assert (status, "is used by" in said["title"]) == (409, True)


def test_the_same_again_plans_with_parts_of_its_own(api: Api) -> None:
    site = api.get("/sites")[0]["id"]
    api.post(f"/sites/{site}/shelf/parts", {"name": "Second chorus", "kind": "chorus"})
    pk = new(api, "gramary", fill=True)
    names = [p["name"] for p in plan_of(api, pk)["parts"]]
    again = api.post(f"/deployments/{pk}/keep/same-again", {"name": "Next", "host_name": "next"})["id"]
    third = api.post(f"/deployments/{pk}/keep/same-again", {"name": "Third", "host_name": "third"})["id"]
    assert names == ["Chorus board"]
    assert [(p["name"], p["owned"]) for p in plan_of(api, again)["parts"]] == [("Second chorus", True)]
    assert [(p["name"], p["owned"]) for p in plan_of(api, third)["parts"]] == [("Chorus audio board", False)]


def test_a_battery_says_its_hours_and_follows_what_is_assumed(api: Api) -> None:
    pk = new(api, "platen", fill=True)
    plan = plan_of(api, pk)
    battery = next(s["id"] for s in plan["supplies"] if s["name"] == "Pocket battery")
    cable = {"cable_id": None}
    first = api.put(f"/deployments/{pk}/plan", {"supply_id": battery, **cable, "load_share": 1.0})
    assert first["needs_cable"]
    full = first["power"]["battery_h"]
    assert api.put(f"/deployments/{pk}/plan", {"load_share": 0.0})["power"]["battery_h"] > full > 0
    assert api.call("put", f"/deployments/{pk}/plan", {"load_share": 2})[0] == 422


def test_the_matrix_names_every_appliance_on_every_kind_one_owns(api: Api) -> None:
    site = api.get("/sites")[0]["id"]
    matrix = api.get(f"/sites/{site}/matrix")
    kinds = {k["id"] for k in matrix["kinds"]}
    assert kinds == set(BoardUnit.objects.values_list("board", flat=True))
    assert len(matrix["cells"]) == len(kinds) * len(matrix["recipes"])
    assert all(c["reason"] for c in matrix["cells"])


def test_the_shelf_goes_out_as_a_table_and_comes_in_again(api: Api) -> None:
    site = api.get("/sites")[0]["id"]
    response = api._client.get(f"/api/sites/{site}/shelf/table")
    table = response.content.decode()
    assert response.headers["Content-Disposition"] == 'attachment; filename="shelf.csv"'
    assert api.post(f"/sites/{site}/shelf/table", {"text": table})["added"] == 0
    other = api.post("/sites", {"name": "Boat shed"})["id"]
    came = api.post(f"/sites/{other}/shelf/table", {"text": table + "board,odd,NO MARK\r\n"})
    assert came["added"] == table.count("\r\n") - 1
    assert "no board is marked NO MARK" in came["problems"][0]["message"]
    here, there = (api.get(f"/sites/{s}/shelf") for s in (site, other))
    for kind in ("units", "cards", "supplies", "cables", "parts"):
        assert [t["name"] for t in here[kind]] == [t["name"] for t in there[kind]]


@pytest.mark.parametrize(
    ("path", "body", "field"),
    [
        ("boards", {"name": "x", "board": "nothing"}, "board"),
        ("boards", {"name": "x", "board": "sprig", "macs": "02:51"}, "macs"),
        ("cards", {"name": "x", "size_gb": 33}, "size_gb"),
        ("cards", {"name": "x", "size_gb": 32, "classes": ["Z9"]}, "classes"),
        ("supplies", {"name": "x", "voltage_v": 5, "current_a": 0, "connector": "USB-C"}, "current_a"),
        ("supplies", {"name": "x", "voltage_v": 5, "current_a": 1, "connector": "hose"}, "connector"),
        ("cables", {"name": "x", "plug_to_supply": "USB-A", "plug_to_board": "USB-C", "length_m": -1}, "length_m"),
        ("parts", {"name": "x", "kind": "hammer"}, "kind"),
    ],
)
def test_a_refused_thing_names_its_field(api: Api, path: str, body: dict[str, Any], field: str) -> None:
    site = api.get("/sites")[0]["id"]
    status, said = api.call("post", f"/sites/{site}/shelf/{path}", body)
    assert 400 <= status < 500
    assert field in said["where"]


def test_a_recipe_brought_is_known_at_once_and_taken_away_again(api: Api) -> None:
    mine = PLATEN.replace("id: platen", "id: mine").replace("name: Platen", "name: Mine")
    checked = api.post("/texts/recipe/check", {"text": mine})
    assert (checked["id"], checked["problems"], checked["replaces"]) == ("mine", [], "")
    api.put("/descriptions/recipe", {"text": mine})
    assert "mine" in {r["id"] for r in api.get("/recipes") if r["brought"]}
    pk = new(api, "mine", fill=True)
    assert plan_of(api, pk)["deployment"]["appliance"] == "Mine"
    text = api.get("/descriptions/recipe/mine")["text_id"]
    status, said = api.call("delete", f"/things/text/{text}")
    assert (status, "is used by" in said["title"]) == (409, True)
    assert api.call("delete", f"/deployments/{pk}")[0] == 204
    assert api.call("delete", f"/things/text/{text}")[0] == 204
    assert "mine" not in descriptions.recipes()
    exported = api._client.get("/api/descriptions/recipe/platen/file")
    assert exported.content.decode() == PLATEN


def test_a_shipped_recipe_that_is_changed_judges_anew_and_comes_back(api: Api) -> None:
    pk = new(api, "platen", fill=True)
    api.put(
        "/descriptions/recipe", {"text": PLATEN.replace("least_gb: 4, advised_gb: 8", "least_gb: 512, advised_gb: 512")}
    )
    assert verdicts(plan_of(api, pk))["plan.card-below-least"] == "stop"
    assert api.post("/texts/recipe/check", {"text": PLATEN})["replaces"] == "the text you brought before"
    api.call("delete", f"/things/text/{api.get('/descriptions/recipe/platen')['text_id']}")
    assert "plan.card-below-least" not in verdicts(plan_of(api, pk))


def test_a_text_that_cannot_be_read_is_told_by_line_and_not_kept(api: Api) -> None:
    broken = PLATEN.replace("port: 5310", "port: many")
    told = api.post("/texts/recipe/check", {"text": broken})["problems"]
    line = next(n for n, text in enumerate(broken.splitlines(), 1) if "port: many" in text)
    assert [(p["path"], p["line"]) for p in told] == [("page.port", line)]
    status, said = api.call("put", "/descriptions/recipe", {"text": broken})
    assert (status, f"line {line}" in said["title"]) == (422, True)
    assert not Description.objects.exists()


def test_a_kept_text_that_no_longer_reads_spoils_itself_alone(api: Api) -> None:
    Description.objects.create(kind="recipe", ident="old", text="recipe: 1\nid: old\n")
    descriptions.look_again()
    assert {r["id"] for r in api.get("/recipes")} >= {"platen", "lintel"}
    broken = next(d for d in api.get("/descriptions/recipe") if d["id"] == "old")
    assert "line 1" in broken["broken"]
    assert any(f["code"] == "description.broken" for f in api.get("/bench")["findings"])


def test_the_made_up_images_are_built_when_asked_for_and_not_twice(api: Api) -> None:
    assert api.get("/images")["to_build"] > 0
    asked = api.post("/images/build")
    assert asked["building"] is not None
    assert api.post("/images/build")["building"]["id"] == asked["building"]["id"]


def test_one_made_up_image_after_the_other(tmp_path: Path) -> None:
    config = replace(wiring.config(), library=tmp_path, bench="standin")
    everything = demo_images.missing(config)
    demo_images.build("threadgate-1.3-thistle.bin", config)
    assert [n for n in everything if n not in demo_images.missing(config)] == ["threadgate-1.3-thistle.bin"]
    listed, name = (tmp_path / "threadgate-1.3.sha256").read_text().split()
    assert name == "threadgate-1.3-thistle.bin"
    assert hashlib.sha256((tmp_path / name).read_bytes()).hexdigest() == listed


def test_what_is_changed_on_the_shelf_is_changed_in_every_plan_with_it(api: Api) -> None:
    site = api.get("/sites")[0]["id"]
    pk = new(api, "gramary", fill=True)
    shelf = api.get(f"/sites/{site}/shelf")
    chorus = next(p for p in shelf["parts"] if p["name"] == "Chorus board")
    assert chorus["used_by"] == ["A gramary"]
    api.put(f"/shelf/parts/{chorus['id']}", {"name": "Chorus, mended", "kind": "chorus"})
    assert [p["name"] for p in plan_of(api, pk)["parts"]] == ["Chorus, mended"]
    card = next(c for c in shelf["cards"] if c["id"] == plan_of(api, pk)["owned_card_id"])
    api.put(f"/shelf/cards/{card['id']}", {"name": card["name"], "size_gb": 4, "classes": []})
    assert verdicts(plan_of(api, pk))["plan.card-below-least"] == "stop"
    supply = next(s for s in shelf["supplies"] if s["id"] == plan_of(api, pk)["supply_id"])
    api.put(
        f"/shelf/supplies/{supply['id']}",
        {"name": supply["name"], "voltage_v": 12, "current_a": 3, "connector": "micro-USB"},
    )
    assert verdicts(plan_of(api, pk))["plan.supply-voltage"] == "stop"
    for kind, pk_of in (("part", chorus["id"]), ("card", card["id"]), ("supply", supply["id"])):
        assert api.call("delete", f"/things/{kind}/{pk_of}")[0] == 409


def test_a_card_of_the_shelf_keeps_what_was_written_to_it(api: Api) -> None:
    site = api.get("/sites")[0]["id"]
    pk = started(api)
    mine = next(c["id"] for c in plan_of(api, pk)["cards"] if c["name"] == "Recorder card")
    api.put(f"/deployments/{pk}/plan", {"owned_card_id": mine})
    for _ in range(2):
        api.post(f"/deployments/{pk}/card/write", card())
        work()
    held = next(c for c in api.get(f"/sites/{site}/shelf")["cards"] if c["id"] == mine)
    assert held["writes"] == 2
    assert [(w["deployment"], w["outcome"]) for w in held["history"]] == [("Reading-room press", "proven")] * 2
    assert held["history"][0]["at"] > held["history"][1]["at"]
    # How fast it was written is what the next job is reckoned with.
    write = plan_of(api, pk)["time"]["spans"][0]
    assert write["rests_on"] == "2 writes measured here"


def test_a_board_whose_firmware_goes_over_serial_is_complete_without_a_card(api: Api) -> None:
    site = Site.objects.get().pk
    unit = api.post(f"/sites/{site}/shelf/boards", {"name": "Bridge module", "board": "thistle"})["units"][-1]
    pk = api.post("/deployments", {"recipe": "threadgate"})["id"]
    way = api.get(f"/deployments/{pk}/plan")["way"] or "wifi"
    shown = api.put(f"/deployments/{pk}/plan", {"board_unit_id": unit["id"], "card_gb": None, "way": way})
    codes = {f["code"] for f in shown["findings"]}
    assert "plan.card-missing" not in codes
    image = next(iter(api.get(f"/deployments/{pk}/image")["choices"]), None)
    if image is not None:
        api.put(f"/deployments/{pk}/image", {"image_id": image["image"]["id"]})
    assert (
        "say what goes together" not in api.get(f"/deployments/{pk}/plan")["deployment"]["line"]["next_detail"].lower()
    )


def test_the_release_that_a_stop_names_can_be_taken_before_its_file_is_there(api: Api) -> None:
    """An older image on a newer board: the newer release is the first way out, and not another board."""
    pk = new(api, "platen")
    tansy = unit("Tansy, workshop")
    old = Image.objects.get(file_name="platen-3.0-64.img.gz")
    Image.objects.filter(recipe="platen", release="3.2").update(present=False)
    plan = api.put(f"/deployments/{pk}/plan", {"board_unit_id": tansy, "image_id": old.pk, "way": "cable"})
    assert verdicts(plan)["plan.board-newer-than-release"] == "stop"
    first = next(p for p in plan["proposals"] if p["cures"] == "plan.board-newer-than-release")
    assert first["sets"] == {"release": "3.2"}
    assert first["effort_text"] == "a file to fetch"
    taken = api.put(f"/deployments/{pk}/plan", first["sets"])
    assert "plan.board-newer-than-release" not in verdicts(taken)
    assert Deployment.objects.get(pk=pk).image_id is None


ODD = (
    "",
    "-1",
    "0",
    "1e9",
    "nan",
    "abc",
    "99999999999999999999999",
    "\u0661",
    "true",
    " ",
    "é",
    "x" * 500,
    "2147483648",
    "9223372036854775808",
)


@pytest.mark.parametrize("field", sorted(PlanIn.model_fields))
def test_no_odd_value_in_a_proposal_is_a_mistake_of_ours(api: Api, field: str) -> None:
    pk = new(api, "platen")
    for sent in (*ODD, *([value] for value in ODD[:3]), *({value: value} for value in ODD[:3])):
        status, _ = api.call("put", f"/deployments/{pk}/plan", {field: sent})
        assert status < 500, (field, sent)
