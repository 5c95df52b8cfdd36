"""What the services are given in tests: the demo's library, the real volume tools, pretend readers."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import pytest

from mintseed import wiring
from mintseed.adapters.library_folder import LibraryFolder
from mintseed.adapters.volume_tools import OffsetVolumeTools
from mintseed.core.image.report import XRay
from mintseed.core.settings.fill import FilledFile, fill_files
from mintseed.core.settings.values import SettingValues
from mintseed.services import inspect_image
from tests.core.settings.test_values import values

TOOLS = OffsetVolumeTools()


@dataclass(frozen=True)
class Shelf:
    """A library and the means to read from it."""

    library: LibraryFolder

    def xray(self, name: str, depth: inspect_image.Depth = "whole") -> XRay:
        recipes = wiring.recipes().values()
        return inspect_image.execute(name, library=self.library, tools=TOOLS, recipes=recipes, depth=depth)


def filled_for(xray: XRay, wanted: SettingValues | None = None) -> tuple[FilledFile, ...]:
    recipe = wiring.recipes()[xray.recipe_id]
    return fill_files(recipe, wanted or values(), xray)


@pytest.fixture(scope="session")
def shelf(library: Path, tmp_path_factory: pytest.TempPathFactory) -> Shelf:
    return Shelf(LibraryFolder(library, tmp_path_factory.mktemp("scratch")))


@pytest.fixture(scope="session")
def platen(shelf: Shelf) -> XRay:
    return shelf.xray("platen-3.2-64.img.xz")
