"""What a machine bench begins with: a place, card files, a board that is a PC, and a recipe a build, each of which fits."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from mintseed import wiring
from mintseed.core.errors import InputError
from mintseed.core.findings import Severity
from mintseed.server.demo import proving_ground
from mintseed.server.kept.models import BoardUnit, Description, Job, Site, WifiNetwork
from mintseed.server.owned import demo_images, descriptions
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.machine.assay import build as assay
from mintseed.standins.readers import StandinReaders
from mintseed.wiring import Config
from tests.server.conftest import Api


@pytest.fixture
def machine(tmp_path: Path) -> Config:
    return replace(
        wiring.config(), home=tmp_path, library=tmp_path / "library", bench="machine", machine_lan="10.91.4.0/24"
    )


def test_it_begins_with_what_fits_and_says_it_once(machine: Config, api: Api) -> None:
    proving_ground.seed_bench(machine)
    proving_ground.seed_database(machine)
    proving_ground.seed_database(machine)
    site = Site.objects.get(name="Proving ground")
    assert site.networks == ["10.91.4.0/24"]
    assert {n.ssid for n in WifiNetwork.objects.filter(site=site)} == {"Glasshouse 2G", "Glasshouse 5G"}
    assert Description.objects.count() == 1 + len(assay.BUILDS)
    assert not descriptions.known().broken
    assert Job.objects.filter(kind=Job.Kind.BUILD_IMAGES).count() == 1
    unit = BoardUnit.objects.filter(site=site).first()
    assert unit is not None
    for build in assay.BUILDS:
        made = api.post(
            "/deployments", {"recipe": f"assay-{build}", "name": build, "site_id": site.pk, "board_unit_id": unit.pk}
        )
        plan = api.get(f"/deployments/{made['id']}/plan")
        stops = [f["title"] for f in plan["findings"] if f["severity"] == Severity.STOP]
        assert not stops, build


def test_its_cards_are_files_of_its_own_home(machine: Config) -> None:
    proving_ground.seed_bench(machine)
    drives = StandinReaders(BenchFolder(machine.bench_folder.root)).drives()
    assert [d.serial for d in drives] == ["PG-C2-01", "PG-C2-02"]


def test_an_image_counts_as_built_while_it_is_of_this_versions_system(machine: Config) -> None:
    assert demo_images.missing(machine) == [assay.file_name(build) for build in assay.BUILDS]
    image = machine.library / assay.file_name("iwd")
    machine.library.mkdir()
    image.write_bytes(b"x")
    assert demo_images.waits("assay-iwd", machine), "nobody says what it was made of"
    image.with_name(f".{image.name}.made-of").write_text(assay.ASSAY.made_of)
    assert not demo_images.waits("assay-iwd", machine)
    image.with_name(f".{image.name}.made-of").write_text("assay-older")
    assert demo_images.waits("assay-iwd", machine)
    assert not demo_images.waits("platen", machine)


@pytest.mark.parametrize(("kind", "lan"), [("real", ""), ("machine", "10.91.4.0/24"), ("standin", "127.77.9.0/24")])
def test_which_network_a_bench_brings(kind: str, lan: str, machine: Config) -> None:
    chosen = replace(machine, bench=kind, standin_lan="127.77.9.0/24")  # type: ignore[arg-type]
    assert chosen.own_lan == lan
    assert chosen.plays_boards is (kind != "real")


def test_a_kind_there_is_not_is_refused() -> None:
    assert wiring.bench_kind("machine") == "machine"
    with pytest.raises(InputError, match="no kind of bench"):
        wiring.bench_kind("virtual")


@pytest.mark.parametrize("text", ["kettle", "8.8.8.0/24", "10.91.4.0/16", "10.91.4.7/24", "fd00::/64"])
def test_a_network_that_is_none_of_ones_own_is_refused(text: str) -> None:
    assert wiring.machine_lan("10.91.4.0/24") == "10.91.4.0/24"
    with pytest.raises(InputError, match="cannot be the machines' network"):
        wiring.machine_lan(text)
