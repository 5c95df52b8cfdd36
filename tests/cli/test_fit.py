"""mintseed fit and schema: findings, proposals, power, parts and time as one JSON object, exit status by the worst finding."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from mintseed import wiring
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
        {"way": "cable"},
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
    assert said["power"]["board_load_v"] == pytest.approx(5.1 - 0.233, abs=0.001)
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
    text = (wiring.PROJECT / "boards" / "larkspur-r.yaml").read_text()
    board.write_text(text.replace("id: larkspur-r", "id: mine").replace("header: {pins: 40", "header: {pins: 26"))
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
