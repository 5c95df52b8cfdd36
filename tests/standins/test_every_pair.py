"""Every recipe × image × board, by table: what the plan says beforehand is what the board then does with the bytes."""

from __future__ import annotations

import hashlib
import os
import shutil
from pathlib import Path
from typing import Any

import pytest

from mintseed import wiring
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.core.boards.model import Board
from mintseed.core.find.candidates import page_url
from mintseed.core.findings import Severity
from mintseed.core.plan.starts import board_fit, image_fit
from mintseed.core.settings.fill import left_alone
from mintseed.services import fill_image
from mintseed.standins.board.boot import AirNetwork, Outcome, boot
from mintseed.standins.forge.build import build_demo
from mintseed.standins.forge.more_sources import MORE_IMAGES
from mintseed.standins.forge.sources import DEMO_IMAGES, FirmwareSpec, ImageSpec
from tests.core.settings.test_values import values
from tests.services.conftest import TOOLS, Shelf, filled_for

SSID, PASSPHRASE = "Quay House 2G", "spring tide at noon"
KEY = hashlib.pbkdf2_hmac("sha1", PASSPHRASE.encode(), SSID.encode(), 4096, 32)
AIR = [AirNetwork(SSID.encode(), KEY, 2.4)]
BOARDS = sorted(wiring.boards())
OTHERS = {s.appliance + s.release: s for s in MORE_IMAGES if isinstance(s, ImageSpec)}
"""one build of each release of the other appliances"""

EVERY = os.environ.get("MINTSEED_PAIRS") == "every"
SPECS = (*DEMO_IMAGES, *(spec for spec in OTHERS.values() if EVERY or spec.appliance == "reedwave"))
"""what is built for the demo, and an appliance whose releases read differently named files; `make torture` builds every other one too"""


def state(board: Board, *, cable: bool = False) -> dict[str, Any]:
    return {"compatible": board.compatible[0], "bits": board.bits, "radio_ghz": list(board.radio_ghz), "ethernet": board.ethernet,
            "speed": board.speed, "cable": cable}  # fmt: skip


@pytest.fixture(scope="module")
def shelf(library: Path, tmp_path_factory: pytest.TempPathFactory) -> Shelf:
    more = library.with_name("library-of-all")
    more.mkdir(exist_ok=True)
    for file in library.iterdir():  # what is built already is not built again
        if file.is_file() and not (more / file.name).exists():
            shutil.copy2(file, more / file.name)
    build_demo(list(SPECS), more)
    library = more
    return Shelf(LibraryFolder(library, tmp_path_factory.mktemp("scratch")))


@pytest.fixture(scope="module", params=SPECS, ids=lambda spec: spec.file)
def card(
    request: pytest.FixtureRequest, shelf: Shelf, tmp_path_factory: pytest.TempPathFactory
) -> tuple[ImageSpec, Path, Any]:
    """An image filled as its recipe says, as it would lie on a card."""
    spec: ImageSpec = request.param
    xray = shelf.xray(spec.file)
    path = tmp_path_factory.mktemp("card") / "card.img"
    with (
        fill_image.execute(
            xray, filled_for(xray, values(host_name="press")), library=shelf.library, tools=TOOLS
        ) as image,
        path.open("wb") as file,
    ):
        for piece in image.pieces():
            file.write(piece)
    return spec, path, xray


@pytest.mark.parametrize("name", BOARDS)
def test_what_the_plan_says_is_what_the_board_does(card: tuple[ImageSpec, Path, Any], name: str) -> None:
    spec, path, xray = card
    board = wiring.boards()[name]
    starts = all(f.severity is not Severity.STOP for f in board_fit(board, xray))
    outcome: Outcome = boot(path, state(board), AIR)
    assert outcome.stops_at.startswith("test card") is not starts, (spec.file, name, outcome.stops_at)
    if starts:
        assert (outcome.stops_at == "") is board.has_radio
    if starts and board.has_radio:
        recipe = wiring.recipes()[xray.recipe_id]
        assert outcome.host_name == "press"
        assert page_url(recipe.page, "press.local") == xray.page.url("press").removesuffix("/") + recipe.page.path
        assert outcome.port == recipe.page.port
        assert recipe.page.signature.encode() in outcome.page


def test_recipe_and_manifest_speak_of_the_same_appliance(card: tuple[ImageSpec, Path, Any]) -> None:
    spec, _, xray = card
    recipe, manifest = wiring.recipes()[xray.recipe_id], spec.manifest
    assert recipe.id == spec.appliance
    paths = {f.path: f for f in recipe.files}
    network, device = paths[manifest["network_file"]["path"]], paths[manifest["device_file"]["path"]]
    assert {"wpa-supplicant": "wpa", "keyfile": "keyfile"}[network.dialect] == manifest["network_file"]["reader"]
    assert (device.quoting == "shell") is manifest["device_file"]["shell"]
    assert manifest["device_file"]["name"] in device.values
    assert recipe.default_login is not None
    assert (recipe.default_login.user, recipe.default_login.password) == (
        manifest["login"]["name"],
        manifest["login"]["word"],
    )
    band = recipe.boot
    assert band.usual_from_s <= manifest["join_s"] <= band.usual_to_s
    assert [f.severity for f in xray.findings if f.code.startswith("image.sha256")] == ["ok"]


@pytest.mark.parametrize(
    ("line", "joins"),
    [("", True), (" disabled=1\n", False), (" key_mgmt=WPA-EAP\n", False), (" keymgmt=WPA-PSK\n", False)],
)
def test_the_pretend_reader_refuses_what_the_real_one_refuses_or_never_joins_with(line: str, joins: bool) -> None:
    from mintseed.standins.board.readers.wpa import read as read_wpa

    text = f'country=GB\nnetwork={{\n ssid="{SSID}"\n psk="{PASSPHRASE}"\n{line}}}\n'
    assert bool(read_wpa(text.encode())) is joins


def test_hidden_networks_and_countries_work_on_the_air(card: tuple[ImageSpec, Path, Any]) -> None:
    spec, path, _ = card
    if spec.appliance != "platen":
        pytest.skip("its network file carries no country")
    board = wiring.boards()["larkspur-r" if spec.bits == 64 else "sprig"]
    hidden = [AirNetwork(SSID.encode(), KEY, 2.4, hidden=True)]
    assert boot(path, state(board), hidden).stops_at == "hears no such network"
    abroad = [AirNetwork(SSID.encode(), KEY, 2.4, country="JP")]
    assert "another country" in boot(path, state(board), abroad).stops_at
    assert boot(path, state(board), [AirNetwork(SSID.encode(), KEY, 2.4, country="GB")]).stops_at == ""


def test_an_image_whose_spec_changed_is_built_again(tmp_path: Path) -> None:
    from dataclasses import replace

    spec = replace(DEMO_IMAGES[3], boot_mib=34, root_mib=16)
    build_demo([spec], tmp_path)
    first = (tmp_path / spec.file).read_bytes()
    build_demo([spec], tmp_path)
    assert (tmp_path / spec.file).read_bytes() == first
    build_demo([replace(spec, boot_files={**spec.boot_files, "device.conf": "HOST_NAME=other\n"})], tmp_path)
    changed = (tmp_path / spec.file).read_bytes()
    assert changed != first
    assert hashlib.sha256(changed).hexdigest() in (tmp_path / spec.checksums).read_text()


def test_a_renamed_file_is_filled_under_the_name_its_release_reads(shelf: Shelf) -> None:
    """Up to 3.0 it is hotspot-wifi.conf; from 3.1 on that one holds only a pointer and is left as it lies."""
    recipe = wiring.recipes()["reedwave"]
    for release, wanted, left in (
        ("3.0", "hotspot-wifi.conf", ""),
        ("3.1", "reedwave-network.conf", "hotspot-wifi.conf"),
    ):
        file = next(b.file for r in recipe.releases if r.version == release for b in r.builds)
        xray = shelf.xray(file)
        filled = {f.path: f for f in filled_for(xray, values(host_name="press"))}
        assert sorted(filled) == sorted([wanted, "hotspot.conf"])
        assert SSID in filled[wanted].content.decode()
        notes = left_alone(recipe, xray.release, {f.path for f in xray.files})
        assert [n.where.file for n in notes] == ([left] if left else [])


def test_firmware_is_read_as_what_it_is(library: Path, tmp_path: Path) -> None:
    build_demo([s for s in MORE_IMAGES if isinstance(s, FirmwareSpec)], tmp_path)
    xray = Shelf(LibraryFolder(tmp_path, tmp_path / "scratch")).xray("threadgate-1.3-thistle.bin")
    assert (xray.scheme, xray.recipe_id, xray.release) == ("firmware", "threadgate", "1.3")
    assert {f.code: f.severity for f in xray.findings} == {
        "image.firmware": Severity.NOTE,
        "image.sha256-matches": Severity.OK,
    }
    boards, recipe = wiring.boards(), wiring.recipes()["threadgate"]
    assert [f.severity for f in image_fit(recipe, boards["thistle"], xray)] == [Severity.OK]
