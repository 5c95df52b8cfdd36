"""The command line: answers, JSON, exit statuses."""

from __future__ import annotations

import json
import shutil
from pathlib import Path
from typing import Any

import pytest

from mintseed import wiring
from mintseed.cli.main import main
from mintseed.standins.forge.sources import PLATEN_NETWORK
from tests.builders.disks import fat_file
from tests.database_plugin import LAN

SITE = """\
site: 1
name: Quay House
country: GB
time_zone: Europe/London
keyboard: gb
wifi:
  - {ssid: Quay House 2G, passphrase: spring tide at noon}
"""


def answer(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, dict[str, Any]]:
    status = main([*arguments, "--json"])
    return status, json.loads(capsys.readouterr().out)


def test_xray(library: Path, capsys: pytest.CaptureFixture[str]) -> None:
    status, said = answer(capsys, "xray", str(library / "platen-3.2-64.img.xz"))
    assert status == 0
    assert said["bits"] == 64
    assert said["url"] == "http://platen.local:5310/"
    assert set(said["findings"][0]) == {"code", "severity", "title", "detail", "fix", "where", "source"}
    assert main(["xray", str(library / "platen-3.2-64.img.xz"), "--boot-only"]) == 0
    assert "fernworks,tansy" in capsys.readouterr().out


def test_check_file(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "platen-network.conf"
    file.write_text(PLATEN_NETWORK)
    status, said = answer(capsys, "check-file", str(file), "--as", "wpa-supplicant")
    assert status == 2
    assert said["findings"][0]["code"] == "wifi.no-network"
    file.write_text("A=1 \n")
    assert answer(capsys, "check-file", str(file), "--as", "key-value")[0] == 1
    file.write_text("A=1\n")
    assert answer(capsys, "check-file", str(file), "--as", "key-value")[0] == 0
    assert answer(capsys, "check-file", str(file), "--as", "key-value", "--name", "device.conf")[0] == 2


def test_what_kind_of_file_it_is_need_not_be_said(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "90-wifi.yaml"
    file.write_text(
        'network:\n  version: 2\n  wifis:\n    wlan0:\n      dhcp4: true\n      access-points:\n        "Quay House":\n          password: "spring tide"\n'
    )
    status, said = answer(capsys, "check-file", str(file))
    assert (status, said["dialect"]) == (0, "netplan")
    assert said["means"] == "Joins Quay House with its passphrase and takes an address by itself."
    file.write_text("?\n")
    assert answer(capsys, "check-file", str(tmp_path / "90-wifi.yaml"))[1]["dialect"] == "yaml"
    # A name that no recipe could have is a name like any other here.
    assert answer(capsys, "check-file", str(file), "--name", "90 wifi*.yaml")[1]["findings"][0]["code"] in (
        "file.name",
        "yaml.not-yaml",
    )
    (tmp_path / "notes").write_text("ask Ann\nabout the boat\n")
    assert answer(capsys, "check-file", str(tmp_path / "notes"))[1]["findings"][0]["code"] == "file.kind-unknown"


def test_fix_file_mends_what_nobody_has_to_be_asked_about(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file, out = tmp_path / "wpa_supplicant.conf", tmp_path / "mended.conf"
    spoiled = "country=gb\r\n#network={\r\n  ssid=“Quay House”\r\n  psk=short\r\n}\r\n"
    file.write_bytes(spoiled.encode())
    status, said = answer(capsys, "fix-file", str(file), "-o", str(out))
    assert status == 2
    assert [f["code"] for f in said["findings"]] == ["wifi.passphrase-quotes"]
    assert out.read_text() == 'country=GB\nnetwork={\n  ssid="Quay House"\n  psk=short\n}\n'
    assert file.read_bytes() == spoiled.encode(), "where it was it stays"
    assert (out.stat().st_mode & 0o777) == 0o600
    assert main(["fix-file", str(file), "--in-place"]) == 1
    assert file.read_text() == out.read_text()
    assert "still stop: The passphrase needs straight quotes" in capsys.readouterr().err
    assert main(["fix-file", str(file), "--in-place", "-o", "x"]) == 3
    (tmp_path / "wpa_supplicant.conf.mended").touch()
    assert main(["fix-file", str(file), "--in-place"]) != 0
    assert file.read_text() == out.read_text(), "what cannot be written whole is not written"


def test_fill_and_prove(library: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    site, out = tmp_path / "site.yaml", tmp_path / "filled.img"
    site.write_text(SITE)
    image = str(library / "platen-3.2-64.img.xz")
    base = ("fill", image, "--recipe", "platen", "--site", str(site), "-o", str(out))
    status, said = answer(capsys, *base, "--set", "host_name=press")
    assert status == 0
    assert [f["path"] for f in said["files"]] == ["platen-network.conf", "device.conf"]
    assert b"HOST_NAME=press" in fat_file(out, 4 * 1024 * 1024, "device.conf")
    assert answer(capsys, "prove", str(out), "--against", str(out))[0] == 0
    assert answer(capsys, "prove", str(out), "--against", image)[0] == 2
    out.unlink()
    assert answer(capsys, *base, "--set", "country=UK")[0] == 2
    assert not out.exists()
    assert main([*base, "--set", "passphrase=x"]) == 3
    assert main([*base, "--set", "ssid=Elsewhere"]) == 2
    assert "Elsewhere" in capsys.readouterr().err


def test_write_keeps_every_rule(
    library: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = wiring.config().bench_folder
    shutil.rmtree(folder.root, ignore_errors=True)
    folder.prepare()
    card = {
        "name": "pdt",
        "path": "/dev/pdt",
        "size": 16 * 10**9,
        "rm": True,
        "tran": "usb",
        "serial": "T1",
        "type": "disk",
    }
    system = {
        "name": "pda",
        "path": "/dev/pda",
        "size": 64 * 10**9,
        "tran": "sata",
        "type": "disk",
        "mountpoints": ["/"],
    }
    folder.write(folder.drives_file, [card, system])
    image = str(library / "platen-3.0-64.img.gz")
    assert answer(capsys, "write", image, "/dev/pda", "--yes")[0] == 2
    assert main(["write", image, "/dev/pdt", "--yes", "--expect-serial", "T2"]) == 2
    monkeypatch.setattr("sys.stdin", __import__("io").StringIO("/dev/pda\n"))
    assert main(["write", image, "/dev/pdt"]) == 2
    assert "not confirmed" in capsys.readouterr().err
    assert not (folder.cards / "pdt.img").exists()
    status, said = answer(capsys, "write", image, "/dev/pdt", "--yes", "--expect-serial", "T1")
    assert status == 0
    assert said["bytes"] == 138412032
    assert answer(capsys, "prove", str(folder.cards / "pdt.img"), "--against", image)[0] == 0
    used = folder.cards / "pdt.img"
    for options, code in (((), "card.proven-in-use"), (("--everything",), "card.proven")):
        used.write_bytes(b"\x5a" * 138412032)  # an earlier owner's
        status, said = answer(capsys, "write", image, "/dev/pdt", "--yes", *options)
        assert (status, said["left_bytes"] > 0) == (0, not options)
        status, said = answer(capsys, "prove", str(used), "--against", image)
        assert (status, [f["code"] for f in said["findings"]]) == (0, [code])
    with used.open("r+b") as file:
        file.seek(5 * 1024 * 1024)
        file.write(b"one that is in use")
    assert answer(capsys, "prove", str(used), "--against", image)[0] == 2


def test_find_from_pasted_lists(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    address = LAN.replace(".0/24", ".250")
    leases, before = tmp_path / "leases", tmp_path / "before"
    leases.write_text(f"1764000000 02:00:00:00:00:01 {address} press *\n")
    before.write_text("")
    base = ("find", "--recipe", "platen", "--name", "press", "--leases", str(leases), "--before", str(before))
    status, said = answer(capsys, *base, "--network", LAN)
    assert status == 0
    assert said["candidates"][0]["address"] == address
    status, said = answer(capsys, *base, "--network", "10.0.0.0/8")
    assert (status, said["candidates"]) == (1, [])


@pytest.mark.parametrize("what", ["recipe", "board", "site"])
def test_schema(what: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["schema", what]) == 0
    schema = json.loads(capsys.readouterr().out)
    assert schema["additionalProperties"] is False
    assert what in schema["properties"]


def test_exit_statuses_for_wrong_calls_and_missing_input(capsys: pytest.CaptureFixture[str]) -> None:
    for wrong in ([], ["nope"], ["xray"], ["check-file", "x", "--as", "nope"]):
        with pytest.raises(SystemExit) as left:
            main(wrong)
        assert left.value.code == 64
    assert main(["xray", "/none.img"]) == 3
    assert main(["check-file", "/none.conf", "--as", "keyfile"]) == 3
    assert main(["find", "--recipe", "none"]) == 3
    assert "Traceback" not in capsys.readouterr().err


@pytest.mark.parametrize(
    ("command", "code"),
    [
        (["xray", "/no/such/file.img"], "missing"),
        (["xray", __file__], "input.partition-table"),
        (["check-file", "/no/such/file", "--as", "keyfile"], "input"),
        (["find", "--recipe", "no-such-recipe"], "missing"),
        (["find", "--recipe", "platen", "--scan", "8.8.8.0/24"], "input"),
    ],
)
def test_a_script_gets_an_object_also_when_the_input_cannot_be_read(
    command: list[str], code: str, capsys: pytest.CaptureFixture[str]
) -> None:
    status, said = answer(capsys, *command)
    assert status == 3
    assert said["error"]["code"] == code
    assert said["error"]["sentence"]
    assert said["findings"] == []


def test_fill_asks_what_the_recipe_asks(library: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Left empty it is a stop, as in the browser; a secret answer never stands in a command."""
    text = (wiring.PROJECT / "recipes" / "platen.yaml").read_text()
    text = text.replace('KEYBOARD: "{keyboard}"', 'KEYBOARD: "{keyboard}", PAPER: "{paper}{pin}"')
    asks = '\nasks:\n  - {id: paper, title: Paper, pattern: "A[0-9]"}\n  - {id: pin, title: Pin, secret: true, default: "0"}\n'
    recipe, site, out, answers = (tmp_path / n for n in ("mine.yaml", "site.yaml", "filled.img", "answers.yaml"))
    recipe.write_text(text + asks)
    site.write_text(SITE)
    image = str(library / "platen-3.2-64.img.xz")
    base = ("fill", image, "--recipe", str(recipe), "--site", str(site), "-o", str(out))
    status, said = answer(capsys, *base)
    assert (status, out.exists()) == (2, False)
    assert "settings.answer-missing" in {f["code"] for f in said["findings"]}
    assert answer(capsys, *base, "--set", "paper=foolscap")[0] == 2
    assert main([*base, "--set", "paper=A4", "--set", "pin=7"]) == 3
    assert "a command stands in the process list" in capsys.readouterr().err
    answers.write_text("paper: A3\npin: no\n")
    assert answer(capsys, *base, "--answers", str(answers))[0] == 0
    assert b"PAPER=A3no" in fat_file(out, 4 * 1024 * 1024, "device.conf")
    assert answer(capsys, *base, "--answers", str(answers), "--set", "paper=A5")[0] == 0
    assert b"PAPER=A5no" in fat_file(out, 4 * 1024 * 1024, "device.conf")
    for wrong, says in (
        ("- a list\n", "these are no answers"),
        ("ink: black\n", "nobody asks for ink"),
        ("{", "cannot be read as YAML"),
    ):
        answers.write_text(wrong)
        assert main([*base, "--answers", str(answers)]) == 3
        assert says in capsys.readouterr().err
