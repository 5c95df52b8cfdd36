"""mintseed fit and schema: findings, proposals, power, parts and time as one JSON object, exit status by the worst finding."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from mintseed import shipped
from mintseed.cli.main import main


def fit(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, dict[str, Any]]:
    status = main(["fit", *arguments, "--json"])
    return status, json.loads(capsys.readouterr().out)


def test_a_pair_that_stops_comes_with_proposals(capsys: pytest.CaptureFixture[str]) -> None:
    status, said = fit(capsys, "--recipe", "platen", "--board", "LARKSPUR C", "--way", "wifi", "--card", "16")
    assert status == 2
    assert said["findings"][0]["code"] == "plan.no-radio"
    cable = said["proposals"][0]
    assert (cable["cures"], cable["title"], cable["changes"]) == (
        "plan.no-radio",
        "Run a cable to it",
        [{"field": "way", "value": "cable"}],
    )
    assert "plan.no-radio" not in {f["code"] for f in cable["findings"]}
    stick = next(p for p in said["proposals"] if "Finch" in p["title"])
    assert (stick["cost"], stick["effort"]) == ({"amount": 14.0, "currency": "EUR"}, "to buy")


def test_a_pair_that_goes(capsys: pytest.CaptureFixture[str]) -> None:
    status, said = fit(
        capsys, "--recipe", "gramary", "--board", "larkspur-r", "--part", "chorus", "--card", "16", "--supply", "5.1V, 3A, micro-USB, 1m, AWG22"
    )  # fmt: skip
    assert status == 0
    assert said["way"] == "wifi"
    assert said["power"]["load_a"] == pytest.approx(2.2)
    # 2 * 1 m * 52.96 mohm/m * 2.2 A
    assert said["power"]["board_load_v"] == round(5.1 - 0.233, 2)
    assert said["time"]["from_s"] < said["time"]["to_s"]
    assert {"board", "card", "supply", "audio add-on"} <= {i["what"] for i in said["parts"]["items"]}


def test_for_people_the_way_out_stands_first(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["fit", "--recipe", "hidewatch", "--board", "sprig", "--part", "gull-camera", "--card", "64"]) == 2
    out = capsys.readouterr().out
    assert "Buy a Camera tail, 22 to 15" in out
    assert "STOP  Gull camera does not fit the camera socket" in out


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["--recipe", "nothing", "--board", "sprig"], "no recipe is called nothing"),
        (["--recipe", "platen", "--board", "NO MARK"], "no board is marked NO MARK"),
        (["--recipe", "platen", "--board", "sprig", "--part", "hammer"], "no part is called hammer"),
        (["--recipe", "platen", "--board", "sprig", "--supply", "strong"], "is no supply"),
        (["--recipe", "platen", "--board", "sprig", "--supply", "5V,2A,hose"], "is no supply"),
        (
            ["--recipe", "platen", "--board", "sprig", "--supply", "5V,2A,micro-USB,30m"],
            "the length of its cable cannot be 30.0, at most 20 can",
        ),
        (
            ["--recipe", "platen", "--board", "sprig", "--supply", "5V,2A,micro-USB,1m,AWG27"],
            "the gauge of its cable cannot be 27",
        ),
        (["--recipe", "platen", "--board", "sprig", "--supply", "5..1V,2A,micro-USB"], "a number in it is none"),
        (["--recipe", "platen", "--board", "sprig", "--card", "0"], "0 GB is no card's size"),
        (["--recipe", "platen", "--board", "sprig", "--card", "-8"], "-8 GB is no card's size"),
        (["--recipe", "platen", "--board", "sprig", "--band", "nan"], "nan GHz is no Wi-Fi band"),
        (["--recipe", "platen", "--board", "sprig", "--release", "9.9"], "the recipe knows no release 9.9"),
    ],
)
def test_what_cannot_be_read_is_said(capsys: pytest.CaptureFixture[str], arguments: list[str], says: str) -> None:
    assert main(["fit", *arguments]) == 3
    said = capsys.readouterr().err
    assert says in said
    assert "http" not in said


def test_own_texts_take_the_place_of_shipped_ones(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    board = tmp_path / "mine.yaml"
    text = (shipped.PROJECT / "boards" / "larkspur-r.yaml").read_text()
    board.write_text(
        text.replace("id: larkspur-r", "id: mine")
        .replace("header: {pins: 40", "header: {pins: 26")
        .replace("twin: larkspur-c\n", "")
        .replace("LARKSPUR R", "MINE 1")
        .replace('"fernworks,larkspur-r", ', '"mine,one", ')
    )
    status, said = fit(capsys, "--recipe", "gramary", "--board", str(board), "--part", "chorus")
    assert status == 2
    assert "plan.header-short" in {f["code"] for f in said["findings"]}
    board.write_text("board: 1\nid: [\n")
    assert main(["fit", "--recipe", "gramary", "--board", str(board)]) == 3
    assert "line 3" in capsys.readouterr().err


@pytest.mark.parametrize("what", ["recipe", "board", "part", "site"])
def test_schemas_are_json_schemas_that_what_ships_follows(capsys: pytest.CaptureFixture[str], what: str) -> None:
    assert main(["schema", what]) == 0
    schema = json.loads(capsys.readouterr().out)
    assert schema["type"] == "object"
    assert what in schema["required"]
    assert schema["additionalProperties"] is False


def test_both_halves_of_a_pair_are_in_what_a_script_reads(capsys: pytest.CaptureFixture[str]) -> None:
    _, said = fit(capsys, "--recipe", "platen", "--board", "sprig", "--way", "cable")
    pair = next(p for p in said["proposals"] if len(p["changes"]) == 2)
    assert {(c["field"], c["value"]) for c in pair["changes"]} == {
        ("add_kind", "cable-socket"),
        ("add_kind", "otg-tail"),
    }
    assert pair["cost"] == {"amount": 18.0, "currency": "EUR"}, "15 and 3, less than any board"
    assert said["supply_wanted"] == {"voltage_v": 5.0, "current_a": 1.2, "connector": "micro-USB"}


def test_no_board_is_bought_to_cure_a_cable(capsys: pytest.CaptureFixture[str]) -> None:
    status, said = fit(
        capsys, "--recipe", "platen", "--board", "larkspur-r", "--card", "16",
        "--supply", "5.1V,2.5A,USB-A socket", "--cable", "2m,USB-A,micro-USB,AWG28",
    )  # fmt: skip
    assert status == 2
    cures = [p for p in said["proposals"] if p["cures"] == "plan.cable-drop"]
    assert cures[0]["changes"] == [{"field": "cable", "value": "0.5m,USB-A,micro-USB,AWG20"}]
    assert cures[0]["cost_text"] == "price not known"
    places = [any(c["field"] == "board" for c in p["changes"]) for p in cures]
    assert places == sorted(places), "boards come last"
    assert all(f"{p['title']}" for p in cures)
    # What is proposed is what the next call takes.
    status, said = fit(
        capsys, "--recipe", "platen", "--board", "larkspur-r", "--card", "16",
        "--supply", "5.1V,2.5A,USB-A socket", "--cable", cures[0]["changes"][0]["value"],
    )  # fmt: skip
    assert status == 0


def test_a_supply_that_is_proposed_carries_the_plan_once_it_is_bought(capsys: pytest.CaptureFixture[str]) -> None:
    common = ("--recipe", "gramary", "--board", "larkspur-r", "--part", "chorus", "--card", "16")
    _, said = fit(capsys, *common, "--supply", "5V,1A,micro-USB,1m,AWG20")
    bought = next(c["value"] for p in said["proposals"] for c in p["changes"] if c["field"] == "supply")
    status, after = fit(capsys, *common, "--supply", bought)
    assert status == 0
    assert "plan.supply-fits" in {f["code"] for f in after["findings"]}


def test_marks_batteries_load_and_networks_are_taken(capsys: pytest.CaptureFixture[str]) -> None:
    _, said = fit(
        capsys, "--recipe", "hidewatch", "--board", "sprig", "--part", "wren-camera", "--card", "64,U3,A2,endurance",
        "--supply", "5V,2A,micro-USB,0.5m,AWG20", "--battery", "10000", "--load", "1",
    )  # fmt: skip
    codes = {f["code"] for f in said["findings"]}
    assert not codes & {"plan.card-marks-unknown", "plan.card-slow", "plan.card-endurance"}
    # 10 Ah x 3.7 V x 0.85 / (1.25 A x 5 V)
    assert said["power"]["battery_h"] == pytest.approx(31.45 / (said["power"]["load_a"] * 5), abs=0.06)
    assert "plan.card-endurance" in {
        f["code"]
        for f in fit(capsys, "--recipe", "hidewatch", "--board", "sprig", "--card", "64,ordinary")[1]["findings"]
    }
    wpa3 = fit(capsys, "--recipe", "platen", "--board", "larkspur-r", "--wpa3-only")
    assert "plan.network-wpa3-radio" in {f["code"] for f in wpa3[1]["findings"]}


def test_what_one_owns_comes_as_a_table(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    shelf = tmp_path / "shelf.csv"
    shelf.write_text(
        "what,name,kind,size_gb,connector,voltage_v,current_a,length_m,awg\n"
        "supply,Good one,,,micro-USB,5.1,2.5,0.5,20\npart,My Finch,finch,,,,,,\n"
    )
    _, said = fit(
        capsys,
        "--recipe",
        "platen",
        "--board",
        "larkspur-c",
        "--way",
        "wifi",
        "--supply",
        "5V,3A,USB-C,1m,AWG20",
        "--shelf",
        str(shelf),
    )
    titles = {(p["cures"], p["title"], p["effort"]) for p in said["proposals"]}
    assert ("plan.supply-connector", "Use Good one", "from the shelf") in titles
    assert ("plan.no-radio", "Add My Finch", "from the shelf") in titles
    shelf.write_text('what,name,size_gb\ncard,C,"10,000"\n')
    assert main(["fit", "--recipe", "platen", "--board", "larkspur-c", "--shelf", str(shelf)]) == 3
    assert "line 2" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["--cable", "thin"], "thin is no cable"),
        (["--cable", "30m,USB-A,micro-USB"], "the length of its cable cannot be 30.0, at most 20 can"),
        (["--cable", "1m,micro-USB,USB-A"], "the first plug goes into the supply"),
        (["--card", "32,X9"], "X9 is no mark of a card"),
        (["--card", "large"], "large is no card"),
        (["--load", "2"], "2 is no share of the time"),
        (["--battery", "5000"], "cells without the supply"),
        (["--supply", "5V,2A,micro-USB", "--battery", "-1"], "its capacity cannot be"),
    ],
)
def test_what_nothing_has_is_said_in_a_sentence(
    capsys: pytest.CaptureFixture[str], arguments: list[str], says: str
) -> None:
    assert main(["fit", "--recipe", "platen", "--board", "sprig", *arguments]) == 3
    said = capsys.readouterr().err
    assert says in said
    assert "http" not in said
