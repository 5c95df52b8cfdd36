"""What all tests share: a running database of their own, and the demo's images."""

from __future__ import annotations

import fcntl
import os
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from mintseed.server.start import database
from tests import well_said
from tests.database_plugin import PROJECT

well_said.watch()

# Tests are made there.
pytest.register_assert_rewrite("tests.builders.told")

# How long an example takes says how busy the machine is: a test that fails by it is a timed one.
settings.register_profile("untimed", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("untimed")


LONGEST = (
    "tests/torture/test_slice.py", "tests/server/test_earlier_homes.py", "tests/server/test_make_ready.py", "tests/standins/test_every_pair.py",
    "tests/core/settings/test_judged.py", "tests/services/test_hostile_systems.py", "tests/server/test_door_closes.py",
)  # fmt: skip
"""files that take minutes (measured): begun first, so that no process is left alone with one of them at the end"""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    place = {name: number for number, name in enumerate(LONGEST)}
    items.sort(key=lambda item: place.get(item.nodeid.partition("::")[0], len(place)))


@pytest.fixture(scope="session")
def _running_database() -> Iterator[None]:
    with database.started(database.folder()):
        yield


@pytest.fixture(scope="session")
def django_db_modify_db_settings(_running_database: None) -> None:
    """Start the database before pytest-django makes the test tables."""


@pytest.fixture(scope="session")
def library() -> Path:
    """The folder with the demo's images, built once for all processes and kept for the next run of the tests."""
    from mintseed.standins.forge.build import build_demo
    from mintseed.standins.forge.sources import DEMO_IMAGES

    folder, built = Path(os.environ["MINTSEED_LIBRARY"]), PROJECT / "var" / "test-images"
    built.mkdir(exist_ok=True)
    with built.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        build_demo(DEMO_IMAGES, built)
        shutil.copytree(built, folder, dirs_exist_ok=True)
    return folder
